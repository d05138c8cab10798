package batch

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// Labels makes the labels that builds write into their own folders.
type Labels struct {
	Template *template.Template
	Now      time.Time // when they are built
	Version  string    // of the program
	Place    *place.Place
	// Packed says that they go into an archive: the same input gives the same bytes, and no
	// project has an identity.
	Packed bool
	// Fresh reports whether a folder is not there yet.
	Fresh func(folder string) bool
	// New reports whether a file is made, by its path: one that was there is not given.
	New func(path string) bool
}

// A Label is what a build writes into its own folder. What that of a new project holds is made
// when it is needed.
type Label struct {
	Folder string // from the place, "." for the place itself
	Build  *Build
	Known  *label.Label // the one that is there; nil for none

	old []byte // what that holds
	id  string
	of  *Labels
}

// Of returns the label of a build. The error says, for a person, why the one that is there
// cannot be read.
func (s *Labels) Of(r *Build) (*Label, error) {
	l := &Label{Folder: r.Folder(), Build: r, of: s}
	if s.Packed || s.Fresh(l.Folder) {
		return l, nil
	}
	return l, l.read()
}

// Open returns what the label is to hold.
func (l *Label) Open() (io.ReadCloser, error) {
	data, err := l.data()
	return io.NopCloser(bytes.NewReader(data)), err
}

// Source names the label in messages.
func (l *Label) Source() string { return "the label" }

// data is what the label is to hold; nil where it holds that already.
func (l *Label) data() ([]byte, error) {
	if l.Known != nil && l.Build.Stands {
		return nil, nil
	}
	next := &label.Label{ID: l.Identity(), Build: *label.NewBuild(l.of.Template, l.Build.Values, l.of.Now, l.of.Version)}
	if l.of.Place != nil && !l.of.Packed {
		next.Laid(l.of.Template, l.of.Place.Real.Join(l.Folder))
	}
	given, err := l.given()
	if err != nil {
		return nil, err
	}
	next.Given = given
	if l.Known != nil {
		if l.Known.Format == label.Format && l.Known.Same(&next.Build) {
			return nil, nil
		}
		next = l.Known.Rebuilt(next)
	}
	return next.Encode()
}

// given are the files that the build gives its project, with their checksums.
func (l *Label) given() (map[string]string, error) {
	_, own := l.Build.Template.Own(l.Build.Root)
	sums, err := journal.Sums(own)
	if !l.of.Packed && !l.of.Fresh(l.Folder) {
		maps.DeleteFunc(sums, func(at, _ string) bool { return !l.of.New(path.Join(l.Folder, at)) })
	}
	return sums, err
}

// namedBy are the text fields that the name of the own folder, and of those on the way
// to it, are made of.
func (l *Label) namedBy() (fields []string) {
	t, at := l.Build.Template, l.Build.Root
	for name := range strings.SplitSeq(l.Folder, "/") {
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

// read reads the label that is there.
func (l *Label) read() (err error) {
	if l.Known, l.old, err = project.LabelIn(l.of.Place, l.Folder); errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if l.Known != nil {
		l.id = l.Known.ID
	}
	return err
}

// Identity is what the project is known by. A new one is drawn when it is needed.
func (l *Label) Identity() string {
	if l.id == "" && !l.of.Packed {
		l.id = label.NewID()
	}
	return l.id
}

// file is the path of the label.
func (l *Label) file() string { return path.Join(l.Folder, label.FileName) }

// node is the label as a file of a tree.
func (l *Label) node() *tree.Node {
	return &tree.Node{Name: label.FileName, Kind: tree.File, Content: l}
}

// Labelled returns a tree with labels in the folders at some paths below it; the
// path of the tree itself is empty.
func Labelled(root *tree.Node, at map[string]*Label) *tree.Node {
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
func with(n *tree.Node, l *Label) *tree.Node {
	out := *n
	out.Children = append(slices.Clip(n.Children), l.node())
	return &out
}

// WithLabels puts labels into changes: into the tree of a folder that is made, or as
// changes of their own.
func WithLabels(changes []change.Change, labels []*Label) ([]change.Change, error) {
	made := make(map[string]int, len(changes))
	for i := range changes {
		made[changes[i].Path] = i
	}
	type fresh struct {
		change int
		below  string
		label  *Label
	}
	put := make([]fresh, 0, len(labels)) // most changes get one label, and then no map
	set := &change.Set{Changes: changes}
	for _, l := range labels {
		if i, below, found := within(made, l.Folder); found {
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
			at := map[string]*Label{}
			for _, f := range put[:n] {
				at[f.below] = f.label
			}
			c.Node = Labelled(c.Node, at)
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

// Changed says which values of a project a build changes. Texts that its own name is made of
// cannot be changed: two of them give one name, and are two projects. That is a
// [proposal.Refusal].
func (l *Label) Changed() (changed []string, err error) {
	if l.Known == nil {
		return nil, nil
	}
	named := l.namedBy()
	next := label.NewBuild(l.of.Template, l.Build.Values, l.of.Now, l.of.Version)
	for _, name := range l.of.Template.FieldNames() {
		was, had := l.Known.Values[name]
		is, has := next.Values[name]
		if !had || !has || fmt.Sprint(was) == fmt.Sprint(is) {
			continue
		}
		if slices.Contains(named, name) {
			return nil, proposal.Refused("write them so that their names differ, or give the field a larger max", "Nothing was built: %s \"%s\" and \"%s\", of the project that is there, give one name: %s", name, is, was, l.Folder)
		}
		changed = append(changed, fmt.Sprintf("%s from %v to %v", name, was, is))
	}
	return changed, nil
}
