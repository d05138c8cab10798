package template

import (
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"vestibula/core/pattern"
	"vestibula/core/value"
)

// Markers stand for texts that nobody knows yet: a tree that is made with them
// shows where the values of fields will be, and with which form, so that what
// holds for all values can be told from what holds for some.
type Markers struct{ list []marker }

// A marker is the text for one field, or for one item of a list: two words of
// two letters in both cases, from a script that no template uses. Each form
// writes it in a way of its own, which tells the form.
type marker struct {
	name  string      // of the field
	typ   *value.Type // of the text, or of an item
	text  string
	forms []markerForm // the longest first
}

// A markerForm is how a form writes a marker.
type markerForm struct {
	text string
	form string // empty for none
}

// The Deseret alphabet (Unicode U+10400 to U+1044F) has forty letters with case.
const (
	deseretCapital = '\U00010400'
	deseretSmall   = '\U00010428'
	deseretLetters = 40
)

// Markers returns the markers for the fields of the template: one for each text,
// two for each list.
func (t *Template) Markers() *Markers {
	m := &Markers{}
	for _, f := range t.Fields {
		switch {
		case f.Made():
		case f.Type.Kind == value.Text:
			m.add(f.Name, &f.Type)
		case f.Type.Kind == value.List:
			m.add(f.Name, &value.Type{Kind: value.Text})
			m.add(f.Name, &value.Type{Kind: value.Text})
		}
	}
	return m
}

func (m *Markers) add(name string, typ *value.Type) {
	i := rune(2 * len(m.list))
	if i+1 >= deseretLetters {
		return
	}
	// Two letters in turn, so that the initials twice are no other form.
	mk := marker{name: name, typ: typ, text: string([]rune{deseretSmall + i, deseretCapital + i + 1, ' ', deseretCapital + i + 1, deseretSmall + i})}
	written := mk.text
	if typ.Max != nil {
		written = pattern.Cut(written, *typ.Max)
	}
	mk.forms = append(mk.forms, markerForm{written, ""})
	for _, form := range pattern.TextForms() {
		mk.forms = append(mk.forms, markerForm{pattern.Restyle(written, form), form})
	}
	slices.SortStableFunc(mk.forms, func(a, b markerForm) int { return len(b.text) - len(a.text) })
	m.list = append(m.list, mk)
}

// Marked returns the values with markers in place of texts and lists, except for
// the given ones. Now is the date that "today" means.
func (t *Template) Marked(values, given Values, now time.Time) Values {
	out := t.Sample(values, now) // a new map
	left := t.Markers().list
	take := func() value.Value {
		v := value.Of(left[0].text)
		left = left[1:]
		return v
	}
	for _, f := range t.Fields {
		_, fixed := given[f.Name]
		var v value.Value
		switch {
		case f.Made() || len(left) < 2 && f.Type.Kind == value.List || len(left) == 0:
			continue
		case f.Type.Kind == value.Text:
			v = take()
		case f.Type.Kind == value.List:
			v = value.Value{Kind: value.List, Items: []value.Value{take(), take()}}
		default:
			continue
		}
		if !fixed {
			out[f.Name] = v
		}
	}
	return out
}

// In reports whether a name holds a marker.
func (m *Markers) In(name string) bool {
	return strings.IndexFunc(name, func(r rune) bool { return r >= deseretCapital && r < deseretSmall+deseretLetters }) >= 0
}

// Of returns the markers that stand in names, by their index, in order.
func (m *Markers) Of(names ...string) []int {
	var list []int
	for _, r := range strings.Join(names, "") {
		i := int(r-deseretCapital) % deseretLetters / 2
		if r >= deseretCapital && i < len(m.list) && r < deseretSmall+deseretLetters && !slices.Contains(list, i) {
			list = append(list, i)
		}
	}
	return list
}

// Fill writes the name as it is with values for markers, each with the form
// of its slot; a marker without a value becomes "x".
func (m *Markers) Fill(name string, values map[int]string) string {
	return m.replace(name, func(i int, form string) string {
		v, ok := values[i]
		if !ok {
			v = "x"
		}
		if form == "" {
			v, _ = pattern.Clean(v)
			return v
		}
		return pattern.Restyle(v, form)
	})
}

// A Part of a name with markers is a text, or a slot: the same for the same field with the
// same form.
type Part struct {
	Text string
	Slot int // from 1; 0 of a text
}

// Parts returns what a name is made of.
func (m *Markers) Parts(name string) (parts []Part) {
	text := ""
	flush := func() {
		if text != "" {
			parts, text = append(parts, Part{Text: text}), ""
		}
	}
	m.scan(name, func(s string) { text += s }, func(i, form int) {
		flush()
		parts = append(parts, Part{Slot: 1 + i*len(m.list[i].forms) + form})
	})
	flush()
	return parts
}

// scan goes through a name from its beginning: texts, and markers by their index and their
// form.
func (m *Markers) scan(name string, text func(s string), slot func(i, form int)) {
	list := m.Of(name)
next:
	for name != "" {
		for _, i := range list {
			for k, form := range m.list[i].forms {
				if form.text != "" && strings.HasPrefix(name, form.text) {
					slot(i, k)
					name = name[len(form.text):]
					continue next
				}
			}
		}
		_, size := utf8.DecodeRuneInString(name)
		text(name[:size])
		name = name[size:]
	}
}

// Takes reports whether a text can be a value for a marker, as it is, and every slot of
// names that stands for it can be written with it.
func (m *Markers) Takes(i int, text string, names ...string) bool {
	typ := m.list[i].typ
	if v, err := typ.Parse(text, time.Time{}); err != nil || v.Text != text || typ.Max != nil && utf8.RuneCountInString(text) > *typ.Max {
		return false
	}
	takes := true
	for _, name := range names {
		m.scan(name, func(string) {}, func(k, form int) {
			if k != i {
				return
			}
			var written string
			if form := m.list[i].forms[form].form; form != "" {
				written = pattern.Restyle(text, form)
			} else {
				written, _ = pattern.Clean(text)
			}
			takes = takes && written != ""
		})
	}
	return takes
}

// Show returns a name as the template has it, with slots for the markers.
func (m *Markers) Show(name string) string {
	return m.replace(name, func(i int, form string) string {
		if form == "" {
			return "<" + m.list[i].name + ">"
		}
		return "<" + m.list[i].name + ":" + form + ">"
	})
}

// Name returns the slot that a marker stands for.
func (m *Markers) Name(i int) string { return "<" + m.list[i].name + ">" }

func (m *Markers) replace(name string, with func(i int, form string) string) string {
	var b strings.Builder
	m.scan(name, func(s string) { b.WriteString(s) }, func(i, form int) { b.WriteString(with(i, m.list[i].forms[form].form)) })
	return b.String()
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
