package draft

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

// An Update is what a template gets of what projects have in common beyond it.
type Update struct {
	Text  string
	Added []Addition
	Some  []string // folders that most have, and not all: they are not in the text
	Other []string // what most have under another name than the template gives it: it is not in the text
}

// Beyond puts into a template what projects that were built from it have in common beyond
// it, with its text otherwise as it was, comments and layout too. Known are the values of
// each sample, as far as they are: the rest is read from its names. A single project has
// nothing in common with others, and is an error.
func Beyond(t *template.Template, samples []Sample, known []template.Values, limit int, now time.Time) (*Update, error) {
	if len(samples) < 2 {
		return nil, errors.New("what one folder has beyond the template may be its own: name two or more")
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
	found := newSurplus(limit, now)
	all := make([]template.Values, len(samples))
	for i, s := range samples {
		values, err := (&match.Showing{Template: t, Known: known[i], Names: []string{s.Name}, Real: s.Root, Limit: limit, Now: now}).Values()
		if err != nil {
			return nil, err
		}
		values = t.Complete(values, now)
		all[i] = values
		for _, f := range l.fields {
			if v := values[f.name]; v.Given() && f.kind != "list" && f.kind != "yes-no" {
				f.values[i] = v.String()
			}
		}
		if err := found.add(t, values, i, s.Root); err != nil {
			return nil, err
		}
	}
	l.spellings = make([][]spelling, len(samples))
	for i := range samples {
		l.spellings[i] = l.spellingsOf(i)
	}
	lines := map[int][]*line{}
	for _, number := range slices.Sorted(maps.Keys(found.extras)) {
		if len(found.extras[number]) == found.asked[number] { // else some have nothing beyond it
			lines[number] = l.level(found.extras[number], &line{})
		}
	}
	e := &edit{t: t, samples: samples, values: all, limit: limit, now: now, lines: lines, how: map[*line]numbering{}}
	if err := e.number(); err != nil {
		return nil, err
	}
	text, added, err := e.written()
	return &Update{text, added, found.some(len(samples)), found.otherwise(len(samples))}, err
}

// some is what at least half of the samples have beyond the template, and not all.
func (s *surplus) some(n int) (list []string) {
	for _, number := range slices.Sorted(maps.Keys(s.extras)) {
		with := map[string]map[int]bool{}
		for _, in := range s.extras[number] {
			for _, c := range in.node.Children {
				if c.Kind == tree.Folder && writable(c.Name) {
					if with[c.Name] == nil {
						with[c.Name] = map[int]bool{}
					}
					with[c.Name][in.sample] = true
				}
			}
		}
		for _, name := range sortedKeys(with) {
			if k := len(with[name]); 2*k >= n && k < n && k > 1 {
				list = append(list, fmt.Sprintf("%s (%d of %d)", name, k, n))
			}
		}
	}
	return list
}

// A numbering is what becomes of the number in front of the name of a line.
type numbering int

const (
	kept     numbering = iota // it stays in the name
	countsOn                  // it is the next one of those in front of it
	fixed                     // it is one of them, and stands behind the line
)

// maxCounted is for how many lines in a folder is tried what their numbers can be.
const maxCounted = 50

// numberOf is the number in front of the name of a line that could count with others, or -1.
func numberOf(ln *line) int {
	if parts := numbered().FindStringSubmatch(ln.name); parts != nil && parts[1] == "" && len(parts[2]) == 2 {
		n, _ := strconv.Atoi(parts[2])
		return n
	}
	return -1
}

// counts reports whether a line is numbered among its siblings.
func counts(ln *outline.Line) bool { return strings.HasPrefix(ln.Name, "<#") }

// An edit puts lines into a template, by the numbers of those that they lie below.
type edit struct {
	t       *template.Template
	samples []Sample
	values  []template.Values
	limit   int
	now     time.Time
	lines   map[int][]*line
	how     map[*line]numbering
}

// number lets the lines count on with the numbers of the template, where that gives the
// same names.
func (e *edit) number() error {
	left, err := e.left()
	if err != nil {
		return err
	}
	for _, parent := range e.t.Lines {
		if parent.Syntax == nil || !slices.ContainsFunc(parent.Syntax.Children, counts) {
			continue
		}
		lines := e.lines[parent.Syntax.Number]
		for _, ln := range lines[:min(len(lines), maxCounted)] {
			if numberOf(ln) < 0 {
				continue
			}
			for _, e.how[ln] = range []numbering{countsOn, fixed, kept} {
				if n, err := e.left(); err == nil && n <= left {
					break
				}
			}
		}
	}
	return nil
}

// left is how many entries of the samples the edited template does not explain.
func (e *edit) left() (n int, err error) {
	text, _, err := e.written()
	if err != nil {
		return 0, err
	}
	edited, err := e.t.Edited(text)
	found := newSurplus(e.limit, e.now)
	for i := 0; err == nil && i < len(e.samples); i++ {
		err = found.add(edited, e.values[i], i, e.samples[i].Root)
	}
	for _, list := range found.extras {
		for _, in := range list {
			n += in.node.Count()
		}
	}
	for _, k := range found.misnamed {
		n += k
	}
	return n, err
}

// written is the text of the template with the lines, and these.
func (e *edit) written() (text string, added []Addition, err error) {
	file, err := outline.Parse(e.t.Text)
	if err != nil {
		return "", nil, err
	}
	parents := map[int]*outline.Line{} // by their numbers, which change
	for _, ln := range file.Lines {
		parents[ln.Number] = ln
	}
	for _, number := range slices.Sorted(maps.Keys(e.lines)) {
		for _, ln := range e.lines[number] {
			if parents[number] != nil {
				e.put(file, parents[number], ln, &added)
			}
		}
	}
	if len(added) == 0 {
		return e.t.Text, nil, nil
	}
	for i := range added { // their numbers are known only now
		a := &added[i]
		a.Number, a.Text = a.line.Number, strings.TrimRight(a.line.String(), "\r\n")
	}
	slices.SortFunc(added, func(a, b Addition) int { return a.Number - b.Number })
	return file.String(), added, nil
}

// A surplus is what lies in the folders of a template's lines and is not wanted there, as [match.Compare]
// tells it.
type surplus struct {
	limit    int
	now      time.Time
	extras   map[int][]*instance // by the number of the line that they lie below
	asked    map[int]int         // how many folders there are of each such line
	misnamed map[[2]string]int   // what is there under another name: that, and the one it should have
}

func newSurplus(limit int, now time.Time) *surplus {
	return &surplus{limit, now, map[int][]*instance{}, map[int]int{}, map[[2]string]int{}}
}

// add notes what a sample has beyond a template.
func (s *surplus) add(t *template.Template, values template.Values, sample int, real *tree.Node) error {
	w, err := match.Of(t, values, s.limit, s.now)
	if err != nil {
		return err
	}
	seen, err := match.Seen(real, t)
	if err != nil {
		return err
	}
	for _, thing := range match.Compare(w, seen) {
		if thing.Kind == match.Misnamed && thing.Movable() {
			s.misnamed[[2]string{thing.Path, thing.Final()}]++
		}
	}
	s.note(t, sample, seen)
	return nil
}

// note adds what a folder has beyond what is wanted in it.
func (s *surplus) note(t *template.Template, sample int, real *tree.Node) {
	ln := t.LineOf(real)
	if ln == nil || ln.Syntax == nil {
		return
	}
	number := ln.Syntax.Number
	s.asked[number]++
	rest := &tree.Node{Name: real.Name}
	for _, c := range real.Children {
		switch {
		case c.From > 0:
			if c.Kind == tree.Folder {
				s.note(t, sample, c)
			}
		case c.Marks&(tree.Conforms|tree.Apart) != 0, c.Kind == tree.File && ln.HoldsAnything():
		default:
			s.strip(t, sample, c)
			rest.Children = append(rest.Children, c)
		}
	}
	if len(rest.Children) > 0 {
		s.extras[number] = append(s.extras[number], &instance{sample: sample, node: rest})
	}
}

// strip takes out of what is not wanted what was found to be something that is.
func (s *surplus) strip(t *template.Template, sample int, n *tree.Node) {
	n.Children = slices.DeleteFunc(n.Children, func(c *tree.Node) bool {
		switch {
		case c.From < 1:
			s.strip(t, sample, c)
		case c.Kind == tree.Folder:
			s.note(t, sample, c)
		}
		return c.From > 0
	})
}

// otherwise is what at least half of the samples have under another name than the template gives it.
func (s *surplus) otherwise(n int) (list []string) {
	for key, k := range s.misnamed {
		if 2*k >= n && k > 1 {
			list = append(list, fmt.Sprintf("%s for %s (%d of %d)", key[0], key[1], k, n))
		}
	}
	slices.Sort(list)
	return list
}

// put adds a line, with those in it, below another one of the file.
func (e *edit) put(file *outline.File, parent *outline.Line, ln *line, added *[]Addition) {
	name, clause := ln.name, ""
	var before *outline.Line
	if at, how := numberOf(ln), e.how[ln]; how != kept {
		last := 0
		for _, c := range parent.Children {
			if !counts(c) {
				continue
			}
			next := last + 1
			if given, ok := c.Clause("number"); ok {
				next, _ = strconv.Atoi(given.Text)
			}
			if next > at {
				before = c
				break
			}
			last = next
		}
		if name = "<#>" + name[2:]; how == fixed {
			clause = fmt.Sprint(at)
		}
	}
	if ending := tree.Extension(name); ln.folder && len(ln.kids) == 0 && ending != "" {
		name += "/"
	}
	one := file.Add(parent, before, name)
	if !ln.folder && tree.Extension(name) == "" {
		one.Set("blank", "")
	}
	if clause != "" {
		one.Set("number", clause)
	}
	*added = append(*added, Addition{line: one})
	for _, k := range ln.kids {
		e.put(file, one, k, added)
	}
}
