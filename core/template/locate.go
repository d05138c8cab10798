package template

import (
	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// Locate finds, for a tree that was read from a disk, the line of the outline
// that each folder and file belongs to, by reading its name back, and notes it
// in the node's Line. Name is that of the folder itself. It reports whether the
// folder is a project of the template's: its name fits the one top-level
// folder. Otherwise the folder is taken for one in which projects lie.
func (t *Template) Locate(root *tree.Node, name string) bool {
	p := &placer{readers: map[*pattern.Name]*nameReader{}, known: map[question]answer{}}
	top := make([]spot, len(t.top.entries))
	for i, e := range t.top.entries {
		top[i] = spot{e, 0}
	}
	if len(top) == 1 && top[0].entry.Kind == tree.Folder && p.fits(top[0], name) {
		p.children(root, p.below(top[0]))
		root.From = top[0].entry.From
		return true
	}
	p.children(root, top)
	return false
}

// A spot is a name of a line: of a chain, there are several.
type spot struct {
	entry *Line
	index int
}

func (s spot) name() *pattern.Name { return s.entry.Names[s.index] }
func (s spot) last() bool          { return s.index == len(s.entry.Names)-1 }

type placer struct {
	readers map[*pattern.Name]*nameReader
	// known remembers the spots of names: projects of one template hold the same
	// names again and again.
	known map[question]answer
}

// A question is where a name belongs, among spots that begin with first.
type question struct {
	first spot
	name  string
	kind  tree.Kind
}

type answer struct {
	spot spot
	ok   bool
}

// maxKnown bounds what is remembered.
const maxKnown = 100_000

type nameReader struct {
	reader *pattern.Reader
	values []value.Value
}

// below returns what may lie in a spot.
func (p *placer) below(s spot) []spot {
	if !s.last() {
		return []spot{{s.entry, s.index + 1}}
	}
	list := make([]spot, len(s.entry.inside.entries))
	for i, e := range s.entry.inside.entries {
		list[i] = spot{e, 0}
	}
	return list
}

func (p *placer) children(n *tree.Node, spots []spot) {
	if len(spots) == 0 {
		return
	}
	for _, c := range n.Children {
		if s, ok := p.find(c, spots); ok {
			c.From = s.entry.From
			if s.last() {
				c.Marks |= s.entry.Marks & tree.Keep
			}
			p.children(c, p.below(s))
		}
	}
}

// find returns the spot that a node belongs to: names without slots go before
// those that could be anything.
func (p *placer) find(n *tree.Node, spots []spot) (spot, bool) {
	q := question{spots[0], n.Name, n.Kind}
	if a, ok := p.known[q]; ok {
		return a.spot, a.ok
	}
	s, ok := p.search(n, spots)
	if len(p.known) < maxKnown {
		p.known[q] = answer{s, ok}
	}
	return s, ok
}

func (p *placer) search(n *tree.Node, spots []spot) (spot, bool) {
	for _, constant := range []bool{true, false} {
		for _, s := range spots {
			kind := tree.Folder
			if s.last() {
				kind = s.entry.Kind
			}
			if kind == n.Kind && s.name().Constant() == constant && p.fits(s, n.Name) {
				return s, true
			}
		}
	}
	return spot{}, false
}

func (p *placer) fits(s spot, name string) bool {
	pattern := s.name()
	if pattern.Constant() {
		return pattern.Pattern.Source == name
	}
	r := p.readers[pattern]
	if r == nil {
		r = &nameReader{reader: pattern.Reader()}
		r.values = make([]value.Value, len(r.reader.Fields()))
		p.readers[pattern] = r
	}
	return r.reader.Read(name, r.values) == nil
}
