package tree

import (
	"path"
	"slices"
)

// Linkless marks a real folder in which nothing can be a link: its store knows none.
const Linkless = 1 << 11

// WithoutLinks is a tree without the links in it: itself, where there are none. Left are the paths of
// those that were taken out, from at.
func WithoutLinks(n *Node, at string) (without *Node, left []string) {
	var children []*Node
	for i, child := range n.Children {
		below := path.Join(at, child.Name)
		kept := child
		if child.Kind == Symlink {
			kept, left = nil, append(left, below)
		} else if len(child.Children) > 0 {
			var deeper []string
			kept, deeper = WithoutLinks(child, below)
			left = append(left, deeper...)
		}
		if kept != child && children == nil {
			children = append(make([]*Node, 0, len(n.Children)), n.Children[:i]...)
		}
		if kept != nil && children != nil {
			children = append(children, kept)
		}
	}
	if children == nil {
		return n, nil
	}
	out := *n
	out.Children = slices.Clip(children)
	return &out, left
}
