package template

import (
	"fmt"
	"path"
	"strings"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/tree"
)

// A target is where a `link` clause leads: to another place of the project, by the
// names of the outline, or outside it.
type target struct {
	at      outline.Pos
	width   int
	outside bool
	path    []*pattern.Name // one for each name between slashes
	root    string          // what an outside path begins with: /, or D:\
}

// A linked node is a link whose target is found when the tree is whole.
type linked struct {
	node *tree.Node
	line *Line
	path []string
}

// target reads a `link` clause.
func (c *compiler) target(s *scope, e *Line, clause outline.Clause) *target {
	t := &target{at: e.Syntax.TextPos(clause), width: utf8.RuneCountInString(clause.Text)}
	text := clause.Text
	column := t.at.Column
	switch {
	case strings.HasPrefix(text, "~"):
		c.fail(t.at, t.width, "a link cannot begin with ~, which only some programs understand", "write the whole path, or a path in the project")
		return t
	case strings.HasPrefix(text, "/"):
		t.outside, t.root = true, "/"
	case len(text) > 2 && text[1] == ':' && (text[2] == '\\' || text[2] == '/'):
		t.outside, t.root = true, text[:3]
	}
	text = text[len(t.root):]
	column += len(t.root)
	for seg := range strings.SplitSeq(strings.ReplaceAll(text, `\`, "/"), "/") {
		pos := outline.Pos{Line: t.at.Line, Column: column}
		column += utf8.RuneCountInString(seg) + 1
		switch {
		case seg == ".." && (len(t.path) == 0 || t.outside):
			t.outside = true
		case seg == "" || seg == "." || seg == "..":
			c.fail(t.at, t.width, fmt.Sprintf("\"%s\" is no path to link to", clause.Text), "write names with / between, from the project's own folder")
			return t
		}
		t.path = append(t.path, c.name(s, e.Syntax, outline.Segment{Text: seg, Pos: pos}))
	}
	return t
}

// remember notes a link, to be found when the tree is whole.
func (x *expander) remember(e *Line, n *tree.Node) {
	l := linked{node: n, line: e}
	for _, name := range e.link.path {
		x.filling.Open = false
		out, err := name.Append(nil, &x.filling)
		if err != nil {
			x.failAt(e.link.at, e.link.width, err.Error())
			return
		}
		if x.filling.Open {
			n.Content = tree.Target(e.Syntax.Name) // nothing is known of it yet
			return
		}
		l.path = append(l.path, string(out))
	}
	x.links = append(x.links, l)
}

// connect finds what the links of a tree lead to, and has them lead there.
func (x *expander) connect(root *tree.Node) {
	if len(x.links) == 0 {
		return
	}
	at := map[*tree.Node]string{}
	for p, n := range root.All() {
		if n.Kind == tree.Symlink {
			at[n] = strings.Clone(p)
		}
	}
	ownPath, own := x.t.Own(root)
	for _, l := range x.links {
		if l.line.link.outside {
			l.node.Content = tree.Target(l.line.link.root + strings.Join(l.path, "/"))
			continue
		}
		to, n := ownPath, own
		for _, name := range l.path {
			if n = x.t.called(n, name); n == nil {
				x.failAt(l.line.link.at, l.line.link.width, fmt.Sprintf("there is no “%s” in this project", strings.Join(l.path, "/")))
				break
			}
			to = path.Join(to, n.Name)
		}
		if n != nil {
			l.node.Content = tree.Target(tree.Relative(path.Dir(at[l.node]), to))
		}
	}
}

// called returns the child of a node by its name in the outline: with its number, or
// without it.
func (t *Template) called(n *tree.Node, name string) *tree.Node {
	if c := n.Child(name); c != nil {
		return c
	}
	for _, c := range n.Children {
		line := t.LineOf(c)
		if line == nil || int(c.Nth) >= len(line.Names) {
			continue
		}
		if numbered, _ := line.Names[c.Nth].Numbered(); numbered && strings.TrimLeft(strings.TrimLeft(c.Name, "0123456789"), " .-_)") == name {
			return c
		}
	}
	return nil
}
