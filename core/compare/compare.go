// Package compare measures two arrangements of the same things against each
// other: by kind first or by client first, by year or by course.
package compare

import (
	"cmp"
	"slices"
	"strings"

	"vestibula/core/tree"
)

// A Side is one arrangement, measured.
type Side struct {
	tree.Facts
	Widest   string  `json:"widest"`   // the folder that holds most folders
	Width    int     `json:"width"`    // how many these are
	Deepest  string  `json:"deepest"`  // the folder that lies deepest
	Average  float64 `json:"average"`  // clicks from the top to a folder in which nothing lies, on average
	Furthest int     `json:"furthest"` // and to the furthest one
	places   map[string]int
}

// Measure measures a tree. A click opens one folder.
func Measure(root *tree.Node) Side {
	s := Side{Facts: tree.Measure(root), places: map[string]int{}}
	clicks, ends := 0, 0
	var walk func(n *tree.Node, path []string)
	walk = func(n *tree.Node, path []string) {
		folders := 0
		for _, c := range n.Children {
			if c.Kind != tree.Folder {
				continue
			}
			folders++
			s.places[c.Name]++
			below := append(slices.Clip(path), c.Name)
			if len(below) > s.Furthest {
				s.Furthest, s.Deepest = len(below), strings.Join(below, "/")
			}
			walk(c, below)
		}
		if folders > s.Width {
			s.Width, s.Widest = folders, strings.Join(path, "/")
		}
		if folders == 0 && len(path) > 0 {
			clicks += len(path)
			ends++
		}
	}
	walk(root, nil)
	if ends > 0 {
		s.Average = float64(clicks) / float64(ends)
	}
	return s
}

// A Spread says in how many places things of one name lie on each side.
type Spread struct {
	Name   string `json:"name"`
	Places [2]int `json:"places"`
}

// Spreads returns the names that stand on both sides but in different numbers of
// places, the most different first.
func Spreads(a, b Side) []Spread {
	var list []Spread
	for name, n := range a.places {
		if m := b.places[name]; m > 0 && m != n {
			list = append(list, Spread{name, [2]int{n, m}})
		}
	}
	difference := func(s Spread) int { return max(s.Places[0]-s.Places[1], s.Places[1]-s.Places[0]) }
	slices.SortFunc(list, func(x, y Spread) int {
		return cmp.Or(cmp.Compare(difference(y), difference(x)), strings.Compare(x.Name, y.Name))
	})
	return list
}

// A Fate says what becomes of a folder or file on the other side.
type Fate uint8

// The fates.
const (
	Stays Fate = iota // it has the same path there
	Moves             // it lies there as well, elsewhere: under the same names in another order
	Alone             // it is not there
)

// String returns the word for the fate.
func (f Fate) String() string { return [...]string{"stays", "moves", "alone"}[f] }

// Fates returns what becomes of each node of a on the side of b. Things are the
// same if their paths are made of the same names, in whatever order.
func Fates(a, b *tree.Node) map[*tree.Node]Fate {
	paths, things := map[string]bool{}, map[string]bool{}
	for path := range b.All() {
		paths[path] = true
		things[thing(path)] = true
	}
	fates := map[*tree.Node]Fate{}
	for path, n := range a.All() {
		switch {
		case paths[path]:
			fates[n] = Stays
		case things[thing(path)]:
			fates[n] = Moves
		default:
			fates[n] = Alone
		}
	}
	return fates
}

// thing is the names of a path in an order of their own.
func thing(path string) string {
	names := strings.Split(path, "/")
	slices.Sort(names)
	return strings.Join(names, "/")
}
