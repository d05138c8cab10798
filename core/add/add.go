// Package add plans a folder that a template keeps for later, when its time has come: which
// folders wait, what their names need, and what is made for one of them.
package add

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"slices"
	"strings"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
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
				if _, err := os.Lstat(string(base.Join(to))); err != nil {
					j.List = append(j.List, Waiting{to, here, j.lacking(n)})
				}
			}
			walk(here, to, below)
		}
	}
	walk([]*tree.Node{j.Tree.Root}, "", 0)
	return nil
}

// lacking are the fields that the name of a node needs and that nothing is known of.
func (j *Job) lacking(n *tree.Node) (fields []string) {
	if n.Marks&tree.Open == 0 {
		return nil
	}
	for _, slot := range j.Slots(n) {
		if v := j.Values[slot]; !v.Given() && !slices.Contains(fields, slot) {
			fields = append(fields, slot)
		}
	}
	return fields
}

// Slots are the fields that the name of a node is made of, those that they are made
// from in their place.
func (j *Job) Slots(n *tree.Node) (fields []string) {
	t := j.Project.Template
	line := t.LineOf(n)
	if line == nil {
		return nil
	}
	for _, name := range line.Names {
		for _, slot := range name.Pattern.Slots() {
			if f := t.Field(slot); f != nil {
				for _, g := range t.Ingredients(f) {
					fields = append(fields, g.Name)
				}
			}
		}
	}
	return fields
}

// Listed is the path of a folder as it stands in the list of those that wait: with the slots
// of its name, where their values may be any.
func (j *Job) Listed(w *Waiting) string {
	line := j.Project.Template.LineOf(w.Node())
	if w.Node().Marks&tree.Open == 0 && len(j.Slots(w.Node())) == 0 || line == nil || len(line.Names) == 0 {
		return w.Path
	}
	return path.Join(path.Dir(w.Path), line.Names[len(line.Names)-1].Pattern.Source)
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
func (j *Job) Outside(w *Waiting) (errs []*template.ValueError) {
	for _, name := range j.Given {
		f := j.Project.Template.Field(name)
		longer := j.Values[f.Within]
		if covers, known := longer.Covers(j.Values[name]); known && !covers {
			errs = append(errs, &template.ValueError{Field: name, Message: fmt.Sprintf("%s does not lie in the %s %s", j.Values[name], f.Within, longer)})
		}
	}
	return errs
}

// Branch returns a tree with only the way to a folder, as it is on the disk, and what
// is to be made in that folder.
func Branch(w *Waiting) *tree.Node {
	opened := *w.Node().Built()
	opened.Marks &^= tree.Later
	names := strings.Split(w.Path, "/")
	out := &opened
	for i := len(names) - 1; i >= 0; i-- {
		n := *w.way[i+1]
		if i == len(names)-1 {
			n = opened
		} else {
			n.Children = []*tree.Node{out}
		}
		n.Name = names[i]
		out = &n
	}
	return &tree.Node{Children: []*tree.Node{out}}
}

// Remember adds to a set what the label notes of what is made: lists that were empty until now,
// and what new files hold. Root is the tree of what is made, and version that of the program.
func (j *Job) Remember(set *change.Set, root *tree.Node, version string) error {
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
	next.Text = l.Text
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
