package standing

import (
	"path"
	"slices"
	"strings"

	"vestibula/core/change"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A Maker makes the folders that files belong in and that are not there yet.
type Maker struct {
	Made []Made

	limit int
	made  map[folder]*tree.Node
}

// A Made folder is one that a [Maker] makes, by a change whose path is from the own folder.
type Made struct {
	Project *Project
	Change  change.Change
}

// A folder is one of a project, by its path from the own folder.
type folder struct {
	project *Project
	path    string
}

// NewMaker returns a maker. Limit is how many things a template may make.
func NewMaker(limit int) *Maker {
	return &Maker{limit: limit, made: map[folder]*tree.Node{}}
}

// Folder returns what makes a folder of a project, by its path from the own folder, with those on
// the way and all that the template has in them; without changes where it is there.
func Folder(l *project.Layout, dir string, values template.Values, limit int) ([]change.Change, error) {
	m := NewMaker(limit)
	err := m.Folder(&Project{Layout: l}, dir, values)
	changes := make([]change.Change, len(m.Made))
	for i := range m.Made {
		changes[i] = m.Made[i].Change
	}
	return changes, err
}

// Folder sees to it that a folder of a project is there, with what the template has in
// it.
func (m *Maker) Folder(p *Project, dir string, values template.Values) error {
	if dir == "" || dir == "." || m.made[folder{p, dir}] != nil || real(p.Root, dir) {
		return nil
	}
	up := path.Dir(dir)
	if err := m.Folder(p, up, values); err != nil {
		return err
	}
	n, err := m.wanted(p, dir, values)
	if err != nil {
		return err
	}
	m.made[folder{p, dir}] = n
	if parent := m.made[folder{p, up}]; parent != nil {
		for i, c := range parent.Children {
			if c.Name == n.Name {
				// The template makes it with the folder around it.
				m.made[folder{p, dir}] = parent.Children[i]
				return nil
			}
		}
		parent.Children = append(parent.Children, n)
		return nil
	}
	m.Made = append(m.Made, Made{p, change.Change{Op: change.Make, Path: dir, Node: n, Why: "the first file that belongs there comes"}})
	return nil
}

// wanted is what the template makes at a path, for values.
func (m *Maker) wanted(p *Project, dir string, values template.Values) (*tree.Node, error) {
	own := p.Values.Clone()
	for name, v := range values {
		if f := p.Template.Field(name); f != nil && !f.Made() {
			own[name] = v
		}
	}
	x, err := p.Template.Tree(own, max(m.limit, 10*p.Root.Count()))
	if err != nil {
		return nil, err
	}
	_, at := p.Template.Own(x.Root)
	for name := range strings.SplitSeq(dir, "/") {
		i := slices.IndexFunc(at.Children, func(c *tree.Node) bool { return c.Kind == tree.Folder && c.Name == name })
		if i < 0 {
			return &tree.Node{Name: path.Base(dir)}, nil // called otherwise on the disk
		}
		at = at.Children[i]
	}
	n := *at.Built()
	n.Marks = 0
	n.Children = slices.Clone(n.Children)
	return &n, nil
}

func real(root *tree.Node, dir string) bool {
	at := root.At(dir)
	return at != nil && at.Kind == tree.Folder
}
