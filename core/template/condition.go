package template

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/value"
)

// A Condition is what stands behind `when:`:
//
//	condition = row { "or" row }
//	row       = test { "and" test }
//	test      = [ "not" ] field | field "is" [ "not" ] value
//
// A value may hold the words "and" and "or" itself: it is the longest text that the
// field takes.
type Condition [][]Test

// A Test is one question to a value.
type Test struct {
	Field  string
	Step   int // of a calendar or number field: so many steps after its value
	Not    bool
	Equals *value.Value // nil for the forms without "is"

	index int
	typ   *value.Type
}

// String writes the condition as it is read.
func (c Condition) String() string {
	rows := make([]string, len(c))
	for i, row := range c {
		tests := make([]string, len(row))
		for k, t := range row {
			tests[k] = t.String()
		}
		rows[i] = strings.Join(tests, " and ")
	}
	return strings.Join(rows, " or ")
}

// String writes the test as it is read.
func (t Test) String() string {
	field, not := t.Field, ""
	switch {
	case t.Step > 0:
		field = fmt.Sprintf("%s + %d", field, t.Step)
	case t.Step < 0:
		field = fmt.Sprintf("%s - %d", field, -t.Step)
	}
	if t.Not {
		not = "not "
	}
	if t.Equals == nil {
		return not + field
	}
	return field + " is " + not + t.Equals.String()
}

// Meaning is what the code that the test asks for stands for; empty where it has none.
func (t Test) Meaning() string {
	if t.Equals != nil && t.typ != nil {
		for _, o := range t.typ.Of {
			if o.Code == t.Equals.String() {
				return o.Meaning
			}
		}
	}
	return ""
}

// Holds reports whether the condition is true for values. A test of an unknown value
// counts as true, so that a tree shown without values shows all that there is.
func (c Condition) holds(env []value.Value) bool {
	return c == nil || slices.ContainsFunc(c, func(row []Test) bool {
		return !slices.ContainsFunc(row, func(t Test) bool { return !t.holds(env) })
	})
}

func (t Test) holds(env []value.Value) bool {
	v := env[t.index]
	switch {
	case !v.Given():
		return true
	case v.Kind == value.Pending:
		return false // it is built when it is known
	case t.Equals == nil:
		return v.Holds() != t.Not
	}
	v, ok := v.Shift(t.Step, t.typ)
	return (ok && v.Equal(*t.Equals)) != t.Not
}

// condition reads the text of a `when` clause.
func (c *compiler) condition(s *scope, line *outline.Line, clause outline.Clause) Condition {
	at := line.TextPos(clause)
	var cond Condition
	row := []Test(nil)
	rest, column := clause.Text, at.Column
	for {
		part, joint := c.firstTest(s, rest)
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

// firstTest returns the test that a text begins with, and the word behind it: of the
// places where it can end, the last one up to which its value is one that the field
// lists, else the first one.
func (c *compiler) firstTest(s *scope, text string) (test, joint string) {
	test = text
	for at := len(text); at > 0; at-- {
		for _, j := range []string{" and ", " or "} {
			if !strings.HasPrefix(text[at:], j) {
				continue
			}
			if c.lists(s, test) {
				return test, joint
			}
			test, joint = text[:at], j
		}
	}
	return test, joint
}

// lists reports whether a test compares a field with one of the values that it lists.
func (c *compiler) lists(s *scope, test string) bool {
	field, want, compares := strings.Cut(test, " is ")
	f, ok := c.find(s, strings.TrimSpace(field))
	if !compares || !ok || f.Type.Kind != value.Choice {
		return false
	}
	want, _ = strings.CutPrefix(strings.TrimSpace(want), "not ")
	_, err := f.Type.Parse(want, time.Time{})
	return err == nil
}

func (c *compiler) test(s *scope, at outline.Pos, text string) (Test, bool) {
	trimmed := strings.TrimLeft(text, " ")
	at.Column += len(text) - len(trimmed)
	text = strings.TrimRight(trimmed, " ")
	width := utf8.RuneCountInString(text)
	var t Test
	field, want, compares := strings.Cut(text, " is ")
	if compares {
		want, t.Not = strings.CutPrefix(strings.TrimSpace(want), "not ")
		want = strings.TrimSpace(want)
	} else {
		field, t.Not = strings.CutPrefix(text, "not ")
	}
	t.Field, t.Step = pattern.Stepped(strings.TrimSpace(field))
	f, ok := c.find(s, t.Field)
	if !ok {
		help := "write a field, `not` and a field, or `field is value`; join them with `and` or `or`"
		if other, not := strings.CutPrefix(t.Field, "not "); not && compares {
			help = fmt.Sprintf("write `%s is not %s`", other, want)
		} else if near := outline.Nearest(t.Field, c.visible(s)); near != "" {
			help = fmt.Sprintf("did you mean %s?", near)
		}
		c.failLacking(at, width, "field named", t.Field, help)
		return t, false
	}
	t.index, t.typ = f.Index, f.Type
	if t.Step != 0 && (!compares || !f.Type.Kind.Steps()) {
		c.fail(at, width, fmt.Sprintf("a step goes with a number or a time that is compared, and \"%s\" is a %s", t.Field, f.Type.Kind), "write for example `month + 1 is 2027-03`")
		return t, false
	}
	if !compares {
		if f.Type.Kind != value.YesNo && !c.optional(f.Index) {
			help := fmt.Sprintf("write `%s is …`", t.Field)
			if f.Type.Kind == value.List {
				help = "a list cannot be a condition"
			}
			c.fail(at, width, fmt.Sprintf("\"%s\" is a %s: it is neither true nor false", t.Field, f.Type.Kind), help)
			return t, false
		}
		return t, true
	}
	if f.Type.Kind == value.List {
		c.fail(at, width, fmt.Sprintf("\"%s\" is a list, which is never one value", t.Field), "")
		return t, false
	}
	v, err := (&value.Type{Kind: f.Type.Kind, Of: f.Type.Of}).Parse(want, time.Time{})
	if err != nil {
		c.fail(at, width, fmt.Sprintf("this can never hold: \"%s\" %s", t.Field, strings.TrimPrefix(err.Error(), "is ")), "")
		return t, false
	}
	t.Equals = &v
	return t, true
}

// optional reports whether the value at an index may be left out, so that
// "is there one" is a question.
func (c *compiler) optional(index int) bool {
	return index < len(c.t.Fields) && c.t.Fields[index].Optional
}
