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
	// Same reports whether two neighbours say the same but for their names, so that of many
	// only the first and the last are drawn; nil draws all.
	Same func(a, b *tree.Node) bool
	All  Shown // how to see those too; may be empty
	// Alert reports whether a note says what is in the way: it is the most visible thing on
	// its line, and never cut; nil where none does.
	Alert func(*tree.Node) bool
}

// fewAlike is how many neighbours that say the same are drawn whole: of those that hold
// something, and of others.
const fewAlike, fewBare = 3, 7

// noteColumn is the furthest column at which notes begin: names that are longer
// push their own note aside, not all the others.
const noteColumn = 48

// Tree draws the tree below root. On a terminal, lines lead from each folder to
// what lies in it; elsewhere plain indentation does, and the slash behind a
// folder's name tells it from a file.
func (s *Screen) Tree(root *tree.Node, view TreeView) {
	s.treeLines(root, view, func(line, alert Shown) {
		if alert == "" {
			s.Line(line)
			return
		}
		s.Because(line, alert, Bad)
	})
}

// TreeLines returns the lines that [Screen.Tree] draws.
func (s *Screen) TreeLines(root *tree.Node, view TreeView) []Shown {
	var lines []Shown
	s.treeLines(root, view, func(line, _ Shown) { lines = append(lines, line) })
	return lines
}

// treeLines calls draw for each line. They may be very many, so that they are
// not held.
func (s *Screen) treeLines(root *tree.Node, view TreeView, draw func(line, alert Shown)) {
	at, sign := 0, 0 // where the notes begin, and how wide the marks are
	if view.Mark != nil {
		sign = 2
	}
	if view.Note != nil {
		s.eachNode(root, view.Same, func(guide, name Shown, _ *tree.Node, _ int) {
			if w := sign + Columns(guide+name) + 1; w <= noteColumn-3 {
				at = max(at, w+3)
			}
		})
	}
	s.eachNode(root, view.Same, func(guide, name Shown, n *tree.Node, between int) {
		line := s.nodeLine(guide, name, n, view)
		if between > 0 {
			note := Sprintf("and %s between, the same", Number(between))
			if view.All != "" {
				note, view.All = note+"; "+view.All, "" // once
			}
			line += Spaces(max(3, at-Columns(line))) + Dim.Italic().Render(note)
		} else if view.Note != nil {
			if note := view.Note(n); note != "" && view.Alert != nil && view.Alert(n) {
				draw(line, note)
				return
			} else if note != "" {
				line += Spaces(max(3, at-Columns(line))) + Dim.Italic().Render(note)
			}
		}
		draw(line, "")
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

// eachNode calls visit for each node below root, with the lines that lead to it. Where many
// neighbours are the same, it is called for the last of them with how many stand between it
// and the first.
func (s *Screen) eachNode(root *tree.Node, same func(a, b *tree.Node) bool, visit func(guide, name Shown, n *tree.Node, between int)) {
	var walk func(n *tree.Node, guide Shown)
	walk = func(n *tree.Node, guide Shown) {
		folds := -1 // the first of some that are the same
		for i, c := range n.Children {
			if folds >= 0 {
				if i+1 < len(n.Children) && same(n.Children[folds], n.Children[i+1]) {
					continue
				}
			} else if same != nil && alike(n.Children[i:], same) {
				folds = i
			}
			own, next := Shown("    "), Shown("    ")
			if s.Terminal {
				if own, next = "├─ ", "│  "; i == len(n.Children)-1 {
					own, next = "╰─ ", "   "
				}
			}
			if n == root {
				own, next = "", ""
			}
			if folds >= 0 && folds < i {
				visit(guide+own, "… "+Visible(c.Name), c, i-folds-1)
				folds = -1
				continue
			}
			visit(guide+own, Visible(c.Name), c, 0)
			walk(c, guide+next)
		}
	}
	walk(root, "")
}

// alike reports whether so many from the first on are the same that only the first and the
// last are to be drawn.
func alike(list []*tree.Node, same func(a, b *tree.Node) bool) bool {
	most := fewBare
	if len(list[0].Children) > 0 {
		most = fewAlike
	}
	if len(list) <= most {
		return false
	}
	for _, n := range list[1 : most+1] {
		if !same(list[0], n) {
			return false
		}
	}
	return true
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
