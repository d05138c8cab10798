// Package guide makes the page of a template for those who join: where each thing goes, and
// what to call it. It finds what is to be said, and writes it as Markdown; other forms are
// drawn from the same [Page] elsewhere. Its texts come from the template, and what stands
// around them is in the same language where there are words for it.
package guide

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"vestibula/core/condition"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Page is what a guide says.
type Page struct {
	Language    string       `json:"language"` // of the texts, as a code: de, en, fr …
	Title       string       `json:"title"`
	About       string       `json:"about,omitempty"`
	Own         string       `json:"own"` // the project's own folder
	Tree        []Row        `json:"tree"`
	Places      []Place      `json:"places"`
	Conventions []Convention `json:"conventions"`
	Codes       []Codes      `json:"codes"`
	Rules       []Rule       `json:"rules"`
	Due         []Due        `json:"due"`
	Fixed       []string     `json:"fixed"` // folders that somebody else named, and that keep their names
}

// A Row is a line of the tree.
type Row struct {
	Depth  int    `json:"depth"`
	Name   string `json:"name"`
	Folder bool   `json:"folder"`
	Note   string `json:"note,omitempty"`  // what it is for
	Holds  string `json:"holds,omitempty"` // what comes to lie in it
	State  string `json:"state,omitempty"` // "when it is needed", "to be delivered", or "only when" and a condition
	Branch int    `json:"branch"`          // which of the folders at the top it lies in, from 1; 0 for none
	More   int    `json:"more,omitempty"`  // so many more like it follow, which are left out
}

// A Place says where something goes.
type Place struct {
	What  string `json:"what"`
	Where string `json:"where"`
	Note  string `json:"note,omitempty"`
}

// A Convention is how some files are named.
type Convention struct {
	Name    string   `json:"name"`
	Pattern string   `json:"pattern"`
	Example string   `json:"example"` // a made-up name
	Slots   []Slot   `json:"slots"`   // the example, taken apart
	Endings []string `json:"endings,omitempty"`
	Places  []string `json:"places,omitempty"`
	Older   []string `json:"older,omitempty"` // patterns that are read as well
}

// A Slot is a part of an example: a slot of the pattern, or a text that stands as it is.
type Slot struct {
	Text    string `json:"text"`           // in the example
	Slot    string `json:"slot,omitempty"` // in the pattern; empty for a text
	Meaning string `json:"meaning,omitempty"`
}

// Codes are those of a field, with what they mean.
type Codes struct {
	Field string      `json:"field"`
	Codes [][2]string `json:"codes"`
}

// A Rule is one that the template sets, in a plain sentence, with its reason.
type Rule struct {
	Name string `json:"name"`
	Says string `json:"says"`
	Why  string `json:"why"`
}

// A Due is something that a person has to deliver.
type Due struct {
	Path  string `json:"path"`
	Day   string `json:"day,omitempty"`
	Worth int    `json:"worth,omitempty"`
}

// day is that of made-up examples.
var day = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

// alike is how many of a row of like things are shown at most: of more, the first and the last.
const alike = 6

// maxRows is how many lines of the tree a guide shows.
const maxRows = 400

// Of finds what a guide of a template says, of a project with some values: its own folder is
// the root of own.
func Of(t *template.Template, own *tree.Node, values template.Values, due map[*tree.Node]value.Value) *Page {
	if made, err := t.WithMade(values); err == nil {
		values = made
	}
	p := &Page{Language: language(t), Title: oneLine(t.Heading()), About: oneLine(t.About), Own: own.Name,
		Tree: []Row{}, Places: []Place{}, Conventions: []Convention{}, Codes: []Codes{}, Rules: []Rule{}, Due: []Due{}, Fixed: []string{}}
	p.rows(t, own)
	p.places(t, own)
	p.conventions(t, own, values)
	p.codes(t)
	p.rules(t)
	p.dues(t, own, due)
	return p
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// rows draws the tree: of a row of like things, the first ones.
func (p *Page) rows(t *template.Template, own *tree.Node) {
	told := map[int32]bool{}
	var walk func(n *tree.Node, depth, branch int)
	walk = func(n *tree.Node, depth, branch int) {
		for i := 0; i < len(n.Children); i++ {
			c := n.Children[i]
			end := i + 1
			for l := t.LineOf(c); l != nil && l.Each != nil && end < len(n.Children) && n.Children[end].From == c.From; {
				end++
			}
			if depth == 0 {
				branch++
			}
			r := Row{Depth: depth, Name: c.Name, Folder: c.Kind == tree.Folder, Branch: branch}
			if l := t.ClausesOf(c); l != nil && !told[c.From] {
				told[c.From] = true
				r.Note = oneLine(l.Note)
				if l.HoldsAnything() {
					r.Holds = p.holds(l)
				}
			}
			l := t.LineOf(c)
			switch {
			case c.Marks&tree.Later != 0:
				r.State = p.Say("when it is needed")
			case c.Marks&tree.Due != 0:
				r.State = p.Say("to be delivered")
			case l != nil && l.When != nil:
				r.State = p.Say("only when %s", p.condition(l.When))
			}
			if len(p.Tree) < maxRows {
				p.Tree = append(p.Tree, r)
			}
			walk(c, depth+1, branch)
			if end-i > alike { // the others are the same
				if len(p.Tree) < maxRows {
					p.Tree = append(p.Tree, Row{Depth: depth, Name: n.Children[end-1].Name, Folder: r.Folder, Branch: branch, More: end - i - 2})
				}
				i = end - 1
			}
		}
	}
	walk(own, 0, 0)
}

// holds is what comes to lie in a folder, in the order of the template.
func (p *Page) holds(l *template.Line) string {
	list := strings.Split(l.HoldsText(), ",")
	for i, what := range list {
		if list[i] = strings.TrimSpace(what); slices.Contains(l.Kinds, list[i]) {
			list[i] = p.Say(list[i])
		}
	}
	return strings.Join(list, ", ")
}

// condition is one in the guide's language, with what its codes mean.
func (p *Page) condition(c condition.Condition) string {
	whole := ""
	for i, row := range c {
		tests := p.test(row[0])
		for _, t := range row[1:] {
			tests = p.Say("%s and %s", tests, p.test(t))
		}
		if i > 0 {
			tests = p.Say("%s or %s", whole, tests)
		}
		whole = tests
	}
	return whole
}

func (p *Page) test(t condition.Test) string {
	subject := condition.Test{Field: t.Field, Step: t.Step}.String()
	switch {
	case t.Equals == nil && t.Not:
		return p.Say("not %s", subject)
	case t.Equals == nil:
		return subject
	}
	is := t.Equals.String()
	if meaning := t.Meaning(); meaning != "" {
		is += " (" + oneLine(meaning) + ")"
	}
	if t.Not {
		return p.Say("%s is not %s", subject, is)
	}
	return p.Say("%s is %s", subject, is)
}

// places finds what goes where: by conventions, kinds and endings, and what stands beside.
func (p *Page) places(t *template.Template, own *tree.Node) {
	seen := map[string]bool{}
	add := func(what, where, note string) {
		if key := what + "\x00" + where; !seen[key] {
			seen[key] = true
			p.Places = append(p.Places, Place{what, where, note})
		}
	}
	told := map[int32]bool{}
	var walk func(n *tree.Node, at string, repeated bool)
	walk = func(n *tree.Node, at string, repeated bool) {
		for _, c := range n.Children {
			l := t.ClausesOf(c)
			if l == nil && c.Kind == tree.Folder { // it only leads to others
				made := t.LineOf(c)
				walk(c, at+c.Name+"/", repeated || made != nil && made.Each != nil)
			}
			if l == nil || c.Kind != tree.Folder || told[c.From] {
				continue
			}
			told[c.From] = true
			where, again := at+c.Name+"/", repeated || l.Each != nil
			note := func(text string) string {
				own, others := "", ""
				if l.HoldsAnything() {
					own = oneLine(l.Note)
				}
				if again {
					others = p.Say("and so in the others like it")
				}
				return strings.Join(slices.DeleteFunc([]string{own, text, others}, func(s string) bool { return s == "" }), "; ")
			}
			for _, conv := range l.Holds {
				add(conv.Name, where, note(p.Say("named as below")))
			}
			for _, kind := range l.Kinds {
				add(p.Say(kind), where, note(p.Say("files such as %s", strings.Join(few(template.FileKinds[kind]), ", "))))
			}
			for _, ending := range l.Endings {
				add(p.Say("files that end in .%s", ending), where, note(""))
			}
			walk(c, where, again)
		}
	}
	walk(own, "", false)
}

func few(list []string) []string { return list[:min(len(list), 4)] }

// conventions takes each apart, with a made-up example; first of all the name of the
// project's own folder.
func (p *Page) conventions(t *template.Template, own *tree.Node, values template.Values) {
	if l := t.LineOf(own); l != nil && len(l.Names) > 0 {
		m := maker{p, t.Fields, values}
		slots, text := m.apart(l.Names[len(l.Names)-1].Pattern.Source)
		if text == own.Name && slices.ContainsFunc(slots, func(s Slot) bool { return s.Slot != "" }) {
			p.Conventions = append(p.Conventions, Convention{Name: p.Say("the project’s own folder"), Pattern: l.Names[len(l.Names)-1].Pattern.Source, Example: text, Slots: slots})
		}
	}
	for _, c := range t.Names {
		m := maker{p, append(slices.Clone(c.Fields), t.Fields...), values}
		example, whole, err := c.Pattern.Write(m.value, 2)
		if err != nil || !whole {
			continue
		}
		one := Convention{Name: c.Name, Pattern: c.Pattern.Pattern.Source, Example: example, Endings: c.For}
		one.Slots, _ = m.apart(one.Pattern)
		if len(c.For) > 0 {
			one.Example += "." + c.For[0]
		}
		told := map[int32]bool{}
		for at, n := range own.All() {
			if l := t.ClausesOf(n); l != nil && slices.Contains(l.Holds, c) && !told[n.From] {
				told[n.From] = true
				one.Places = append(one.Places, strings.Clone(at)+"/")
			}
		}
		p.Conventions = append(p.Conventions, one)
	}
}

// A maker makes up names for some fields, of which the first of a name counts.
type maker struct {
	page   *Page
	fields []*template.Field
	values template.Values
}

func (m *maker) field(name string) *template.Field {
	if i := slices.IndexFunc(m.fields, func(f *template.Field) bool { return f.Name == name }); i >= 0 {
		return m.fields[i]
	}
	return nil
}

// value is what a slot is given: the value that is known, else one that is made up.
func (m *maker) value(slot string) value.Value {
	if given := m.values[slot]; given.Given() && !given.Empty() {
		return given
	}
	f := m.field(slot)
	if f == nil {
		return value.Value{}
	}
	if f.Example != nil && f.Type.Kind != value.List {
		if e, err := f.Parse(*f.Example, day); err == nil && e.Given() {
			return e
		}
	}
	return f.Type.Specimen(f.Name, value.OfDate(day))
}

// apart takes an example of a pattern apart, slot by slot, and returns it in one as well.
func (m *maker) apart(source string) (list []Slot, whole string) {
	for _, piece := range pieces(source) {
		one := Slot{Text: piece.Text}
		if piece.Field != "" {
			one = Slot{Text: m.write(piece), Slot: piece.Text, Meaning: m.meaning(piece.Field)}
		}
		list = append(list, one)
		whole += one.Text
	}
	return list, whole
}

// write is what a slot is in an example.
func (m *maker) write(slot pattern.Piece) string {
	if f := m.field(slot.Field); f != nil {
		if p, errs := pattern.Parse(slot.Text); len(errs) == 0 {
			name, errs := p.Bind(func(string) (pattern.Field, *pattern.Error) { return pattern.Field{Type: &f.Type}, nil })
			if len(errs) == 0 {
				if text, _, err := name.Write(m.value, 2); err == nil && text != "" {
					return text
				}
			}
		}
	}
	return m.value(slot.Field).String()
}

// pieces are the texts and slots of a pattern.
func pieces(source string) []pattern.Piece {
	p, _ := pattern.Parse(source)
	return p.Pieces
}

// meaning is what a slot is filled with, in words.
func (m *maker) meaning(field string) string {
	f := m.field(field)
	if f == nil {
		return field
	}
	text := strings.TrimSpace(strings.Trim(oneLine(f.Ask), "?¿"))
	unasked := text == "" || strings.EqualFold(text, f.Name)
	if unasked {
		text = strings.ReplaceAll(f.Name, "-", " ")
	}
	switch {
	case f.Made():
		var parts []string
		for _, piece := range pieces(f.Is()) {
			if piece.Field != "" {
				parts = append(parts, m.page.Say("%s from %s", m.write(piece), strings.ReplaceAll(piece.Field, "-", " ")))
			}
		}
		return m.page.Say("%s: %s", text, strings.Join(parts, ", "))
	case f.Next != template.Uncounted && unasked:
		return m.page.Say("the next number")
	case f.Next != template.Uncounted:
		return m.page.Say("%s: %s", text, m.page.Say("the next number"))
	case len(f.Type.Of) > 0 && (f.Type.Kind == value.Choice || f.Type.Kind == value.Term):
		var codes []string
		for _, o := range f.Type.Of {
			codes = append(codes, o.Code)
		}
		return m.page.Say("%s: %s", text, strings.Join(codes, ", "))
	case f.Type.Kind != value.Text:
		return text + " (" + m.page.Say(f.Type.Kind.String()) + ")"
	}
	return text
}

func (p *Page) codes(t *template.Template) {
	fields := slices.Clone(t.Fields)
	for _, c := range t.Names {
		for _, f := range c.Fields {
			if !slices.Contains(fields, f) {
				fields = append(fields, f)
			}
		}
	}
	for _, f := range fields {
		one := Codes{Field: cmp.Or(oneLine(f.Ask), f.Name)}
		if strings.EqualFold(strings.TrimSuffix(one.Field, "?"), f.Name) {
			one.Field = strings.ReplaceAll(f.Name, "-", " ")
		}
		for _, o := range f.Type.Of {
			if o.Meaning != "" && !f.Borrowed {
				one.Codes = append(one.Codes, [2]string{o.Code, oneLine(o.Meaning)})
			}
		}
		if len(one.Codes) > 0 {
			p.Codes = append(p.Codes, one)
		}
	}
}

func (p *Page) dues(t *template.Template, own *tree.Node, due map[*tree.Node]value.Value) {
	for at, n := range own.All() {
		l := t.LineOf(n)
		if l != nil && n.Marks&tree.Keep != 0 {
			p.Fixed = append(p.Fixed, strings.Clone(at))
		}
		if n.Marks&tree.Due == 0 || l == nil {
			continue
		}
		d := Due{Path: strings.Clone(at), Worth: l.Worth}
		if day, known := due[n]; known {
			d.Day = day.String()
		}
		p.Due = append(p.Due, d)
	}
	slices.SortStableFunc(p.Due, func(a, b Due) int { return strings.Compare(cmp.Or(a.Day, "~"), cmp.Or(b.Day, "~")) })
}
