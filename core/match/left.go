package match

import (
	"path"
	"strings"

	"vestibula/core/naming"
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
		if m.belongs(real, n) {
			n.Marks |= tree.Conforms
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

// belongs reports whether a file goes with another thing in its folder: it has the whole name of
// that with a further ending, or its stem with an ending that says nothing by itself, of which the
// template does not speak either.
func (m *matcher) belongs(real, n *tree.Node) bool {
	bare := naming.Unended(n.Name)
	if n.Kind != tree.File || bare == "" {
		return false
	}
	speaks := m.speaks(n.Name)
	if !speaks || naming.Unended(bare) != "" {
		if i, found := find(real.Children, bare); found && (!speaks || real.Children[i].Kind == tree.File) {
			return true
		}
	}
	if speaks {
		return false
	}
	i, _ := find(real.Children, bare+".")
	for ; i < len(real.Children) && strings.HasPrefix(real.Children[i].Name, bare+"."); i++ {
		if c := real.Children[i]; c != n && c.Kind == tree.File && naming.Unended(c.Name) == bare && m.speaks(c.Name) {
			return true
		}
	}
	return false
}

// speaks reports whether the ending of a name says what kind of file it is, by itself or as the
// template speaks of it.
func (m *matcher) speaks(name string) bool {
	if m.endings == nil {
		m.endings = map[string]bool{}
		for _, c := range m.Template.Names {
			for _, ending := range c.For {
				m.endings[ending] = true
			}
		}
		for _, l := range m.Template.Lines {
			for _, ending := range l.Endings {
				m.endings[ending] = true
			}
		}
	}
	_, ending := tree.Split(name)
	return naming.Speaks(name) || m.endings[ending]
}

// resembles says what a stray looks like.
func (m *matcher) resembles(want, real, n *tree.Node) (Reason, string) {
	if original := naming.CopyOf(n.Name); original != "" {
		if i, there := find(real.Children, original); there && real.Children[i].Kind == n.Kind {
			return Copied, original
		}
	}
	for _, c := range want.Children {
		if c.Kind != n.Kind || c.Marks&tree.Open != 0 {
			continue
		}
		if _, there := find(real.Children, c.Name); there && tree.Key(c) == tree.Key(n) && !m.otherNumber(want, c, n) {
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
