package term

import (
	"strings"

	"charm.land/lipgloss/v2"

	"vestibula/core/tree"
)

// A Mark stands in front of a line of a tree.
type Mark struct {
	Sign  Shown
	Style Style
}

// A TreeView says how a tree is drawn.
type TreeView struct {
	Note func(*tree.Node) Shown // what stands beside a line; may be nil
	Mark func(*tree.Node) Mark  // what stands in front of it; may be nil
}

// noteColumn is the furthest column at which notes begin: names that are longer
// push their own note aside, not all the others.
const noteColumn = 48

// Tree draws the tree below root. On a terminal, lines lead from each folder to
// what lies in it; elsewhere plain indentation does, and the slash behind a
// folder's name tells it from a file.
func (s *Screen) Tree(root *tree.Node, view TreeView) {
	s.treeLines(root, view, func(line Shown) { s.Line(line) })
}

// TreeLines returns the lines that [Screen.Tree] draws.
func (s *Screen) TreeLines(root *tree.Node, view TreeView) []Shown {
	var lines []Shown
	s.treeLines(root, view, func(line Shown) { lines = append(lines, line) })
	return lines
}

// treeLines calls draw for each line. They may be very many, so that they are
// not held.
func (s *Screen) treeLines(root *tree.Node, view TreeView, draw func(line Shown)) {
	at, sign := 0, 0 // where the notes begin, and how wide the marks are
	if view.Mark != nil {
		sign = 2
	}
	if view.Note != nil {
		s.eachNode(root, func(guide, name Shown, _ *tree.Node) {
			if w := sign + Columns(guide+name) + 1; w <= noteColumn-3 {
				at = max(at, w+3)
			}
		})
	}
	s.eachNode(root, func(guide, name Shown, n *tree.Node) {
		line := s.nodeLine(guide, name, n, view)
		if view.Note != nil {
			if note := view.Note(n); note != "" {
				line += Spaces(max(3, at-Columns(line))) + Dim.Italic().Render(note)
			}
		}
		draw(line)
	})
}

// nodeLine is the line of a node without its note.
func (s *Screen) nodeLine(guide, name Shown, n *tree.Node, view TreeView) Shown {
	var sign, slash Shown
	var m Mark
	if view.Mark != nil {
		m = view.Mark(n)
		sign = m.Sign + " "
	}
	if n.Kind == tree.Folder {
		slash = "/"
	}
	if !s.Terminal { // no ornament, which would only be taken away again
		return sign + guide + name + slash
	}
	return m.Style.Render(m.Sign) + sign[len(m.Sign):] + Dim.Render(guide) + paint(n, name) + Dim.Render(slash)
}

// eachNode calls visit for each node below root, with the lines that lead to it.
func (s *Screen) eachNode(root *tree.Node, visit func(guide, name Shown, n *tree.Node)) {
	var walk func(n *tree.Node, guide Shown)
	walk = func(n *tree.Node, guide Shown) {
		for i, c := range n.Children {
			own, next := Shown("    "), Shown("    ")
			if s.Terminal {
				if own, next = "├─ ", "│  "; i == len(n.Children)-1 {
					own, next = "╰─ ", "   "
				}
			}
			if n == root {
				own, next = "", ""
			}
			visit(guide+own, Visible(c.Name), c)
			walk(c, guide+next)
		}
	}
	walk(root, "")
}

// paint colours a name: folders that hold something strong, slots that nothing
// was given for in the accent.
func paint(n *tree.Node, name Shown) Shown {
	style := Style{lipgloss.NewStyle()}
	if len(n.Children) > 0 {
		style = Strong
	}
	if n.Marks&(tree.Later|tree.Due) != 0 {
		style = Dim
	}
	if n.Marks&tree.Open == 0 {
		return style.Render(name)
	}
	var line Shown
	for name != "" {
		start, end := strings.IndexByte(string(name), '<'), strings.IndexByte(string(name), '>')
		if start < 0 || end < start {
			break
		}
		line += style.Render(name[:start]) + Accent.Render(name[start:end+1])
		name = name[end+1:]
	}
	return line + style.Render(name)
}
