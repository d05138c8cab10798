package term

import (
	"strings"

	"charm.land/lipgloss/v2"

	"vestibula/core/tree"
)

// A Mark stands in front of a line of a tree.
type Mark struct {
	Sign  string
	Style lipgloss.Style
}

// A TreeView says how a tree is drawn.
type TreeView struct {
	Note func(*tree.Node) string // what stands beside a line; may be nil
	Mark func(*tree.Node) Mark   // what stands in front of it; may be nil
}

// noteColumn is the furthest column at which notes begin: names that are longer
// push their own note aside, not all the others.
const noteColumn = 48

// Tree draws the tree below root. On a terminal, lines lead from each folder to
// what lies in it; elsewhere plain indentation does, and the slash behind a
// folder's name tells it from a file.
func (s *Screen) Tree(root *tree.Node, view TreeView) {
	for _, line := range s.TreeLines(root, view) {
		s.Line(line)
	}
}

// TreeLines returns the lines that [Screen.Tree] draws.
func (s *Screen) TreeLines(root *tree.Node, view TreeView) []string {
	type row struct {
		guide, name string
		node        *tree.Node
	}
	var rows []row
	var walk func(n *tree.Node, guide string)
	walk = func(n *tree.Node, guide string) {
		for i, c := range n.Children {
			own, next := "    ", "    "
			if s.Terminal {
				if own, next = "├─ ", "│  "; i == len(n.Children)-1 {
					own, next = "╰─ ", "   "
				}
			}
			if n == root {
				own, next = "", ""
			}
			rows = append(rows, row{guide + own, Visible(c.Name), c})
			if n == root && !s.Terminal {
				next = ""
			}
			walk(c, guide+next)
		}
	}
	walk(root, "")
	at := 0
	for _, r := range rows {
		if w := Columns(r.guide+r.name) + 1; w <= noteColumn-3 {
			at = max(at, w+3)
		}
	}
	lines := make([]string, 0, len(rows))
	for _, r := range rows {
		line := Dim.Render(r.guide) + paint(r.node, r.name)
		if r.node.Kind == tree.Folder {
			line += Dim.Render("/")
		}
		if view.Mark != nil {
			m := view.Mark(r.node)
			line = m.Style.Render(m.Sign) + " " + line
		}
		if view.Note != nil {
			if note := view.Note(r.node); note != "" {
				line += strings.Repeat(" ", max(3, at-Columns(line))) + Dim.Italic(true).Render(Visible(note))
			}
		}
		lines = append(lines, line)
	}
	return lines
}

// paint colours a name: folders that hold something strong, slots that nothing
// was given for in the accent.
func paint(n *tree.Node, name string) string {
	style := lipgloss.NewStyle()
	if len(n.Children) > 0 {
		style = Strong
	}
	if n.Marks&(tree.Later|tree.Due) != 0 {
		style = Dim
	}
	if n.Marks&tree.Open == 0 {
		return style.Render(name)
	}
	var b strings.Builder
	for name != "" {
		start, end := strings.IndexByte(name, '<'), strings.IndexByte(name, '>')
		if start < 0 || end < start {
			break
		}
		b.WriteString(style.Render(name[:start]) + Accent.Render(name[start:end+1]))
		name = name[end+1:]
	}
	return b.String() + style.Render(name)
}
