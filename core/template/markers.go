package template

import (
	"strings"
	"time"

	"vestibula/core/value"
)

// Markers stand for texts that nobody knows yet: a tree that is made with them
// shows where the values of fields will be, so that what holds for all values
// can be told from what holds for some. Each is a letter that no template uses,
// without case and accent, so that every picture leaves it as it is.
type Markers struct {
	names map[rune]string // a marker → what it stands for
	next  rune
}

// The letters of Old North Arabian, which serve as markers.
const (
	firstMarker = '\U00010A80'
	lastMarker  = '\U00010A9C'
)

// Markers returns the markers for the fields of the template.
func (t *Template) Markers() *Markers {
	m := &Markers{names: map[rune]string{}, next: firstMarker}
	for _, f := range t.Fields {
		if !f.Made() && (f.Type.Kind == value.Text || f.Type.Kind == value.List) {
			m.add(f.Name)
			if f.Type.Kind == value.List {
				m.add(f.Name) // two items are enough to see two of them side by side
			}
		}
	}
	return m
}

func (m *Markers) add(name string) {
	if m.next <= lastMarker {
		m.names[m.next] = name
		m.next++
	}
}

// Marked returns the values with a marker in place of each text, except for
// those that fixed names. Now is the date that "today" means.
func (t *Template) Marked(fixed Values, now time.Time) Values {
	values := t.Sample(fixed, now)
	next := rune(firstMarker)
	mark := func() value.Value {
		v := value.Of(string(next))
		next++
		return v
	}
	for _, f := range t.Fields {
		if f.Made() || f.Type.Kind != value.Text && f.Type.Kind != value.List || next >= lastMarker {
			continue
		}
		v := mark()
		if f.Type.Kind == value.List {
			v = value.Value{Kind: value.List, Items: []value.Value{v, mark()}}
		}
		if _, given := fixed[f.Name]; !given {
			values[f.Name] = v
		}
	}
	return values
}

// Without returns the values without those of texts and lists that are not among
// the given ones, so that [Template.Marked] can put markers in their place.
func (v Values) Without(t *Template, given Values) Values {
	out := Values{}
	for name, w := range v {
		_, fixed := given[name]
		if f := t.Field(name); fixed || f != nil && f.Type.Kind != value.Text && f.Type.Kind != value.List {
			out[name] = w
		}
	}
	return out
}

// HasTexts reports whether some text or list of the template is not given, so
// that nobody knows yet what it will be.
func (t *Template) HasTexts(given Values) bool {
	for _, f := range t.Fields {
		_, fixed := given[f.Name]
		if !fixed && !f.Made() && (f.Type.Kind == value.Text || f.Type.Kind == value.List) {
			return true
		}
	}
	return false
}

func isMarker(r rune) bool { return r >= firstMarker && r <= lastMarker }

// In reports whether a name holds a marker.
func (m *Markers) In(name string) bool { return strings.IndexFunc(name, isMarker) >= 0 }

// Of returns the markers that stand in names, each once, in order.
func (m *Markers) Of(names ...string) []rune {
	var list []rune
	for _, r := range strings.Join(names, "") {
		if isMarker(r) && !strings.ContainsRune(string(list), r) {
			list = append(list, r)
		}
	}
	return list
}

// Fill puts values into a name; a marker without one becomes "x".
func (m *Markers) Fill(name string, values map[rune]string) string {
	return m.replace(name, func(r rune) string {
		if v, ok := values[r]; ok {
			return v
		}
		return "x"
	})
}

// Show returns a name as a person reads it: with <client> for the marker of
// that field.
func (m *Markers) Show(name string) string {
	return m.replace(name, func(r rune) string { return "<" + m.names[r] + ">" })
}

func (m *Markers) replace(name string, with func(r rune) string) string {
	if !m.In(name) {
		return name
	}
	var b strings.Builder
	for _, r := range name {
		if isMarker(r) {
			b.WriteString(with(r))
		} else {
			b.WriteRune(r)
		}
	}
	return b.String()
}

// Scenarios returns sets of values that show a template in all its sizes:
// first the values given, completed with defaults and examples; then with
// everything that can be turned on and every number as large as it may become;
// then with everything off and small; and then with each choice in turn.
func (t *Template) Scenarios(given Values, now time.Time) []Values {
	sample := t.Sample(given, now)
	list := []Values{sample}
	options := 0
	variant := func(number func(*value.Type) *int, yes bool, option int) {
		v := Values{}
		changed := false
		for name, w := range sample {
			v[name] = w
		}
		for _, f := range t.Fields {
			if _, fixed := given[f.Name]; fixed || f.Made() {
				continue
			}
			was := v[f.Name]
			switch f.Type.Kind {
			case value.Number:
				if n := number(&f.Type); n != nil {
					v[f.Name] = value.OfNumber(*n)
				}
			case value.YesNo:
				v[f.Name] = value.Bool(yes)
			case value.Choice:
				options = max(options, len(f.Type.Of))
				v[f.Name] = f.Type.Option(option % len(f.Type.Of))
			}
			changed = changed || !was.Equal(v[f.Name])
		}
		if changed {
			list = append(list, v)
		}
	}
	largest := func(typ *value.Type) *int { return typ.Max }
	variant(largest, true, 0)
	variant(func(typ *value.Type) *int { return typ.Min }, false, 0)
	for i := 1; i < min(options, 12); i++ {
		variant(largest, true, i)
	}
	return list
}
