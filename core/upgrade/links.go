package upgrade

import (
	"path"
	"slices"
	"strings"

	"vestibula/core/match"
	"vestibula/core/tree"
)

// links knows where the links of a project are to lead: to what the template says, as
// that is called on the disk.
type links struct {
	paths map[*tree.Node]string // of all that is wanted, from the own folder
	nodes map[string]*tree.Node // the same the other way round
	real  map[*tree.Node]func(chosen func(*match.Thing) bool) string
}

// linksOf prepares for the links in a wanted tree; it is nil where there are none.
func linksOf(own *tree.Node) *links {
	if !hasLink(own) {
		return nil
	}
	l := &links{map[*tree.Node]string{}, map[string]*tree.Node{}, map[*tree.Node]func(func(*match.Thing) bool) string{}}
	for at, n := range own.All() {
		p := strings.Clone(at)
		l.paths[n], l.nodes[p] = p, n
	}
	return l
}

func hasLink(n *tree.Node) bool {
	return slices.ContainsFunc(n.Children, func(c *tree.Node) bool { return c.Kind == tree.Symlink || hasLink(c) })
}

// lies notes where a wanted thing is, or will be made, with all that is made in it.
func (l *links) lies(n *tree.Node, at func(chosen func(*match.Thing) bool) string, made bool) {
	if l == nil {
		return
	}
	l.real[n] = at
	if !made {
		return
	}
	for _, c := range n.Children {
		l.lies(c, func(chosen func(*match.Thing) bool) string { return path.Join(at(chosen), c.Name) }, true)
	}
}

// leads returns what a wanted link is to lead to, when the chosen things are done.
func (l *links) leads(n *tree.Node, chosen func(*match.Thing) bool) tree.Content {
	target, is := n.Content.(tree.Target)
	if !is || path.IsAbs(string(target)) {
		return n.Content
	}
	to := l.nodes[path.Join(path.Dir(l.paths[n]), string(target))]
	if to == nil || l.real[to] == nil || l.real[n] == nil {
		return n.Content
	}
	return tree.Target(tree.Relative(path.Dir(l.real[n](chosen)), l.real[to](chosen)))
}

// made returns a node that is to be made, its links leading to what is there.
func (l *links) made(n *tree.Node, chosen func(*match.Thing) bool) *tree.Node {
	switch {
	case l == nil:
		return n
	case n.Kind == tree.Symlink:
		m := *n
		m.Content = l.leads(n, chosen)
		return &m
	case n.Kind != tree.Folder || len(n.Children) == 0:
		return n
	}
	m := *n
	m.Children = make([]*tree.Node, len(n.Children))
	for i, c := range n.Children {
		m.Children[i] = l.made(c, chosen)
	}
	return &m
}
