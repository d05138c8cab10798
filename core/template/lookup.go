package template

import (
	"fmt"
	"slices"
	"strings"

	"vestibula/core/condition"
	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/value"
)

// find returns the loop item or field of that name.
func (c *compiler) find(s *scope, name string) (pattern.Field, bool) {
	for inner := s; inner != nil; inner = inner.outer {
		if inner.loop.name == name {
			if c.inSource {
				inner.entry.varied = true
			}
			return pattern.Field{Index: inner.loop.index, Type: inner.loop.typ}, true
		}
	}
	if i := c.fieldIndex(name); i >= 0 {
		c.t.Fields[i].used = true
		c.t.Fields[i].needed = c.t.Fields[i].needed || c.later == 0
		return pattern.Field{Index: i, Type: &c.t.Fields[i].Type, Optional: c.t.Fields[i].Optional}, true
	}
	return pattern.Field{}, false
}

func (c *compiler) fieldIndex(name string) int {
	return slices.IndexFunc(c.t.Fields, func(f *Field) bool { return f.Name == name })
}

func (c *compiler) loopIndex(s *scope) int {
	depth := 0
	if s != nil {
		depth = s.depth
	}
	return len(c.t.Fields) + 1 + depth
}

// ownNumber is the type of <#>.
var ownNumber = value.Type{Kind: value.Number}

// lookup finds the field of a slot, or says why there is none.
func (c *compiler) lookup(s *scope, name string) (pattern.Field, *pattern.Error) {
	if name == pattern.OwnNumber {
		return pattern.Field{Index: len(c.t.Fields), Type: &ownNumber}, nil
	}
	if f, ok := c.find(s, name); ok {
		return f, nil
	}
	err := noField(name)
	near := outline.Nearest(name, c.visible(s))
	if slices.Contains(c.visible(s), joined(name)) {
		near = joined(name)
	}
	switch {
	case s != nil && (near == "" || near == s.loop.name || slices.Contains(c.listFields(), near)):
		err.Help = fmt.Sprintf("this line repeats for each \"%s\": write <%s>", s.loop.name, s.loop.name)
	case near != "":
		err.Help = fmt.Sprintf("did you mean <%s>?", near)
	case strings.TrimSpace(name) == "":
	case c.t.file.Header == nil && outline.IsWord(joined(name)):
		if joined(name) != name {
			err.Help = fmt.Sprintf("the name of a field is one word: write <%s> here\n", joined(name))
		}
		err.Help += fmt.Sprintf("what is asked stands in a header; write these lines at the top of the file:\n---\nfields:\n  %s: Which %s?\n---", joined(name), strings.ReplaceAll(joined(name), "-", " "))
	case joined(name) != name && outline.IsWord(joined(name)):
		err.Help = fmt.Sprintf("the name of a field is one word: write <%s> here, and %s: in the header", joined(name), joined(name))
	default:
		err.Help = fmt.Sprintf("add it to the header: fields: { %s: … }", name)
	}
	return pattern.Field{}, err
}

func noField(name string) *pattern.Error {
	return &pattern.Error{Message: fmt.Sprintf("there is no field named \"%s\"", name), Lacks: name}
}

// joined writes a name of several words as one, with hyphens.
func joined(name string) string { return strings.Join(strings.Fields(name), "-") }

// visible returns the names that a slot may hold in the scope.
func (c *compiler) visible(s *scope) []string {
	var names []string
	for ; s != nil; s = s.outer {
		names = append(names, s.loop.name)
	}
	for _, f := range c.t.Fields {
		names = append(names, f.Name)
	}
	return names
}

// asked are the fields that a condition sees in a scope.
type asked struct {
	*compiler
	scope *scope
}

// Find finds one.
func (a asked) Find(name string) (condition.Field, bool) {
	f, ok := a.find(a.scope, name)
	return condition.Field{Index: f.Index, Type: f.Type, Optional: f.Index < len(a.t.Fields) && a.t.Fields[f.Index].Optional}, ok
}

// Names returns the names of all.
func (a asked) Names() []string { return a.visible(a.scope) }

// when reads a `when` clause.
func (c *compiler) when(s *scope, line *outline.Line, clause outline.Clause) condition.Condition {
	cond, errs := condition.Parse(clause.Text, asked{c, s})
	at := line.TextPos(clause)
	for _, e := range errs {
		c.errs = append(c.errs, &outline.Error{Pos: outline.Pos{Line: at.Line, Column: at.Column + e.At}, Width: max(e.Width, 1), Message: e.Message, Help: e.Help, Lacks: e.Lacks})
	}
	return cond
}
