package cli

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A labelling is the label that a build writes into its own folder.
type labelling struct {
	folder string // from the place, "." for the place itself
	build  *batch.Build
	old    []byte       // what the label holds, nil where there is none yet
	known  *label.Label // the same
	id     string
	run    *buildRun
}

// Open returns what the label is to hold.
func (l *labelling) Open() (io.ReadCloser, error) {
	data, err := l.data()
	return io.NopCloser(bytes.NewReader(data)), err
}

// Source names the label in messages.
func (l *labelling) Source() string { return "the label" }

// data is what the label is to hold; nil where it holds that already.
func (l *labelling) data() ([]byte, error) {
	at := l.run.now
	if l.run.archive.name != "" {
		at = l.run.archive.time
	}
	next := &label.Label{ID: l.identity(), Build: *label.NewBuild(l.run.t, l.build.Values, at, l.run.version)}
	given, err := l.given()
	if err != nil {
		return nil, err
	}
	next.Given = given
	if l.known != nil {
		if l.known.Format == label.Format && l.known.Same(&next.Build) {
			return nil, nil
		}
		next = l.known.Rebuilt(next)
	}
	return next.Encode()
}

// given are the files that the build gives its project, with their checksums.
func (l *labelling) given() (map[string]string, error) {
	_, own := l.build.Template.Own(l.build.Root)
	return sumsOf(own)
}

// sumsOf returns the checksums of the files and links of a tree, by their paths.
func sumsOf(root *tree.Node) (map[string]string, error) {
	sums := map[string]string{}
	for at, n := range root.All() {
		if n.Kind == tree.Folder {
			continue
		}
		sum, err := journal.SumOf(n)
		if err != nil {
			return nil, err
		}
		sums[at] = sum
	}
	return sums, nil
}

// labels returns the labels of all builds. What those of new projects hold is made
// when it is needed.
func (b *buildRun) labels() ([]*labelling, error) {
	list := make([]*labelling, 0, len(b.batch.Builds))
	taken := make(map[string]bool, len(b.batch.Builds))
	for _, r := range b.batch.Builds {
		l := &labelling{folder: r.Folder(), build: r, run: b}
		if taken[l.folder] {
			continue // several rows lie side by side in the place itself, which is no project
		}
		taken[l.folder] = true
		if b.archive.name != "" {
			list = append(list, l) // the same input gives the same bytes
			continue
		}
		fresh, err := b.fresh(l.folder)
		if err != nil {
			return nil, err
		}
		if !fresh {
			if err := l.read(); err != nil {
				return nil, err
			}
		}
		if l.known != nil && l.known.Template != b.t.Name {
			b.side.Text(term.Warn.Render("note:") + term.Sprintf(" %s is a project of %s already, and keeps that label", path.Join(b.into, l.folder), l.known.Template))
			continue
		}
		if err := l.tellChanged(); err != nil {
			return nil, err
		}
		list = append(list, l)
	}
	return list, nil
}

// tellChanged tells which values of a project the build changes. Texts that its own
// name is made of cannot be changed: two of them give one name, and are two projects.
func (l *labelling) tellChanged() error {
	if l.known == nil {
		return nil
	}
	named := l.namedBy()
	next := label.NewBuild(l.run.t, l.build.Values, l.run.now, l.run.version)
	var changed []string
	for _, name := range l.run.t.FieldNames() {
		was, had := l.known.Values[name]
		is, has := next.Values[name]
		if had && has && fmt.Sprint(was) != fmt.Sprint(is) {
			if slices.Contains(named, name) {
				return refused("write them so that their names differ, or give the field a larger max", "Nothing was built: %s \"%s\" and \"%s\", of the project that is there, give one name: %s", name, is, was, l.folder)
			}
			changed = append(changed, fmt.Sprintf("%s from %v to %v", name, was, is))
		}
	}
	if len(changed) > 0 {
		b := l.run
		told := term.Sprintf(" this changes the project %s: %s.", path.Join(b.into, l.folder), strings.Join(changed, ", "))
		if b.again == nil {
			told += " Where several builds are meant to meet in one folder, write | project behind the line that is each one's own."
		}
		b.side.Text(term.Warn.Render("note:") + told)
	}
	return nil
}

// namedBy are the text fields that the name of the own folder, and of those on the way
// to it, are made of.
func (l *labelling) namedBy() (fields []string) {
	t, at := l.build.Template, l.build.Root
	for name := range strings.SplitSeq(l.folder, "/") {
		if at = at.Child(name); at == nil {
			return fields
		}
		line := t.LineOf(at)
		for _, slot := range line.Names[at.Nth].Pattern.Slots() {
			if f := t.Field(slot); f != nil {
				for _, g := range t.Ingredients(f) {
					if g.Type.Kind == value.Text {
						fields = append(fields, g.Name)
					}
				}
			}
		}
	}
	return fields
}

// fresh reports whether a folder is not there yet.
func (b *buildRun) fresh(folder string) (bool, error) {
	if folder == "." {
		return false, nil
	}
	if (vacated{gone: b.vacated}).has(folder) {
		return true, nil
	}
	top := folder
	for i := range folder {
		if folder[i] == '/' {
			top = folder[:i]
			break
		}
	}
	return b.freshTops()[top], nil
}

// freshTops are the new folders at the top of what is built.
func (b *buildRun) freshTops() map[string]bool {
	if b.tops == nil {
		b.tops = make(map[string]bool, len(b.batch.Builds))
		for i := range b.plan.Steps {
			if s := &b.plan.Steps[i]; s.Parent < 0 && s.State == build.New {
				b.tops[s.Node.Name] = true
			}
		}
	}
	return b.tops
}

// read reads the label that is there.
func (l *labelling) read() (err error) {
	if l.old, err = l.run.place.ReadFile(l.file(), label.MaxBytes); err != nil {
		return fmt.Errorf("%s cannot be read: %s", l.file(), place.Reason(err))
	}
	if l.old == nil {
		return nil
	}
	if l.known, err = label.Parse(l.old); err != nil {
		return fmt.Errorf("%s: %w", path.Join(l.run.into, l.folder), err)
	}
	l.id = l.known.ID
	return nil
}

// identity is what the project is known by. A new one is drawn when it is needed.
func (l *labelling) identity() string {
	if l.id == "" && l.run.archive.name == "" {
		l.id = label.NewID()
	}
	return l.id
}

// file is the path of the label.
func (l *labelling) file() string { return path.Join(l.folder, label.FileName) }

// node is the label as a file of a tree.
func (l *labelling) node() *tree.Node {
	return &tree.Node{Name: label.FileName, Kind: tree.File, Content: l}
}

// labelled returns a tree with labels in the folders at some paths below it; the
// path of the tree itself is empty.
func labelled(root *tree.Node, at map[string]*labelling) *tree.Node {
	ways := map[string]bool{}
	for p := range at {
		for ; p != "." && p != ""; p = path.Dir(p) {
			ways[p] = true
		}
	}
	var copied func(n *tree.Node, here string) *tree.Node
	copied = func(n *tree.Node, here string) *tree.Node {
		out := *n
		out.Children = slices.Clone(n.Children)
		for i, c := range out.Children {
			if below := path.Join(here, c.Name); ways[below] {
				out.Children[i] = copied(c, below)
			}
		}
		if l := at[here]; l != nil {
			return with(&out, l)
		}
		return &out
	}
	return copied(root, "")
}

// with returns a folder with a label in it.
func with(n *tree.Node, l *labelling) *tree.Node {
	out := *n
	out.Children = append(slices.Clip(n.Children), l.node())
	return &out
}

// withLabels puts labels into changes: into the tree of a folder that is made, or as
// changes of their own.
func withLabels(changes []change.Change, labels []*labelling) ([]change.Change, error) {
	made := make(map[string]int, len(changes))
	for i := range changes {
		made[changes[i].Path] = i
	}
	type fresh struct {
		change int
		below  string
		label  *labelling
	}
	put := make([]fresh, 0, len(labels)) // most changes get one label, and then no map
	set := &change.Set{Changes: changes}
	for _, l := range labels {
		if i, below, found := within(made, l.folder); found {
			put = append(put, fresh{i, below, l})
			continue
		}
		data, err := l.data()
		if err != nil {
			return nil, err
		}
		switch {
		case data == nil: // all of it stands there
		case l.old == nil:
			set.Make(change.At{Path: l.file()}, l.node(), "")
		default:
			set.Write(change.At{Path: l.file()}, l.old, data, "")
		}
	}
	changes = set.Changes
	slices.SortStableFunc(put, func(a, b fresh) int { return cmp.Compare(a.change, b.change) })
	for len(put) > 0 {
		n := 1
		for n < len(put) && put[n].change == put[0].change {
			n++
		}
		c := &changes[put[0].change]
		if n == 1 && put[0].below == "" {
			c.Node = with(c.Node, put[0].label)
		} else {
			at := map[string]*labelling{}
			for _, f := range put[:n] {
				at[f.below] = f.label
			}
			c.Node = labelled(c.Node, at)
		}
		put = put[n:]
	}
	return changes, nil
}

// within returns the change that makes a folder, or one that it lies in, and the
// rest of the path.
func within(made map[string]int, folder string) (i int, below string, found bool) {
	for at := folder; at != "."; at = path.Dir(at) {
		if i, found = made[at]; found {
			if at != folder {
				below = folder[len(at)+1:]
			}
			return i, below, true
		}
	}
	return 0, "", false
}
