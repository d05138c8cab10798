package match

import (
	"slices"
	"time"

	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// maxRounds bounds how often what was read is used to read more.
const maxRounds = 5

// maxOptions is how many values of a field are tried out.
const maxOptions = 12

// A Showing is a real folder from which it is told what it was made with.
type Showing struct {
	Template *template.Template
	Known    template.Values
	// Names are those of the folders on the way to the project's own folder, and of that
	// folder itself, the outermost first; there may be none.
	Names []string
	Real  *tree.Node
	Limit int
	Now   time.Time
}

// Values reads back what a real folder was made with: the values of a template's
// fields, as far as names show them, beside those that are known. What shows in no name
// is not returned; whether something holds, and which of a few values, is told from what
// is there.
func (s *Showing) Values() (template.Values, error) {
	t, known, real := s.Template, s.Known, s.Real
	values := template.Values{}
	for name, v := range known {
		values[name] = v
	}
	for range maxRounds {
		l := &learner{t: t, known: values, lists: map[string][]value.Value{}, lasts: map[string]value.Value{}, fresh: template.Values{}}
		w, err := Of(t, values, s.Limit, s.Now)
		if err != nil {
			return nil, err
		}
		m := newMatcher(w)
		m.top, m.learn, m.rough = real, l.learn, true
		l.own(m, s.Names)
		m.same(w.Own, real, spot{node: real})
		if !l.take(values) {
			break
		}
	}
	return values, s.tried(values)
}

// A learner gathers what names show.
type learner struct {
	t     *template.Template
	known template.Values
	fresh template.Values
	lists map[string][]value.Value
	lasts map[string]value.Value
}

func (l *learner) learn(line *template.Line, slot string, v value.Value) {
	item, list, _, last := line.Repeats()
	if slot == item {
		switch {
		case list != "":
			if !slices.ContainsFunc(l.lists[list], v.Equal) {
				l.lists[list] = append(l.lists[list], v)
			}
		case last != "" && (!l.lasts[last].Given() || l.lasts[last].Compare(v) < 0):
			l.lasts[last] = v
		}
		return
	}
	if f := l.t.Field(slot); f == nil || f.Made() || f.Borrowed || l.fresh[slot].Given() || line.Marks&tree.Later != 0 {
		return
	}
	l.fresh[slot] = v
}

// own reads the names of the folders down to the project's own.
func (l *learner) own(m *matcher, names []string) {
	at := m.Expansion.Root
	for _, name := range names {
		if len(at.Children) == 0 {
			return
		}
		next := at.Children[0]
		for _, c := range at.Children {
			if c == m.Own || c.Marks&tree.Own != 0 || c.Kind == tree.Folder && len(c.Children) > 0 && next.Kind != tree.Folder {
				next = c
			}
		}
		for _, b := range m.bindings(next, name) {
			if line := m.Template.LineOf(next); line != nil && !l.known[b.slot].Given() {
				l.learn(line, b.slot, b.value)
			}
		}
		at = next
	}
}

// take adds what was learned to values, and reports whether anything was.
func (l *learner) take(values template.Values) (more bool) {
	add := func(name string, v value.Value) {
		f := l.t.Field(name)
		if f == nil || values[name].Given() || !v.Given() {
			return
		}
		if v.Kind != f.Type.Kind && v.Kind != value.List {
			return // only a part of it shows
		}
		values[name], more = v, true
	}
	for name, v := range l.fresh {
		add(name, v)
	}
	for name, items := range l.lists {
		add(name, value.Value{Kind: value.List, Items: items})
	}
	for name, v := range l.lasts {
		add(name, v)
	}
	return more
}

// tried settles the values that show in no name, but in what is there: each of those
// that conditions ask for is tried, and the one with which the folder fits best is
// taken. Where nothing tells them apart, the default stays.
func (s *Showing) tried(values template.Values) error {
	t := s.Template
	asked := map[string]bool{}
	for _, l := range t.Lines {
		for _, row := range l.When {
			for _, test := range row {
				asked[test.Field] = true
			}
		}
	}
	told := template.Values{}
	for name, v := range values {
		told[name] = v
	}
	// Twice, because what one field leaves open can hide what tells another.
	for _, f := range slices.Concat(t.Fields, t.Fields) {
		if _, given := s.Known[f.Name]; given || !asked[f.Name] || told[f.Name].Given() || f.Made() {
			continue
		}
		var options []value.Value
		switch f.Type.Kind {
		case value.YesNo:
			options = []value.Value{value.Bool(false), value.Bool(true)}
		case value.Choice:
			for i := range min(len(f.Type.Of), maxOptions) {
				options = append(options, f.Type.Option(i))
			}
		}
		best, least := -1, 0
		for i, v := range options {
			values[f.Name] = v
			w, err := Of(t, values, s.Limit, s.Now)
			if err != nil {
				return err
			}
			m := newMatcher(w)
			m.top, m.rough = s.Real, true
			m.same(w.Own, s.Real, spot{node: s.Real})
			if best < 0 || m.wrong < least {
				best, least = i, m.wrong
			}
		}
		if delete(values, f.Name); best >= 0 {
			values[f.Name] = options[best]
		}
	}
	return nil
}
