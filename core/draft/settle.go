package draft

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"

	"vestibula/core/tree"
)

// Where years have left their traces, what few have is chance, and what most have was forgotten in the others.
// Folders are taken as they were meant: what at least two of three have is in all of them, files that fewer have are
// their owner's, and folders that only some have are for later.

// leastSettled is of how many samples that can be said.
const leastSettled = 4

// settle does that, once names are alike, and tells of it.
func (d *drift) settle() {
	s := &settling{drift: d, own: map[string]bool{}}
	var in []*tree.Node
	for _, one := range d.samples {
		in = append(in, one.Root)
	}
	s.level(in, "")
	if len(s.most) > 0 {
		d.told = append(d.told, "made in all of them, as most have it: "+strings.Join(few(s.most), ", ")+"; take the line out, or write “later” behind it, where that is not so")
	}
	if s.files > 0 {
		d.told = append(d.told, fmt.Sprintf("%d files that few have, or that each names otherwise, are left to whoever works there", s.files))
	}
	if len(s.own) > 0 {
		d.told = append(d.told, "left out, as hardly any has it: "+strings.Join(few(sortedKeys(s.own)), ", "))
	}
}

type settling struct {
	*drift
	most  []string
	files int
	own   map[string]bool // folders
}

// few are the first of a list, with how many more there are.
func few(list []string) []string {
	const shown = 6
	if len(list) <= shown {
		return list
	}
	return append(slices.Clone(list[:shown]), fmt.Sprintf("and %d more", len(list)-shown))
}

// A had thing is what lies in some of the folders under one name.
type had struct {
	of    map[int]*tree.Node
	first *tree.Node
}

// level settles what lies in the folders that one line is to stand for.
func (s *settling) level(in []*tree.Node, at string) {
	all, shapes := haveAll(in)
	n := len(in)
	gone := map[*tree.Node]bool{}
	lists := s.lists(all, n)
	for _, name := range sortedKeys(all) {
		h := all[name]
		k, folder, counts := len(h.of), h.first.Kind == tree.Folder, shapeless(name) != name
		switch {
		case 3*k >= 2*n:
			if k < n && !folder && !counts {
				s.files += k
				for _, c := range h.of {
					gone[c] = true
				}
			} else if k < n && !counts {
				s.most = append(s.most, fmt.Sprintf("%s (%d of %d)", at+name, k, n))
				for i, p := range in {
					if h.of[i] == nil {
						h.of[i] = &tree.Node{Name: name, Kind: h.first.Kind}
						p.Children = append(p.Children, h.of[i])
					}
				}
			}
		case counts && 2*len(shapes[shapeless(name)]) >= n:
		case folder && (lists || 4*k >= n && k > 1):
		default:
			if folder {
				s.own[at+name] = true
			} else {
				s.files += k
			}
			for _, c := range h.of {
				gone[c] = true
			}
		}
		if folder && k > 1 {
			var inside []*tree.Node
			for _, i := range slices.Sorted(maps.Keys(h.of)) {
				inside = append(inside, h.of[i])
			}
			s.level(inside, at+name+"/")
		}
	}
	for _, p := range in {
		p.Children = slices.DeleteFunc(p.Children, func(c *tree.Node) bool { return gone[c] })
		slices.SortFunc(p.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) })
	}
}

// haveAll are the things that lie in some folders, by their names, and in which of them names lie that count, by what these
// are without their digits.
func haveAll(in []*tree.Node) (all map[string]*had, shapes map[string]map[int]bool) {
	all, shapes = map[string]*had{}, map[string]map[int]bool{}
	for i, n := range in {
		for _, c := range n.Children {
			if c.Kind > tree.File || c.Marks&tree.Link != 0 {
				continue
			}
			h := all[c.Name]
			if h == nil {
				h = &had{of: map[int]*tree.Node{}, first: c}
				all[c.Name] = h
			}
			h.of[i] = c
			if shape := shapeless(c.Name); shape != c.Name {
				if shapes[shape] == nil {
					shapes[shape] = map[int]bool{}
				}
				shapes[shape][i] = true
			}
		}
	}
	return all, shapes
}

// lists reports whether most of the folders hold several that have names of their own, as of people.
func (s *settling) lists(all map[string]*had, n int) bool {
	own := make(map[int]int)
	for _, h := range all {
		if h.first.Kind == tree.Folder && 4*len(h.of) < n {
			for i := range h.of {
				own[i]++
			}
		}
	}
	several := 0
	for _, k := range own {
		if k > 1 {
			several++
		}
	}
	return 2*several >= n
}

// shapeless is a name without its digits.
func shapeless(name string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsDigit(r) {
			return -1
		}
		return r
	}, name)
}
