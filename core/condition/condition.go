// Package condition is the language behind `when:`, by which a line of a template is there or
// not:
//
//	condition = row { "or" row }
//	row       = test { "and" test }
//	test      = [ "not" ] field | field [ step ] "is" [ "not" ] value
//	step      = ( "+" | "-" ) number
//
// A value may hold the words "and" and "or" itself: it is the longest text that the field
// takes. There are no brackets, and none are meant to come: what needs them is said with a
// field of its own.
package condition

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/value"
)

// A Condition is true where all tests of one of its rows are; without rows, always.
type Condition [][]Test

// And is true where both conditions are.
func (c Condition) And(other Condition) (both Condition) {
	switch {
	case len(c) == 0:
		return other
	case len(other) == 0:
		return c
	}
	for _, row := range c {
		for _, more := range other {
			both = append(both, slices.Concat(row, more))
		}
	}
	return both
}

// A Test is one question to a value.
type Test struct {
	Field  string
	Step   int // of a calendar or number field: so many steps after its value
	Not    bool
	Equals *value.Value // nil for the forms without "is"

	index int
	typ   *value.Type
}

// A Field is what a condition can ask of.
type Field struct {
	Index    int // among the values that a condition is held against
	Type     *value.Type
	Optional bool // it may have no value, so that "is there one" is a question
}

// Fields are those that a condition sees.
type Fields interface {
	Find(name string) (Field, bool)
	Names() []string
}

// A Mistake says what is wrong with a part of a condition.
type Mistake struct {
	At, Width int // in characters, from the begin of the text
	Message   string
	Help      string
	Lacks     string // the field that is named and not there; else empty
}

// Parse reads a condition. All mistakes are returned; a test that has one is left out.
func Parse(text string, fields Fields) (Condition, []*Mistake) {
	p := &parser{fields: fields}
	var c Condition
	var row []Test
	for at := 0; ; {
		part, joint := p.first(text)
		if t, ok := p.test(at, part); ok {
			row = append(row, t)
		}
		if joint != " and " {
			c, row = append(c, row), nil
		}
		if joint == "" {
			return c, p.errs
		}
		at += utf8.RuneCountInString(part + joint)
		text = text[len(part)+len(joint):]
	}
}

type parser struct {
	fields Fields
	errs   []*Mistake
}

// first returns the test that a text begins with, and the word behind it: of the places where
// it can end, the last one up to which its value is one that the field lists, else the first
// one.
func (p *parser) first(text string) (test, joint string) {
	test = text
	for at := len(text); at > 0; at-- {
		for _, j := range []string{" and ", " or "} {
			if !strings.HasPrefix(text[at:], j) {
				continue
			}
			if p.lists(test) {
				return test, joint
			}
			test, joint = text[:at], j
		}
	}
	return test, joint
}

// lists reports whether a test compares a field with one of the values that it lists.
func (p *parser) lists(test string) bool {
	name, want, compares := strings.Cut(test, " is ")
	f, ok := p.fields.Find(strings.TrimSpace(name))
	if !compares || !ok || f.Type.Kind != value.Choice {
		return false
	}
	want, _ = strings.CutPrefix(strings.TrimSpace(want), "not ")
	_, err := f.Type.Parse(want, time.Time{})
	return err == nil
}

// test reads one test, which begins at a character of the text.
func (p *parser) test(at int, text string) (t Test, ok bool) {
	trimmed := strings.TrimLeft(text, " ")
	at += len(text) - len(trimmed)
	text = strings.TrimRight(trimmed, " ")
	fail := func(message, help string) {
		p.errs = append(p.errs, &Mistake{At: at, Width: utf8.RuneCountInString(text), Message: message, Help: help})
	}
	name, want, compares := strings.Cut(text, " is ")
	if compares {
		want, t.Not = strings.CutPrefix(strings.TrimSpace(want), "not ")
		want = strings.TrimSpace(want)
	} else {
		name, t.Not = strings.CutPrefix(text, "not ")
	}
	t.Field, t.Step = value.Stepped(strings.TrimSpace(name))
	f, known := p.fields.Find(t.Field)
	if !known {
		help := "write a field, `not` and a field, or `field is value`; join them with `and` or `or`"
		if other, not := strings.CutPrefix(t.Field, "not "); not && compares {
			help = fmt.Sprintf("write `%s is not %s`", other, want)
		} else if near := outline.Nearest(t.Field, p.fields.Names()); near != "" {
			help = fmt.Sprintf("did you mean %s?", near)
		}
		fail(fmt.Sprintf("there is no field named \"%s\"", t.Field), help)
		p.errs[len(p.errs)-1].Lacks = t.Field
		return t, false
	}
	t.index, t.typ = f.Index, f.Type
	switch kind := f.Type.Kind; {
	case t.Step != 0 && (!compares || !kind.Steps()):
		fail(fmt.Sprintf("a step goes with a number or a time that is compared, and \"%s\" is a %s", t.Field, kind), "write for example `month + 1 is 2027-03`")
		return t, false
	case kind == value.List && compares:
		fail(fmt.Sprintf("\"%s\" is a list, which is never one value", t.Field), "")
		return t, false
	case !compares && kind != value.YesNo && !f.Optional:
		help := fmt.Sprintf("write `%s is …`", t.Field)
		if kind == value.List {
			help = "a list cannot be a condition"
		}
		fail(fmt.Sprintf("\"%s\" is a %s: it is neither true nor false", t.Field, kind), help)
		return t, false
	case !compares:
		return t, true
	}
	v, err := (&value.Type{Kind: f.Type.Kind, Of: f.Type.Of}).Parse(want, time.Time{})
	if err != nil {
		fail(fmt.Sprintf("this can never hold: \"%s\" %s", t.Field, strings.TrimPrefix(err.Error(), "is ")), "")
		return t, false
	}
	t.Equals = &v
	return t, true
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

// Holds reports whether the condition is true for the values of all fields, by their indexes.
// A test of an unknown value counts as true, so that a tree shown without values shows all
// that there is.
func (c Condition) Holds(values []value.Value) bool {
	return c == nil || slices.ContainsFunc(c, func(row []Test) bool {
		return !slices.ContainsFunc(row, func(t Test) bool { return !t.holds(values) })
	})
}

func (t Test) holds(values []value.Value) bool {
	v := values[t.index]
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
