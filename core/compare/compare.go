// Package compare measures two arrangements of the same things against each
// other: by kind first or by client first, by year or by course.
package compare

import (
	"cmp"
	"path"
	"slices"
	"strings"
	"sync"

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
	var walk func(n *tree.Node, at []string)
	walk = func(n *tree.Node, at []string) {
		folders := 0
		for _, c := range n.Children {
			if c.Kind != tree.Folder {
				continue
			}
			folders++
			s.places[c.Name]++
			below := append(slices.Clip(at), c.Name)
			if len(below) > s.Furthest {
				s.Furthest, s.Deepest = len(below), strings.Join(below, "/")
			}
			walk(c, below)
		}
		if folders > s.Width {
			s.Width, s.Widest = folders, strings.Join(at, "/")
		}
		if folders == 0 && len(at) > 0 {
			clicks += len(at)
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
	Other             // it is there, in the same place, under another name
)

// String returns the word for the fate.
func (f Fate) String() string { return [...]string{"stays", "moves", "alone", "renamed"}[f] }

// Fates returns what becomes of each node of two trees on the other side. Things are the same if their
// paths are made of the same names, in whatever order; what differences call renamed has one name here.
func Fates(a, b *tree.Node, list []Difference) (fates [2]map[*tree.Node]Fate) {
	called := map[*tree.Node]string{}
	for _, d := range list {
		if d.What == Renamed {
			if n := b.At(d.Other); n != nil {
				called[n] = path.Base(d.Path)
			}
		}
	}
	all := [2]map[*tree.Node]string{pathsOf(a, called), pathsOf(b, called)}
	for side := range all {
		paths := map[string]bool{}
		for _, at := range all[1-side] {
			paths[at] = true
		}
		things := sync.OnceValue(func() map[string]bool { // where all has its path there, nobody asks for them
			things := map[string]bool{}
			for at := range paths {
				things[thing(at)] = true
			}
			return things
		})
		fates[side] = map[*tree.Node]Fate{}
		for n, at := range all[side] {
			switch {
			case paths[at]:
				fates[side][n] = Stays
			case things()[thing(at)]:
				fates[side][n] = Moves
			default:
				fates[side][n] = Alone
			}
		}
	}
	for _, d := range list {
		if d.What == Renamed {
			for side, n := range []*tree.Node{a.At(d.Path), b.At(d.Other)} {
				if n != nil {
					fates[side][n] = Other
				}
			}
		}
	}
	return fates
}

// pathsOf are the paths of all nodes, in which some are called otherwise.
func pathsOf(root *tree.Node, called map[*tree.Node]string) map[*tree.Node]string {
	all := map[*tree.Node]string{}
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		for _, c := range n.Children {
			name := c.Name
			if other, is := called[c]; is {
				name = other
			}
			all[c] = path.Join(at, name)
			walk(c, all[c])
		}
	}
	walk(root, "")
	return all
}

// Level gives the top folders of the second tree the names of those of the first, as far as both have one
// alone: they are the same level, whatever they are called. It returns what gives them their names back.
func Level(a, b *tree.Node) (back func()) {
	names := map[*tree.Node]string{}
	for len(a.Children) == 1 && len(b.Children) == 1 && a.Children[0].Kind == tree.Folder && b.Children[0].Kind == tree.Folder {
		a, b = a.Children[0], b.Children[0]
		names[b], b.Name = b.Name, a.Name
	}
	return func() {
		for n, name := range names {
			n.Name = name
		}
	}
}

// thing is the names of a path in an order of their own.
func thing(at string) string {
	names := strings.Split(at, "/")
	slices.Sort(names)
	return strings.Join(names, "/")
}
