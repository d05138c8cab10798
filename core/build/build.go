// Package build plans builds: it compares a wanted tree with what is there, says
// for each folder and file whether it is new, there already, or in somebody's way,
// and returns the changes that make what is new.
package build

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strings"

	"vestibula/core/change"
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
	Alike []Alike
}

// Compare compares the tree below root with a place.
func Compare(root *tree.Node, place tree.Place) (*Plan, error) {
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
	place tree.Place
	plan  *Plan
}

// around are the names in a folder, by how systems compare them, and why nothing can be made
// in it; "" where it can.
func (m *maker) around(path string, items []tree.Entry) (folded map[string]string, denied string) {
	folded = make(map[string]string, len(items))
	for _, it := range items {
		folded[tree.Folded(it.Name)] = it.Name
	}
	if err := m.place.Writable(path); err != nil {
		denied = fmt.Sprintf("you may not make anything in “%s”: ask its owner, or build elsewhere", path)
	}
	return folded, denied
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
	exact := make(map[string]tree.Kind, len(items))
	for _, it := range items {
		exact[it.Name] = it.Kind
	}
	var folded map[string]string // made only where a name is not there exactly
	denied := ""
	indexes := make([]int32, 0, len(n.Children))
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
				folded, denied = m.around(path, items)
			}
			if other, alike := folded[tree.Folded(c.Name)]; alike {
				step.State, step.Why = Blocked, fmt.Sprintf("“%s” is there, spelled with other capitals or accents: rename it, or the line of the template", other)
			} else if denied != "" {
				step.State, step.Why = Blocked, denied
			}
		case c.Kind != kind:
			step.State, step.Why = Blocked, fmt.Sprintf("%s of that name is there, where %s must be: move or rename it", kind.Article(), c.Kind.Article())
		case c.Kind != tree.Folder:
			same, err := same(m.place, at, c.Content)
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
		indexes = append(indexes, index)
		switch {
		case step.State == There && c.Kind == tree.Folder:
			if err := m.there(c, index, at); err != nil {
				return err
			}
		default:
			m.fresh(c, index)
		}
	}
	m.alike(n.Children, items, indexes)
	return nil
}

// fresh plans what lies in a folder that does not exist yet.
func (m *maker) fresh(n *tree.Node, parent int32) {
	if len(n.Children) == 0 {
		return
	}
	indexes := make([]int32, 0, len(n.Children))
	for _, c := range n.Children {
		m.plan.Steps = append(m.plan.Steps, Step{Node: c, Parent: parent})
		index := int32(len(m.plan.Steps) - 1)
		indexes = append(indexes, index)
		m.fresh(c, index)
	}
	m.alike(n.Children, nil, indexes)
}

// same reports whether a file holds what the content says.
func same(place tree.Place, path string, c tree.Content) (bool, error) {
	have, err := place.Open(path)
	if err != nil {
		return false, fmt.Errorf("%s cannot be read: %w", path, err)
	}
	defer have.Close()
	var want io.Reader = bytes.NewReader(nil)
	if c != nil {
		r, err := c.Open()
		if err != nil {
			return false, fmt.Errorf("%s cannot be read: %w", c.Source(), err)
		}
		defer r.Close()
		want = r
	}
	return sameBytes(have, want)
}

func sameBytes(a, b io.Reader) (bool, error) {
	x, y := make([]byte, 32<<10), make([]byte, 32<<10)
	for {
		n, errA := io.ReadFull(a, x)
		m, errB := io.ReadFull(b, y)
		if !bytes.Equal(x[:n], y[:m]) {
			return false, nil
		}
		if errA != nil || errB != nil {
			for _, err := range []error{errA, errB} {
				if err != nil && err != io.EOF && err != io.ErrUnexpectedEOF {
					return false, err
				}
			}
			return true, nil
		}
	}
}

// Changes returns what makes all that is new, in place number in of a set: one
// change for each thing that is new in a folder which is there.
func (p *Plan) Changes(in int) []change.Change {
	top := func(s *Step) bool { return s.State == New && (s.Parent < 0 || p.Steps[s.Parent].State != New) }
	count := 0
	for i := range p.Steps {
		if top(&p.Steps[i]) {
			count++
		}
	}
	list := make([]change.Change, 0, count)
	for i := range p.Steps {
		s := &p.Steps[i]
		if !top(s) {
			continue
		}
		c := change.Change{Op: change.Make, In: in, Path: p.Path(i), Node: s.Node}
		if s.Node.Content != nil {
			c.Why = "from " + s.Node.Content.Source()
		}
		list = append(list, c)
	}
	return list
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
