package match

import (
	"path"
	"slices"
	"strings"

	"vestibula/core/tree"
)

// A lack is something that is missing, or lies in what is missing.
type lack struct {
	thing *Thing // the missing thing
	node  *tree.Node
	rel   string // from the missing thing; empty for that itself
	up    *lack  // what it lies in
	found bool
}

// lies reports whether it still lies in what is missing: what it lay in was not found.
func (l *lack) lies() bool {
	for at := l; at != nil; at = at.up {
		if at.found {
			return false
		}
	}
	return l.thing.Kind == Missing
}

// lacks lists what is missing, with all that lies in it.
func (m *matcher) lacks() (list []*lack) {
	var walk func(l *lack)
	walk = func(l *lack) {
		list = append(list, l)
		for _, c := range l.node.Children {
			if c.Marks&(tree.Later|tree.Due|tree.Open) == 0 {
				walk(&lack{thing: l.thing, node: c, rel: path.Join(l.rel, c.Name), up: l})
			}
		}
	}
	for _, t := range m.missing {
		if l := (&lack{thing: t, node: t.Node}); t.Sure {
			walk(l)
		} else {
			list = append(list, l)
		}
	}
	return list
}

// elsewhere finds what is missing in other folders of the project.
func (m *matcher) elsewhere() {
	if len(m.missing) == 0 {
		return
	}
	lacks := m.lacks()
	for _, l := range lacks {
		for _, was := range m.Expansion.Was[l.node] {
			if strings.Contains(was, "/") && l.lies() {
				m.moved(l, strings.Trim(was, "/"))
			}
		}
	}
	m.followedElsewhere(lacks)
	m.sameNames(lacks)
}

// beside visits what is not wanted where it lies, and what lies in that and in folders
// in which everything is the owner's. Listed says that all that lies beside it is listed.
func (m *matcher) beside(visit func(at spot, told *Thing, listed bool)) {
	for _, s := range m.strays {
		visit(s.spot, s.thing, s.thing != nil)
	}
	var walk func(at spot)
	walk = func(at spot) {
		for _, n := range at.node.Children {
			here := at.below(n)
			visit(here, nil, false)
			if n.Kind == tree.Folder {
				walk(here)
			}
		}
	}
	for _, o := range m.owners {
		walk(o)
	}
	for _, s := range m.strays {
		if s.thing != nil && s.node.Kind == tree.Folder {
			walk(s.spot)
		}
	}
}

// followedElsewhere finds what is known to be the same thing in another folder.
func (m *matcher) followedElsewhere(lacks []*lack) {
	if m.Follows == nil {
		return
	}
	type pair struct {
		lack *lack
		at   spot
		told *Thing
	}
	var pairs []pair
	lines := map[*lack]int{}
	reals := map[*tree.Node]int{}
	compared := 0
	m.beside(func(at spot, told *Thing, _ bool) {
		if at.node.From < 1 || told != nil && told.Kind != Stray {
			return
		}
		for _, l := range lacks {
			if compared++; compared < maxCompared && l.lies() && l.node.Kind == kindOf(at.node) && m.Follows(l.node, at.node) == JustThis && !m.refused(l, at) {
				pairs = append(pairs, pair{l, at, told})
				lines[l]++
				reals[at.node]++
			}
		}
	})
	for _, p := range pairs {
		if lines[p.lack] == 1 && reals[p.at.node] == 1 && p.lack.lies() && !strings.HasPrefix(p.lack.thing.Path+"/", p.at.path+"/") {
			m.found(p.lack, p.at, p.told, Followed, true)
		}
	}
}

// refused reports whether somebody said that something in another folder is not what is missing.
func (m *matcher) refused(l *lack, at spot) bool {
	return m.Refuses != nil && m.Refuses(at.path, (&Thing{in: l.thing.in, to: path.Join(l.thing.to, l.rel)}).Final())
}

// sameNames finds what has the same name in another folder, where there is only one of
// it.
func (m *matcher) sameNames(lacks []*lack) {
	type key struct {
		name string
		kind tree.Kind
	}
	wanted := map[key][]*lack{}
	for _, l := range lacks {
		if l.lies() {
			k := key{l.node.Name, l.node.Kind}
			wanted[k] = append(wanted[k], l)
		}
	}
	type found struct {
		spot
		told   *Thing
		listed bool
	}
	there := map[key][]found{}
	m.beside(func(at spot, told *Thing, listed bool) {
		k := key{at.node.Name, at.node.Kind}
		if wanted[k] != nil && (told == nil || told.Kind == Stray) {
			there[k] = append(there[k], found{at, told, listed})
		}
	})
	for _, l := range lacks { // in their order, so that the same comes out each time
		k := key{l.node.Name, l.node.Kind}
		reals := there[k]
		if len(wanted[k]) != 1 || len(reals) != 1 || !l.lies() {
			continue
		}
		r := reals[0]
		sure := r.listed || tree.Bare(l.node) != l.node.Name
		switch {
		case !sure && m.refused(l, r.spot):
			continue
		case strings.HasPrefix(l.thing.Path, r.path+"/"):
			continue // it would come to lie in itself
		case !sure && (l.rel != "" || l.node.Kind == tree.Folder && len(l.node.Children) == 0):
			continue // its name alone says too little
		}
		m.found(l, r.spot, r.told, SameName, sure)
	}
}

// found turns something missing and something that is there into one thing.
func (m *matcher) found(l *lack, at spot, told *Thing, reason Reason, sure bool) {
	l.found = true
	t := l.thing
	if l.rel == "" {
		t.Kind, t.Reason, t.Sure, t.Path, t.stays = Misnamed, reason, sure, at.path, at
	} else {
		t.Node = without(t.Node, strings.Split(l.rel, "/"))
		t.Count -= 1 + l.node.Built().Count()
		t = m.tell(&Thing{Kind: Misnamed, Reason: reason, Sure: sure, Node: l.node, Path: at.path, in: t.in, to: path.Join(t.to, l.rel), stays: at})
	}
	if told != nil {
		m.things = slices.DeleteFunc(m.things, func(other *Thing) bool { return other == told })
		told.Kind = Misnamed // nothing more is said of it
	}
	m.same(l.node, at.node, spot{at.node, at.path, t, ""})
}

// without is a copy of a tree in which something is left out, by its names on the way.
func without(n *tree.Node, names []string) *tree.Node {
	out := *n
	out.Children = nil
	for _, c := range n.Children {
		switch {
		case c.Name != names[0]:
			out.Children = append(out.Children, c)
		case len(names) > 1:
			out.Children = append(out.Children, without(c, names[1:]))
		}
	}
	return &out
}

// moved looks for what is missing under its former path.
func (m *matcher) moved(l *lack, was string) {
	at := spot{node: m.top}
	for name := range strings.SplitSeq(was, "/") {
		i, there := find(at.node.Children, name)
		if !there {
			return
		}
		at = at.below(at.node.Children[i])
	}
	if kindOf(at.node) != l.node.Kind {
		return
	}
	for _, o := range m.owners {
		if strings.HasPrefix(at.path, o.path+"/") {
			m.found(l, at, nil, Former, true)
			return
		}
	}
	for _, s := range m.strays {
		if s.thing != nil && s.thing.Kind != Stray {
			continue
		}
		if s.path == at.path {
			m.found(l, at, s.thing, Former, true)
			return
		}
		if strings.HasPrefix(at.path, s.path+"/") {
			m.found(l, at, nil, Former, true)
			return
		}
	}
}
