// Package plan compares a wanted tree with what is there: it says, for each
// folder and file, whether it is new, there already, or in somebody's way. A
// plan is complete before anything is changed.
package plan

import (
	"fmt"
	"slices"
	"strings"

	"vestibula/core/tree"
)

// A State says what is to be done with one folder or file.
type State uint8

// The states of a step.
const (
	New     State = iota // it will be made
	There                // it is there, as it would be made
	Kept                 // a file of that name is there with other contents; it stays
	Blocked              // something is in the way
)

// String returns the word for the state.
func (s State) String() string { return [...]string{"new", "there", "kept", "blocked"}[s] }

// A Step is one folder or file of the wanted tree.
type Step struct {
	Node   *tree.Node
	Parent int32 // the step of the folder it lies in, or -1
	State  State
	Why    string // of a blocked step: what is in the way and what to do
}

// A Plan is what a build will do. A folder's step stands before the steps of
// what lies in it.
type Plan struct {
	Steps []Step
	Count [Blocked + 1]int // of the steps, by state
}

// An Item is an entry of a folder on a disk.
type Item struct {
	Name string
	Kind ItemKind
}

// An ItemKind says what an entry of a folder is.
type ItemKind uint8

// The kinds of items.
const (
	Folder ItemKind = iota
	File
	Link
	Other
)

// String returns the word for the kind, with its article.
func (k ItemKind) String() string {
	return [...]string{"a folder", "a file", "a link to somewhere else", "no ordinary file"}[k]
}

// A Place is where a tree is to be built. Paths are relative to it, with
// slashes; the place itself is ".".
type Place interface {
	// List returns the entries of a folder.
	List(path string) ([]Item, error)
	// Same reports whether a file holds what the content says.
	Same(path string, c tree.Content) (bool, error)
	// Writable returns an error where nothing can be made in a folder.
	Writable(path string) error
}

// Make compares the tree below root with a place.
func Make(root *tree.Node, place Place) (*Plan, error) {
	m := &maker{place: place, plan: &Plan{Steps: make([]Step, 0, root.Count())}}
	if err := m.there(root, -1, "."); err != nil {
		return nil, err
	}
	for _, s := range m.plan.Steps {
		m.plan.Count[s.State]++
	}
	return m.plan, nil
}

type maker struct {
	place Place
	plan  *Plan
}

// there plans what lies in a folder that exists.
func (m *maker) there(n *tree.Node, parent int32, path string) error {
	if len(n.Children) == 0 {
		return nil
	}
	items, err := m.place.List(path)
	if err != nil {
		return fmt.Errorf("%s cannot be read: %w", path, err)
	}
	exact := make(map[string]ItemKind, len(items))
	for _, it := range items {
		exact[it.Name] = it.Kind
	}
	var folded map[string]string // made only where a name is not there exactly
	denied := ""
	for _, c := range n.Children {
		step := Step{Node: c, Parent: parent}
		at := c.Name
		if path != "." {
			at = path + "/" + c.Name
		}
		kind, found := exact[c.Name]
		switch {
		case !found:
			if folded == nil {
				folded = make(map[string]string, len(items))
				for _, it := range items {
					folded[tree.Folded(it.Name)] = it.Name
				}
				if err := m.place.Writable(path); err != nil {
					denied = fmt.Sprintf("you may not make anything in “%s”: ask its owner, or build elsewhere", path)
				}
			}
			if other, alike := folded[tree.Folded(c.Name)]; alike {
				step.State, step.Why = Blocked, fmt.Sprintf("“%s” is there, spelled with other capitals or accents: rename it, or the line of the template", other)
			} else if denied != "" {
				step.State, step.Why = Blocked, denied
			}
		case c.Kind == tree.Folder && kind != Folder:
			step.State, step.Why = Blocked, fmt.Sprintf("%s of that name is there, where a folder must be: move or rename it", kind)
		case c.Kind == tree.File && kind != File:
			step.State, step.Why = Blocked, fmt.Sprintf("%s of that name is there, where a file must be: move or rename it", kind)
		case c.Kind == tree.File:
			same, err := m.place.Same(at, c.Content)
			if err != nil {
				return err
			}
			if step.State = There; !same {
				step.State = Kept
			}
		default:
			step.State = There
		}
		m.plan.Steps = append(m.plan.Steps, step)
		index := int32(len(m.plan.Steps) - 1)
		switch {
		case step.State == There && c.Kind == tree.Folder:
			if err := m.there(c, index, at); err != nil {
				return err
			}
		default:
			m.fresh(c, index)
		}
	}
	return nil
}

// fresh plans what lies in a folder that does not exist yet.
func (m *maker) fresh(n *tree.Node, parent int32) {
	for _, c := range n.Children {
		m.plan.Steps = append(m.plan.Steps, Step{Node: c, Parent: parent})
		m.fresh(c, int32(len(m.plan.Steps)-1))
	}
}

// Path returns the path of a step from the place of the build.
func (p *Plan) Path(i int) string {
	var names []string
	for at := int32(i); at >= 0; at = p.Steps[at].Parent {
		names = append(names, p.Steps[at].Node.Name)
	}
	slices.Reverse(names)
	return strings.Join(names, "/")
}

// Made counts the folders and the files that the plan will make.
func (p *Plan) Made() (folders, files int) {
	for _, s := range p.Steps {
		switch {
		case s.State != New:
		case s.Node.Kind == tree.Folder:
			folders++
		default:
			files++
		}
	}
	return folders, files
}
