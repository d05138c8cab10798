package match

import (
	"path"
	"vestibula/core/tree"
)

// left tells what is not wanted in a folder, and returns the files in it that may be
// there all the same.
func (m *matcher) left(want, real *tree.Node, at spot, l *level) (loose []*tree.Node) {
	line := m.Template.ClausesOf(want)
	holds := line != nil && line.HoldsAnything()
	for i, n := range real.Children {
		if l.taken[i] || n.Marks&tree.Apart != 0 {
			continue
		}
		here := at.below(n)
		if n.Kind == tree.File && (holds || l.files || !l.folders) || n.Kind == tree.Folder && !l.folders {
			if n.Kind == tree.File {
				loose = append(loose, n)
			} else {
				m.owners = append(m.owners, here)
			}
			m.strays = append(m.strays, stray{here, nil})
			continue
		}
		t := m.tell(&Thing{Kind: Stray, Node: n, Path: here.path})
		t.Reason, t.Other = m.resembles(want, real, n)
		for _, c := range want.Children {
			if to := path.Join(at.to, c.Name); m.Refuses != nil && m.Refuses(here.path, to) {
				t.Refused = to
			}
		}
		m.strays = append(m.strays, stray{here, t})
	}
	return loose
}

// resembles says what a stray looks like.
func (m *matcher) resembles(want, real, n *tree.Node) (Reason, string) {
	if original := copyOf(n.Name); original != "" {
		if i, there := find(real.Children, original); there && real.Children[i].Kind == n.Kind {
			return Copied, original
		}
	}
	for _, c := range want.Children {
		if c.Kind != n.Kind || c.Marks&tree.Open != 0 {
			continue
		}
		if _, there := find(real.Children, c.Name); there && keyOf(c) == keyOf(n) {
			return Doubled, c.Name
		}
	}
	for i, c := range want.Children {
		if l := m.Template.LineOf(c); l != nil && c.Kind == n.Kind && (i == 0 || want.Children[i-1].From != c.From) {
			if _, list, _, last := l.Repeats(); list+last != "" && len(m.bindings(c, n.Name)) > 0 {
				if list == "" {
					list = last
				}
				return Another, list
			}
		}
	}
	return NoReason, ""
}
