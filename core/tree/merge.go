package tree

// Way marks a folder that was only named on the way to another one, as the
// first one in `Norland/Askel/`. Trees may meet in it.
const Way Marks = 1 << 7

// A Meeting puts trees together, those of several builds into one place. Trees
// meet in folders that both have only on their way.
type Meeting struct {
	Root  *Node
	names map[*Node]map[string]*Node
	from  map[*Node][]int
}

// NewMeeting returns an empty tree.
func NewMeeting() *Meeting {
	return &Meeting{&Node{}, map[*Node]map[string]*Node{}, map[*Node][]int{}}
}

// Add puts a tree in; number is what it is known by. Where one of its names is
// taken by another tree, nothing of it is added, and the name and the number of
// that tree are returned.
func (m *Meeting) Add(root *Node, number int) (taken string, by int, ok bool) {
	if taken, by = m.clash(m.Root, root); taken != "" {
		return taken, by, false
	}
	m.join(m.Root, root, number)
	return "", 0, true
}

func (m *Meeting) clash(into, from *Node) (string, int) {
	for _, c := range from.Children {
		there := m.names[into][c.Name]
		switch {
		case there == nil:
		case there.Marks&c.Marks&Way == 0:
			return c.Name, m.from[there][0]
		default:
			if taken, by := m.clash(there, c); taken != "" {
				return c.Name + "/" + taken, by
			}
		}
	}
	return "", 0
}

func (m *Meeting) join(into, from *Node, number int) {
	names := m.names[into]
	if names == nil {
		names = map[string]*Node{}
		m.names[into] = names
	}
	for _, c := range from.Children {
		if there := names[c.Name]; there != nil {
			m.from[there] = append(m.from[there], number)
			m.join(there, c, number)
			continue
		}
		n := c
		if c.Marks&Way != 0 {
			n = &Node{Name: c.Name, Kind: c.Kind, Line: c.Line, Marks: c.Marks}
			m.join(n, c, number)
		}
		names[n.Name] = n
		m.from[n] = []int{number}
		into.Children = append(into.Children, n)
	}
}

// From returns the numbers of the trees that a node came with: several where
// they met in it, and none below the node where a tree is alone.
func (m *Meeting) From(n *Node) []int { return m.from[n] }
