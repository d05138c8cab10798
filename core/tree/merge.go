package tree

import "slices"

// Way marks a folder that was only named on the way to another one, as the
// first one in `Norland/Askel/`. Trees may meet in it.
const Way Marks = 1 << 7

// Step marks a folder that holds nothing but one folder that a value names, as a
// country does that holds a town. Trees of different rows may meet in it as well.
const Step Marks = 1 << 4

// Shared marks what lies above or beside a project's own folder, so that it belongs to all
// that are built there.
const Shared Marks = 1 << 11

// Meets reports whether trees may meet in a node.
func (n *Node) Meets() bool {
	return n.Marks&(Way|Step) != 0 && len(n.Children) > 0 || n.Marks&Shared != 0
}

// Share marks what lies above and beside the node that is marked [Own], if there is one.
func (n *Node) Share() {
	if n.owns() {
		n.share()
	}
}

func (n *Node) owns() bool {
	return slices.ContainsFunc(n.Children, func(c *Node) bool { return c.Marks&Own != 0 || c.owns() })
}

func (n *Node) share() {
	for _, c := range n.Children {
		if c.Marks&Own == 0 {
			c.Marks |= Shared
			c.share()
		}
	}
}

// A Meeting puts trees together, those of several builds into one place. Trees
// meet in folders that both have only on their way, and in what is shared: see
// [Node.Meets]. Of a file that several have, the first stays.
type Meeting struct {
	Root  *Node
	names map[*Node]map[string]*Node // by their folded names
	from  map[*Node][]int
}

// A Clash says why a tree cannot be put in: a name of it is taken by another
// tree, or differs from one of that tree only as some systems do not see.
type Clash struct {
	Path  string // of the name
	There string // the name that is there
	By    int    // the number of that tree
}

// NewMeeting returns an empty tree, with room for so many others.
func NewMeeting(room int) *Meeting {
	root := &Node{Children: make([]*Node, 0, room)}
	return &Meeting{root, map[*Node]map[string]*Node{root: make(map[string]*Node, room)}, make(map[*Node][]int, room)}
}

// Add puts a tree in; number is what it is known by. Where there is a clash,
// nothing of it is added.
func (m *Meeting) Add(root *Node, number int) *Clash {
	if c := m.clash(m.Root, root); c != nil {
		return c
	}
	m.join(m.Root, root, number)
	return nil
}

func (m *Meeting) clash(into, from *Node) *Clash {
	names := m.names[into]
	if names == nil {
		return nil
	}
	for _, c := range from.Children {
		there := names[Folded(c.Name)]
		switch {
		case there == nil:
		case !there.Meets() || !c.Meets() || there.Name != c.Name || there.Kind != c.Kind:
			return &Clash{c.Name, there.Name, m.from[there][0]}
		default:
			if clash := m.clash(there, c); clash != nil {
				clash.Path = c.Name + "/" + clash.Path
				return clash
			}
		}
	}
	return nil
}

func (m *Meeting) join(into, from *Node, number int) {
	names := m.names[into]
	if names == nil {
		names = map[string]*Node{}
		m.names[into] = names
	}
	for _, c := range from.Children {
		folded := Folded(c.Name)
		if there := names[folded]; there != nil {
			m.from[there] = append(m.from[there], number)
			m.join(there, c, number)
			continue
		}
		n := c
		if c.Meets() {
			n = &Node{Name: c.Name, Kind: c.Kind, From: c.From, Nth: c.Nth, Marks: c.Marks, Content: c.Content}
			m.join(n, c, number)
		}
		names[folded] = n
		m.from[n] = []int{number}
		into.Children = append(into.Children, n)
	}
}

// From returns the numbers of the trees that a node came with: several where
// they met in it, and none below the node where a tree is alone.
func (m *Meeting) From(n *Node) []int { return m.from[n] }
