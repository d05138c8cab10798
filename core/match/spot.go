package match

import (
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A spot is a real folder: its path, and the one that it will have when everything
// stands under its right name.
type spot struct {
	node *tree.Node
	path string
	in   *Thing
	to   string
}

// target is the path that it will have.
func (s spot) target(chosen func(*Thing) bool) string {
	return (&Thing{in: s.in, to: s.to}).Target(chosen)
}

func (s spot) below(n *tree.Node) spot {
	below := spot{n, n.Name, s.in, n.Name}
	if s.path != "" {
		below.path = s.path + "/" + n.Name
	}
	switch {
	case s.to == s.path:
		below.to = below.path
	case s.to != "":
		below.to = s.to + "/" + n.Name
	}
	return below
}

// A frame is a folder on the way, with the values that its name shows, once somebody
// asks.
type frame struct {
	want, real *tree.Node
	read       bool
	values     []binding
}

type binding struct {
	slot  string
	value value.Value
	part  bool // only its initials
}
