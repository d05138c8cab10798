package learn

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"vestibula/core/match"
	"vestibula/core/outline"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// An Addition is a line that a template gets.
type Addition struct {
	Number int    // of the line in the new text
	Text   string // as it stands there
	line   *outline.Line
}

// Beyond puts into a template what projects that were built from it have in common beyond
// it, with its text otherwise as it was, comments and layout too. Known are the values of
// each sample, as far as they are: the rest is read from its names. A single project has
// nothing in common with others, and is an error.
func Beyond(t *template.Template, samples []Sample, known []template.Values, limit int, now time.Time) (text string, added []Addition, err error) {
	if len(samples) < 2 {
		return "", nil, errors.New("what one folder has beyond the template may be its own: name two or more")
	}
	l := newLearner(samples)
	l.common = true
	for _, f := range t.Fields {
		if kind := f.Type.Kind.String(); !f.Made() {
			one := &field{name: f.Name, kind: kind, values: make([]string, len(samples)), lists: make([][]string, len(samples))}
			for _, o := range f.Type.Of {
				one.of = append(one.of, o.Code)
			}
			l.fields = append(l.fields, one)
		}
	}
	extras := map[int][]*instance{} // by the number of the line that they lie below
	asked := map[int]int{}          // how many folders there are of each such line
	for i, s := range samples {
		values, err := match.Values(t, known[i], []string{s.Name}, s.Root, limit, now)
		if err != nil {
			return "", nil, err
		}
		values = t.Complete(values, now)
		for _, f := range l.fields {
			if v := values[f.name]; v.Given() && f.kind != "list" && f.kind != "yes-no" {
				f.values[i] = v.String()
			}
		}
		x, err := t.Tree(values, limit)
		if err != nil {
			return "", nil, err
		}
		_, own := t.Own(x.Root)
		beyond(t, own, s.Root, i, extras, asked)
	}
	l.forms = make([][]form, len(samples))
	for i := range samples {
		l.forms[i] = l.formsOf(i)
	}
	file, err := outline.Parse(t.Text)
	if err != nil {
		return "", nil, err
	}
	parents := map[int]*outline.Line{} // by their numbers, which change
	for _, ln := range file.Lines {
		parents[ln.Number] = ln
	}
	for _, number := range slices.Sorted(maps.Keys(extras)) {
		parent := parents[number]
		if len(extras[number]) < asked[number] || parent == nil {
			continue // some have nothing beyond it
		}
		under := &line{name: parent.Name}
		for _, ln := range l.level(extras[number], under) {
			put(file, parent, ln, &added)
		}
	}
	if len(added) == 0 {
		return t.Text, nil, nil
	}
	for i := range added { // their numbers are known only now
		a := &added[i]
		a.Number, a.Text = a.line.Number, strings.TrimRight(a.line.String(), "\r\n")
	}
	slices.SortFunc(added, func(a, b Addition) int { return a.Number - b.Number })
	return file.String(), added, nil
}

// beyond notes what lies in the folders of a template's lines and is not wanted there.
func beyond(t *template.Template, wanted, real *tree.Node, sample int, extras map[int][]*instance, asked map[int]int) {
	ln := t.LineOf(wanted)
	if ln == nil || ln.Syntax == nil {
		return
	}
	number := ln.Syntax.Number
	asked[number]++
	rest := &tree.Node{Name: real.Name}
	for _, c := range real.Children {
		w := wanted.Child(c.Name)
		switch {
		case w != nil && w.Kind == c.Kind:
			if c.Kind == tree.Folder {
				beyond(t, w, c, sample, extras, asked)
			}
		case c.Kind == tree.File && ln.HoldsAnything():
		default:
			rest.Children = append(rest.Children, c)
		}
	}
	if len(rest.Children) > 0 {
		extras[number] = append(extras[number], &instance{sample: sample, node: rest})
	}
}

// put adds a line, with those in it, below another one of the file.
func put(file *outline.File, parent *outline.Line, ln *line, added *[]Addition) {
	name, clause := ln.name, ""
	var before *outline.Line
	if parts := numbered().FindStringSubmatch(name); parts != nil && parts[1] == "" && len(parts[2]) == 2 {
		at, _ := strconv.Atoi(parts[2])
		last, counts := 0, false
		for _, c := range parent.Children {
			if !strings.HasPrefix(c.Name, "<#") {
				continue
			}
			counts = true
			next := last + 1
			if fixed, ok := c.Clause("number"); ok {
				next, _ = strconv.Atoi(fixed.Text)
			}
			if next > at {
				before = c
				break
			}
			last = next
		}
		if counts {
			if name = "<#>" + parts[3]; at != last+1 {
				clause = fmt.Sprint(at)
			}
		}
	}
	if ending := template.Extension(name); ln.folder && len(ln.kids) == 0 && ending != "" {
		name += "/"
	}
	one := file.Add(parent, before, name)
	if !ln.folder && template.Extension(name) == "" {
		one.Set("blank", "")
	}
	if clause != "" {
		one.Set("number", clause)
	}
	*added = append(*added, Addition{line: one})
	for _, k := range ln.kids {
		put(file, one, k, added)
	}
}
