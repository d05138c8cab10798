package template

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/value"
)

// A condition is a disjunction of conjunctions: it holds if, in one of the
// rows, every test does.
type condition [][]test

// A test is `field`, `not field`, `field is VALUE` or `field is not VALUE`.
type test struct {
	index  int
	not    bool
	equals *value.Value // nil for the forms without "is"
}

// holds reports whether the condition is true. A test of an unknown value
// counts as true, so that a tree shown without values shows all that there is.
func (c condition) holds(env []value.Value) bool {
	if c == nil {
		return true
	}
	return slices.ContainsFunc(c, func(all []test) bool {
		return !slices.ContainsFunc(all, func(t test) bool { return !t.holds(env) })
	})
}

func (t test) holds(env []value.Value) bool {
	v := env[t.index]
	switch {
	case !v.Given():
		return true
	case t.equals != nil:
		return v.Equal(*t.equals) != t.not
	}
	return v.Holds() != t.not
}

// condition reads the text of a `when` clause.
func (c *compiler) condition(s *scope, line *outline.Line, clause outline.Clause) condition {
	at := line.TextPos(clause)
	var cond condition
	row := []test(nil)
	rest, column := clause.Text, at.Column
	for {
		part, joint := rest, ""
		for _, j := range []string{" and ", " or "} {
			if i := strings.Index(part, j); i >= 0 {
				part, joint = part[:i], j
			}
		}
		if t, ok := c.test(s, outline.Pos{Line: at.Line, Column: column}, part); ok {
			row = append(row, t)
		}
		if joint != " and " {
			cond, row = append(cond, row), nil
		}
		if joint == "" {
			return cond
		}
		column += utf8.RuneCountInString(part + joint)
		rest = rest[len(part)+len(joint):]
	}
}

func (c *compiler) test(s *scope, at outline.Pos, text string) (test, bool) {
	trimmed := strings.TrimLeft(text, " ")
	at.Column += len(text) - len(trimmed)
	text = strings.TrimRight(trimmed, " ")
	width := utf8.RuneCountInString(text)
	var t test
	field, want, compares := strings.Cut(text, " is ")
	if compares {
		want, t.not = strings.CutPrefix(strings.TrimSpace(want), "not ")
		want = strings.TrimSpace(want)
	} else {
		field, t.not = strings.CutPrefix(text, "not ")
	}
	field = strings.TrimSpace(field)
	f, ok := c.find(s, field)
	if !ok {
		help := "write a field, `not` and a field, or `field is value`; join them with `and` or `or`"
		if near := outline.Nearest(field, c.visible(s)); near != "" {
			help = fmt.Sprintf("did you mean %s?", near)
		}
		c.fail(at, width, fmt.Sprintf("there is no field named %q", field), help)
		return t, false
	}
	t.index = f.Index
	if !compares {
		if f.Type.Kind != value.YesNo && !c.optional(f.Index) {
			help := fmt.Sprintf("write `%s is …`", field)
			if f.Type.Kind == value.List {
				help = "a list cannot be a condition"
			}
			c.fail(at, width, fmt.Sprintf("%q is a %s: it is neither true nor false", field, f.Type.Kind), help)
			return t, false
		}
		return t, true
	}
	if f.Type.Kind == value.List {
		c.fail(at, width, fmt.Sprintf("%q is a list, which is never one value", field), "")
		return t, false
	}
	v, err := (&value.Type{Kind: f.Type.Kind, Of: f.Type.Of}).Parse(want, time.Time{})
	if err != nil {
		c.fail(at, width, fmt.Sprintf("this can never hold: %q %s", field, strings.TrimPrefix(err.Error(), "is ")), "")
		return t, false
	}
	t.equals = &v
	return t, true
}

// optional reports whether the value at an index may be left out, so that
// "is there one" is a question.
func (c *compiler) optional(index int) bool {
	return index < len(c.t.Fields) && c.t.Fields[index].Optional
}
