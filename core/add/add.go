// Package add plans a folder that a template keeps for later, when its time has come: which
// folders wait, what their names need, and what is made for one of them.
package add

import (
	"errors"
	"fmt"
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

// A Waiting folder is one that a template keeps for later.
type Waiting struct {
	Path  string // from the folder that the project was built into, as it is on the disk
	way   []*tree.Node
	Lacks []string // fields that its name needs and that are not known
}

// Node is what the template makes there.
func (w *Waiting) Node() *tree.Node { return w.way[len(w.way)-1] }

// Name is what it is called.
func (w *Waiting) Name() string { return path.Base(w.Path) }

// A Job is what is known of a project in which a folder is to be made.
type Job struct {
	Project *project.Project
	Values  template.Values     // those of the project and those that were given
	Given   []string            // the names of the latter
	Tree    *template.Expansion // what the template makes of them
	List    []Waiting           // the folders that wait
	There   []Waiting           // those that are there already
}

// Find finds the folders that wait, and all that lies on the way to them. The error is that of
// the template.
func (j *Job) Find() error {
	p := j.Project
	var err error
	if j.Tree, err = p.Template.Tree(j.Values, template.DefaultLimit); err != nil {
		return err
	}
	base := p.Base(j.Tree.Root)
	wanted, real := p.Names(j.Tree.Root)
	known := map[string]bool{}
	var walk func(way []*tree.Node, at string, own int)
	walk = func(way []*tree.Node, at string, own int) {
		for _, n := range way[len(way)-1].Children {
			name, below := n.Name, -1
			if own >= 0 && own < len(wanted) && n.Name == wanted[own] {
				name, below = real[own], own+1 // the project may have been renamed since
			}
			here, to := append(slices.Clip(way), n), path.Join(at, name)
			if n.Marks&tree.Later != 0 && n.Marks&tree.Way == 0 && !known[to] {
				known[to] = true
				w := Waiting{to, here, j.lacking(here)}
				if _, err := place.Lstat(string(base.Join(to))); err != nil {
					j.List = append(j.List, w)
				} else {
					j.There = append(j.There, w)
				}
			}
			walk(here, to, below)
		}
	}
	walk([]*tree.Node{j.Tree.Root}, "", 0)
	return nil
}

// lacking are the fields that names on the way to a node need, its own among them, and that
// nothing is known of.
func (j *Job) lacking(way []*tree.Node) (fields []string) {
	for _, n := range way {
		if n.Marks&tree.Open == 0 {
			continue
		}
		for _, slot := range j.slotsOf(n, int(n.Nth)) {
			if v := j.Values[slot]; !v.Given() && !slices.Contains(fields, slot) {
				fields = append(fields, slot)
			}
		}
	}
	return fields
}

// Defaults fills in what fields that only lines for later use say if nobody says more: it holds
// for this call, and is no value of the project.
func (j *Job) Defaults(now time.Time) {
	for _, f := range j.Project.Template.Fields {
		if _, known := j.Values[f.Name]; !known && f.Default != nil && !f.Optional && !f.Made() {
			if v, err := f.Parse(*f.Default, now); err == nil {
				j.Values[f.Name] = v
			}
		}
	}
}

// Slots are the fields that the name of a node is made of, those that they are made
// from in their place.
func (j *Job) Slots(n *tree.Node) (fields []string) {
	line := j.Project.Template.LineOf(n)
	if line == nil {
		return nil
	}
	for i := range line.Names {
		fields = append(fields, j.slotsOf(n, i)...)
	}
	return fields
}

// slotsOf are the fields that one name of a node's line is made of.
func (j *Job) slotsOf(n *tree.Node, nth int) (fields []string) {
	t := j.Project.Template
	line := t.LineOf(n)
	if line == nil || nth >= len(line.Names) {
		return nil
	}
	for _, slot := range line.Names[nth].Pattern.Slots() {
		if f := t.Field(slot); f != nil {
			for _, g := range t.Ingredients(f) {
				fields = append(fields, g.Name)
			}
		}
	}
	return fields
}

// Listed is the path of a folder from the project, as it stands in the list of those that wait: with
// the slots of its names, where their values may be any.
func (j *Job) Listed(w *Waiting) string {
	names := strings.Split(w.Path, "/")
	for i := range names {
		n := w.way[i+1]
		if line := j.Project.Template.LineOf(n); line != nil && n.Marks&tree.Later != 0 && int(n.Nth) < len(line.Names) && !line.Names[n.Nth].Constant() && len(j.slotsOf(n, int(n.Nth))) > 0 {
			names[i] = line.Names[n.Nth].Pattern.Source
		}
	}
	_, real := j.Project.Names(j.Tree.Root)
	return strings.Join(names[min(len(real), len(names)-1):], "/")
}

// Read returns the values that a path says whose names are those of a folder that waits, with
// values where its names have slots; false where they are not its names. From is the path from
// the project's own folder, in the form of [Job.Listed].
func (j *Job) Read(w *Waiting, from string) (template.Values, bool) {
	listed, names := strings.Split(j.Listed(w), "/"), strings.Split(from, "/")
	if len(listed) != len(names) {
		return nil, false
	}
	values := template.Values{}
	for i, n := range w.way[len(w.way)-len(names):] {
		if names[i] == listed[i] {
			continue
		}
		line := j.Project.Template.LineOf(n)
		if line == nil || n.Marks&tree.Later == 0 || int(n.Nth) >= len(line.Names) {
			return nil, false
		}
		name := line.Names[n.Nth]
		r := name.Reader()
		read := make([]value.Value, len(r.Fields()))
		if r.Read(names[i], read) != nil {
			return nil, false
		}
		for k, slot := range r.Fields() {
			if known := j.Values[slot]; known.Given() && !name.Agrees(slot, read[k], known) || values[slot].Given() && !values[slot].Equal(read[k]) {
				return nil, false
			} else if f := j.Project.Template.Field(slot); f != nil && !f.Made() && !known.Given() && read[k].Kind == f.Type.Kind && !name.Partly(slot) {
				values[slot] = read[k]
			}
		}
	}
	return values, len(values) > 0
}

// KeepBelow keeps what waits below a folder of the project.
func (j *Job) KeepBelow(folder string) {
	if folder == "" || folder == "." {
		return
	}
	_, real := j.Project.Names(j.Tree.Root)
	below := path.Join(path.Join(real...), folder) + "/"
	j.List = slices.DeleteFunc(j.List, func(w Waiting) bool { return !strings.HasPrefix(w.Path, below) })
}

// Outside says which values do not lie in what they must.
func (j *Job) Outside() (errs []*template.ValueError) {
	for _, name := range j.Given {
		f := j.Project.Template.Field(name)
		longer := j.Values[f.Within]
		if covers, known := longer.Covers(j.Values[name]); known && !covers {
			errs = append(errs, &template.ValueError{Field: name, Message: fmt.Sprintf("%s does not lie in the %s %s", j.Values[name], f.Within, longer)})
		}
	}
	return errs
}

// Branch returns a tree with only the ways to some folders, as they are on the disk, and what
// is to be made in these.
func Branch(list []*Waiting) *tree.Node {
	root := &tree.Node{}
	for _, w := range list {
		at := root
		names := strings.Split(w.Path, "/")
		for i, name := range names {
			n := *w.way[i+1]
			if n.Children = nil; i == len(names)-1 {
				n = *w.Node().Built()
				n.Marks &^= tree.Later
			}
			n.Name = name
			next := at.Child(name)
			if next == nil {
				next = &n
				at.Children = append(at.Children, next)
			}
			at = next
		}
	}
	return root
}

// Remember adds to a set what the label notes of what is made: lists that were empty until now,
// and what new files hold. Root is the tree of what is made, isNew says which files were not there,
// and version is that of the program.
func (j *Job) Remember(set *change.Set, root *tree.Node, isNew func(path string) bool, version string) error {
	l := *j.Project.Label
	values := template.Values{}
	for name, v := range j.Project.Values {
		values[name] = v
	}
	for _, name := range j.Given {
		if j.Values[name].Kind == value.List {
			values[name] = j.Values[name]
		}
	}
	next := label.NewBuild(j.Project.Template, values, l.Built, version)
	next.Text, next.Lay = l.Text, l.Lay
	given := map[string]string{}
	for at, sum := range l.Given {
		given[at] = sum
	}
	_, real := j.Project.Names(j.Tree.Root)
	own := strings.Join(real, "/")
	sums, err := journal.Sums(root)
	if err != nil {
		return err
	}
	for at, sum := range sums {
		if !isNew(at) {
			continue
		}
		if below, inside := strings.CutPrefix(at, own+"/"); inside || own == "" {
			given[below] = sum
		}
	}
	if len(given) == len(l.Given) && l.SameValues(next) {
		return nil
	}
	err = project.Relabel(set, j.Project.Dir, func(now *label.Label) error {
		if !now.Same(&l.Build) || !maps.Equal(now.Given, l.Given) {
			return proposal.Refused("nothing was changed: do it again", "the label of %s was changed meanwhile.", j.Project.Dir.Name())
		}
		now.Build, now.Given = *next, given
		return nil
	})
	if errors.Is(err, fs.ErrNotExist) {
		return nil // it went meanwhile, and nothing depends on it
	}
	return err
}
