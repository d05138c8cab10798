package build

import (
	"slices"
	"unicode/utf8"

	"vestibula/core/lookalike"
	"vestibula/core/tree"
)

// An Alike is something new that will look like its neighbour although it is written with
// another character: hardly ever on purpose.
type Alike struct {
	Path   string // of what is new
	Other  string // the name of the neighbour, which is there or new as well
	Letter rune   // the character, in one of the two names
}

// alike notes which new things of a folder look like what is there, or like each other.
// Indexes say which step each child is.
func (m *maker) alike(children []*tree.Node, items []tree.Entry, indexes []int32) {
	other := func(name string) bool {
		return slices.ContainsFunc([]byte(name), func(b byte) bool { return b >= utf8.RuneSelf })
	}
	if !slices.ContainsFunc(children, func(n *tree.Node) bool { return other(n.Name) }) &&
		!slices.ContainsFunc(items, func(e tree.Entry) bool { return other(e.Name) }) {
		return // what every keyboard has is told apart by those who wrote it
	}
	names := map[string][]string{} // by what they look like
	for _, e := range items {
		look := lookalike.Look(e.Name)
		names[look] = append(names[look], e.Name)
	}
	for i, n := range children {
		look := lookalike.Look(n.Name)
		if m.plan.Steps[indexes[i]].State == New {
			for _, name := range names[look] {
				if tree.Folded(name) == tree.Folded(n.Name) || !lookalike.Alike(n.Name, name) {
					continue
				}
				letter := lookalike.Other(n.Name, name)
				if letter == 0 {
					letter = lookalike.Other(name, n.Name)
				}
				m.plan.Alike = append(m.plan.Alike, Alike{Path: m.plan.Path(int(indexes[i])), Other: name, Letter: letter})
				break
			}
		}
		names[look] = append(names[look], n.Name)
	}
}
