// Package template turns a template, header and outline, into something that
// can be built: [Parse] finds everything that is wrong with the text, and
// [Template.Tree] makes the tree of folders and files that values give.
//
// What a header and the clauses of an outline mean is settled here. What makes
// a good tree is not: that is judged by package rules.
package template

import (
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// Ending is the ending of the files that hold templates.
const Ending = ".folders"

// A Template is a template that has been read without an error.
type Template struct {
	Name     string // of its file, for messages
	Folder   string // in which that lies on the disk; empty where it lies in none
	Text     string
	Title    string // from the header, or empty
	About    string
	Language string // of the names of months and days, and of the guide, as a code; "" where the header does not say it
	Fields   []*Field
	Names    []*Convention // the naming conventions, in the order of the header
	Lines    []*Line       // of the outline, those of parts at each place where they are used
	Guide    Guide         // what writes the files with `guide`; nil leaves them empty
	Rules    []Setting
	Ignore   []string       // paths that checks of real folders pass by
	Texts    []string       // endings, in small letters, of further texts in which links are looked for
	Warnings outline.Errors // what is allowed but looks like a mistake

	file     *outline.File
	starters fs.FS
	made     []*Field // fields made from others, each behind those it needs
	top      *block
	hasOwn   bool
	depth    int // how many loops lie inside each other at the most

	inspecting sync.Mutex // guards what starters were found to be
	spare      sync.Pool  // expanders to be used again: trees may be made by the hundred thousand
}

// Edited returns the template with another text, and the same starters. The error is an
// [outline.Errors].
func (t *Template) Edited(text string) (*Template, error) { return Parse(t.Name, text, t.starters) }

// A Setting is one entry under "rules:" of a header.
type Setting struct {
	Name  string
	Pos   outline.Pos
	Width int
	Value *Node // of what is only turned on or off, the text "on" or "off"
}

// Off reports whether the rule is turned off.
func (s *Setting) Off() bool { return s.Value.Kind == Scalar && s.Value.Text == "off" }

// Heading returns the title of the template, or the name of its file without
// the ending.
func (t *Template) Heading() string {
	if t.Title != "" {
		return t.Title
	}
	return strings.TrimSuffix(t.Name, Ending)
}

// Field returns the field with that name, or nil.
func (t *Template) Field(name string) *Field {
	for _, f := range t.Fields {
		if f.Name == name {
			return f
		}
	}
	return nil
}

// FieldNames returns the names of the fields that can be given, in the order
// of the header.
func (t *Template) FieldNames() []string {
	var names []string
	for _, f := range t.Fields {
		if !f.Made() && !f.Borrowed {
			names = append(names, f.Name)
		}
	}
	return names
}

// Line returns the text of a line of the template, without its line break.
func (t *Template) Line(n int) string { return LineOf(t.Text, n) }

// LineOf returns the n-th line of a text, from 1, without its line break.
func LineOf(text string, n int) string {
	for line := range strings.Lines(text) {
		if n--; n == 0 {
			return strings.TrimRight(line, "\r\n")
		}
	}
	return ""
}

// Values are the values of a template's fields by their names.
type Values map[string]value.Value

// Clone returns a copy, which is never nil.
func (v Values) Clone() Values {
	if v == nil {
		return Values{}
	}
	return maps.Clone(v)
}

// A ValueError is a value that cannot be used.
type ValueError struct {
	Field   string
	Message string // a clause that can stand behind the field's name
}

// Error returns the field and what is wrong with its value.
func (e *ValueError) Error() string { return e.Field + " " + e.Message }

// ParseValues reads raw values by the types of the fields. All that is wrong is
// returned, in the order of the names. Now is the date that "today" means.
func (t *Template) ParseValues(raw map[string]Raw, now time.Time) (Values, []*ValueError) {
	return parseValues(t.Fields, "template", raw, now)
}

// Known reads those raw values that the template has use for and can read: a label may hold
// others, which are as good as not given.
func (t *Template) Known(raw map[string]Raw, now time.Time) Values {
	values := Values{}
	for name, r := range raw {
		if f := t.Field(name); f != nil && !f.Made() {
			if v, err := f.Parse(r, now); err == nil {
				values[name] = v
			}
		}
	}
	return values
}

// parseValues reads raw values of some fields; whose they are is said in
// messages.
func parseValues(fields []*Field, whose string, raw map[string]Raw, now time.Time) (Values, []*ValueError) {
	values, errs := make(Values, len(fields)), []*ValueError(nil)
	for name := range raw {
		i := slices.IndexFunc(fields, func(f *Field) bool { return f.Name == name })
		if i < 0 {
			var known []string
			for _, f := range fields {
				if !f.Made() {
					known = append(known, f.Name)
				}
			}
			message := "is not a field of this " + whose
			if near := outline.Nearest(name, known); near != "" {
				message += fmt.Sprintf(": did you mean \"%s\"?", near)
			} else if len(known) > 0 {
				message += ", which has " + strings.Join(known, ", ")
			}
			errs = append(errs, &ValueError{name, message})
			continue
		}
		if fields[i].Made() {
			errs = append(errs, &ValueError{name, "is made from other fields and cannot be given"})
			continue
		}
		v, err := fields[i].Parse(raw[name], now)
		if err != nil {
			errs = append(errs, &ValueError{name, err.Error()})
			continue
		}
		values[name] = v
	}
	for _, f := range fields {
		v, longer := values[f.Name], values[f.Within]
		if covers, known := longer.Covers(v); known && !covers {
			errs = append(errs, &ValueError{f.Name, fmt.Sprintf("%s does not lie in the %s %s", v, f.Within, longer)})
		}
	}
	slices.SortFunc(errs, func(a, b *ValueError) int { return strings.Compare(a.Field, b.Field) })
	return values, errs
}

// Missing returns the fields that values hold nothing for, that have no default, and
// that are needed to build.
func (t *Template) Missing(values Values) []*Field {
	var missing []*Field
	for _, f := range t.Fields {
		if _, given := values[f.Name]; !given && f.Default == nil && !f.Made() && f.Next == Uncounted && f.needed {
			missing = append(missing, f)
		}
	}
	return missing
}

// Complete adds the defaults of the fields that values leave out, and returns
// them.
func (t *Template) Complete(values Values, now time.Time) Values {
	return t.fill(values, now, false)
}

// Sample returns the values together with the defaults, else the examples, of
// the fields that they leave out.
func (t *Template) Sample(values Values, now time.Time) Values {
	return t.fill(maps.Clone(values), now, true)
}

func (t *Template) fill(all Values, now time.Time, examples bool) Values {
	if all == nil {
		all = Values{}
	}
	for _, f := range t.Fields {
		if _, given := all[f.Name]; given || f.Made() {
			continue
		}
		raw := f.Default
		if examples && (raw == nil || f.Optional && f.Example != nil) {
			raw = f.Example
		}
		if raw == nil || !f.needed && (f.used || f.Optional) && raw == f.Default {
			continue // it holds for the names and the lines for later that use it, each time
		}
		// The text was checked when the template was read.
		if v, err := f.Parse(*raw, now); err == nil {
			all[f.Name] = v
		}
	}
	return all
}

// WithMade returns the values together with those of the fields that are made
// from others, as far as these are given.
func (t *Template) WithMade(values Values) (Values, error) {
	env, err := t.env(nil, values)
	all := maps.Clone(values)
	for i, f := range t.Fields {
		if f.Made() && err == nil && env[i].Given() {
			all[f.Name] = env[i]
		}
	}
	return all, err
}

// env lays the values out by the index of their fields, with room for the own
// number of a line and for the loops. Fields made from others are made. It uses
// an env from before again, if there is one.
func (t *Template) env(env []value.Value, values Values) ([]value.Value, error) {
	if n := len(t.Fields) + 1 + t.depth; len(env) != n {
		env = make([]value.Value, n)
	}
	clear(env)
	for i, f := range t.Fields {
		env[i] = values[f.Name]
	}
	for _, f := range t.made {
		filling := pattern.Filling{Values: env}
		text, err := f.is.Append(nil, &filling)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
		if !filling.Open {
			env[slices.Index(t.Fields, f)] = value.Of(string(text))
		}
	}
	return env, nil
}

// Own returns the path of the project's own folder in a tree that the template has
// made, and its node: "." and the root where all that it makes lies side by side.
func (t *Template) Own(root *tree.Node) (string, *tree.Node) {
	if t.hasOwn {
		for path, n := range root.All() {
			if n.Marks&tree.Own != 0 {
				return path, n
			}
		}
	}
	return ".", root
}

// Place returns where the name of an outline line stands, and its width.
func (t *Template) Place(line int) (outline.Pos, int) {
	for _, l := range t.file.Lines {
		if l.Number == line {
			return l.Pos(), utf8.RuneCountInString(l.Name)
		}
	}
	return outline.Pos{Line: line, Column: 1}, 1
}
