package tree

import (
	"path"
	"slices"
	"strings"
)

// A Grower makes a tree of paths, with the folders on the way.
type Grower struct {
	Root    *Node
	folders map[string]*Node
}

// NewGrower returns one with an empty tree.
func NewGrower() *Grower {
	root := &Node{}
	return &Grower{root, map[string]*Node{"": root, ".": root}}
}

// Folder returns the folder at a clean path, which is made where it is not there.
func (g *Grower) Folder(at string) *Node {
	n := g.folders[at]
	if n == nil {
		n = &Node{Name: path.Base(at)}
		g.Put(at, n)
	}
	return n
}

// Folders is how many there are, the top among them.
func (g *Grower) Folders() int { return len(g.folders) - 1 }

// Put puts something at a clean path.
func (g *Grower) Put(at string, n *Node) {
	up := g.Folder(path.Dir(at))
	up.Children = append(up.Children, n)
	if n.Kind == Folder {
		g.folders[at] = n
	}
}

// Sort puts all that lies in a folder into the order of the bytes of its names, and returns it.
func (n *Node) Sort() *Node {
	slices.SortFunc(n.Children, func(a, b *Node) int { return strings.Compare(a.Name, b.Name) })
	for _, c := range n.Children {
		c.Sort()
	}
	return n
}
