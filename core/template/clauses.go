package template

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/tree"
)

func (c *compiler) entry(s *scope, l *outline.Line) *Line {
	e := &Line{Syntax: l, From: int32(len(c.t.Lines)) + 1}
	c.t.Lines = append(c.t.Lines, e)
	if _, later := l.Clause("later"); later {
		c.later++
		defer func() { c.later-- }()
	}
	if clause, ok := l.Clause("note"); ok {
		e.Note = clause.Text
	}
	inner := s
	if clause, ok := l.Clause("each"); ok {
		c.inSource = true
		if e.Each = c.loop(s, l, clause); e.Each != nil {
			inner = &scope{outer: s, loop: e.Each, depth: 1, entry: e}
			if s != nil {
				inner.depth = s.depth + 1
			}
			c.t.depth = max(c.t.depth, inner.depth)
		}
		c.inSource = false
	}
	segments, slashed := l.Segments()
	for i, seg := range segments {
		e.Names = append(e.Names, c.name(inner, l, seg))
		if numbered, _ := e.last().Numbered(); numbered && i < len(segments)-1 {
			c.fail(seg.Pos, utf8.RuneCountInString(seg.Text), "<#> can only stand in the last name of a chain", "write this folder in a line of its own")
		}
	}
	c.kind(e, segments[len(segments)-1], slashed)
	c.clauses(inner, e)
	lines := l.Children
	if clause, ok := l.Clause("use"); ok {
		at := l.TextPos(clause)
		for name := range strings.SplitSeq(clause.Text, ",") {
			name = strings.TrimSpace(name)
			lines = append(slices.Clone(lines), c.part(at, name)...)
			c.using = append(c.using, name)
		}
		e.inside = c.block(inner, lines)
		c.using = c.using[:len(c.using)-strings.Count(clause.Text, ",")-1]
		return e
	}
	e.inside = c.block(inner, lines)
	return e
}

// part returns the lines of a part, or none where it cannot be used.
func (c *compiler) part(at outline.Pos, name string) []*outline.Line {
	l := c.parts[name]
	if l == nil {
		var known []string
		for n := range c.parts {
			known = append(known, n)
		}
		slices.Sort(known)
		help := outline.Meant(name, known, fmt.Sprintf("begin one with the line `%s:` at the left edge", name))
		c.fail(at, utf8.RuneCountInString(name), fmt.Sprintf("there is no part called \"%s\"", name), help)
		return nil
	}
	c.used[name] = true
	if i := slices.Index(c.using, name); i >= 0 {
		circle := strings.Join(append(slices.Clone(c.using[i:]), name), " → ")
		c.fail(at, utf8.RuneCountInString(name), fmt.Sprintf("the part \"%s\" would lie in itself: %s", name, circle), "break the circle")
		return nil
	}
	return l.Children
}

// name compiles one name of a line.
func (c *compiler) name(s *scope, l *outline.Line, seg outline.Segment) *pattern.Name {
	if strings.TrimSpace(seg.Text) == "" && l.Name != "" {
		c.fail(seg.Pos, 1, "there is no name between these slashes", "one slash is enough")
	}
	p, errs := pattern.Parse(seg.Text)
	n, more := p.Bind(func(name string) (pattern.Field, *pattern.Error) { return c.lookup(s, name) })
	c.patternErrors(seg.Pos, append(errs, more...))
	return n
}

func (c *compiler) patternErrors(at outline.Pos, errs []*pattern.Error) {
	for _, e := range errs {
		c.errs = append(c.errs, &outline.Error{Pos: outline.Pos{Line: at.Line, Column: at.Column + e.At}, Width: max(e.Width, 1), Message: e.Message, Help: e.Help, Lacks: e.Lacks})
	}
}

// startsFrom reads what a file starts from.
func (c *compiler) startsFrom(s *scope, e *Line, clause outline.Clause) {
	at := outline.Pos{Line: e.Syntax.Number, Column: clause.Column}
	if e.starter != nil {
		c.fail(at, len(clause.Word), "a line takes `copy` or `fill`, not both", "")
	}
	for _, other := range []string{"blank", "guide"} {
		if _, has := e.Syntax.Clause(other); has {
			c.fail(at, len(clause.Word), fmt.Sprintf("a file that is `%s` does not `%s` another one", other, clause.Word), "leave one of them out")
		}
	}
	e.starter = c.starter(s, e, clause)
}

// fixedNumber reads the number that a line has, whatever stands above it.
func (c *compiler) fixedNumber(e *Line, clause outline.Clause) {
	n, err := strconv.Atoi(clause.Text)
	if err != nil || n < 0 || n > 999_999 {
		c.fail(e.Syntax.TextPos(clause), utf8.RuneCountInString(clause.Text), fmt.Sprintf("\"%s\" is not a whole number", clause.Text), "write `number: 90`")
	}
	if numbered, _ := e.last().Numbered(); !numbered {
		at := outline.Pos{Line: e.Syntax.Number, Column: clause.Column}
		c.warn(at, len(clause.Word), "this number is shown nowhere: the name has no <#>", "write <#> where the number is to stand")
	}
	e.number, e.fixed = n, true
}

// guides notes that a file holds the page for those who join.
func (c *compiler) guides(e *Line, clause outline.Clause) {
	at := outline.Pos{Line: e.Syntax.Number, Column: clause.Column}
	e.guide = true
	if _, blank := e.Syntax.Clause("blank"); blank {
		c.fail(at, len(clause.Word), "a file is either a `guide` or `blank`", "leave one of them out")
	}
	if end := strings.ToLower(tree.Extension(e.Syntax.Name)); end != "" && end != "md" && end != "txt" {
		c.warn(at, len(clause.Word), fmt.Sprintf("a guide is written as Markdown, and this file ends in .%s", end), "end its name in .md")
	}
}

// clauses reads the clauses that are not about repeating and using.
func (c *compiler) clauses(s *scope, e *Line) {
	l := e.Syntax
	for _, clause := range l.Clauses {
		at := outline.Pos{Line: l.Number, Column: clause.Column}
		folderOnly := func(mark tree.Marks) {
			if e.Kind == tree.File {
				c.fail(at, len(clause.Word), fmt.Sprintf("`%s` goes with a folder, and this is a file", clause.Word), "end the name in / if it is a folder")
			}
			e.Marks |= mark
		}
		switch clause.Word {
		case "when":
			e.When = c.when(s, l, clause)
		case "number":
			c.fixedNumber(e, clause)
		case "copy", "fill":
			c.startsFrom(s, e, clause)
		case "guide":
			c.guides(e, clause)
		case "link":
			e.link = c.target(s, e, clause)
		case "use":
			folderOnly(0)
		case "holds":
			folderOnly(0)
			c.holds(e, clause)
		case "project":
			folderOnly(tree.Own)
		case "was":
			c.was(s, e, clause)
		case "carry":
			if e.Carry = Copies; clause.Text == "moves" {
				e.Carry = Moves
			} else if clause.Text != "" {
				c.fail(l.TextPos(clause), utf8.RuneCountInString(clause.Text), fmt.Sprintf("`carry` knows no \"%s\"", clause.Text), "write `carry`, which copies, or `carry: moves`")
			}
		case "worth":
			if e.Worth, _ = strconv.Atoi(clause.Text); e.Worth < 1 || e.Worth > 999_999 {
				c.fail(l.TextPos(clause), utf8.RuneCountInString(clause.Text), fmt.Sprintf("\"%s\" is no number of points", clause.Text), "write `worth: 10`")
			}
			if _, due := l.Clause("due"); !due {
				c.fail(at, len(clause.Word), "points are for what is due, and this line is not", "add `| due`")
			}
		case "later":
			folderOnly(tree.Later)
		case "keep":
			e.Marks |= tree.Keep
		case "due":
			e.Marks |= tree.Due
			if clause.Text != "" {
				e.due = c.due(s, l, clause)
			}
		}
	}
}
