package change

import (
	"path"
	"slices"

	"vestibula/core/tree"
)

// Invert returns the list that takes a list back.
func Invert(changes []Change) []Change {
	out := make([]Change, 0, len(changes))
	for _, c := range slices.Backward(changes) {
		switch c.Op {
		case Make:
			first := len(out)
			c.Each(func(at string, n *tree.Node) bool {
				r := Change{Op: Remove, In: c.In, Path: at, Was: State{Entry: tree.Entry{Kind: n.Kind}}}
				if n.Kind != tree.Folder {
					r.Was.Sum = sumOf(n, c.Sum)
				}
				out = append(out, r)
				return true
			})
			slices.Reverse(out[first:])
		case Copy:
			if c.Sum == "" {
				continue // it never got its name: see the checksum in the record
			}
			out = append(out, Change{Op: Remove, In: c.In, Path: c.Path, Was: State{Entry: tree.Entry{Kind: tree.File}, Sum: c.Sum}})
		case Move:
			c.In, c.FromIn, c.Path, c.From = c.FromIn, c.In, c.From, c.Path
			out = append(out, c)
		case Replace:
			back := Change{Op: Replace, In: c.In, Path: c.Path, From: c.From, Was: State{Entry: tree.Entry{Kind: c.Was.Kind}, Sum: c.Sum}, Sum: c.Was.Sum, As: Dress{c.Was.Mode, c.Was.Time}}
			if c.HasOld {
				back.Content = tree.Bytes(c.Old)
			}
			out = append(out, back)
		case Remove:
			n := &tree.Node{Name: path.Base(c.Path), Kind: c.Was.Kind}
			if c.HasOld {
				n.Content = tree.Bytes(c.Old)
			}
			out = append(out, Change{Op: Make, In: c.In, Path: c.Path, From: c.From, Node: n, Sum: c.Was.Sum, As: Dress{c.Was.Mode, c.Was.Time}})
		}
	}
	return out
}

// Contents returns what the changes of a list make or write, by checksums.
func Contents(from []Change) map[string]tree.Content {
	known := map[string]tree.Content{}
	for i := range from {
		switch c := &from[i]; {
		case c.Op == Make && c.Node.Content != nil:
			known[c.Sum] = c.Node.Content
		case c.Op == Replace && c.Content != nil:
			known[c.Sum] = c.Content
		}
	}
	return known
}

// WithContents gives the changes of a list that was read back what they make or
// write, as far as that is known by its checksum.
func WithContents(list []Change, known map[string]tree.Content) []Change {
	list = slices.Clone(list)
	for i := range list {
		switch c := &list[i]; {
		case c.Op == Make && c.Node.Kind != tree.Folder && known[c.Sum] != nil:
			c.Node = &tree.Node{Name: c.Node.Name, Kind: c.Node.Kind, Content: known[c.Sum]}
		case c.Op == Replace:
			c.Content = known[c.Sum]
		}
	}
	return list
}

// sumOf returns the checksum of a node: its content's, if that is known, else the
// one of the change.
func sumOf(n *tree.Node, sum string) string {
	if s, ok := n.Content.(Summed); ok {
		return s.Sum()
	}
	return sum
}
