package pattern

import (
	"strings"
	"unicode"

	"vestibula/core/value"
)

// A matcher reads a text by a row of tokens. It remembers from which token and
// place no reading was found, so that its work grows with the product of
// tokens and characters at the most.
type matcher struct {
	tokens []token
	s      string
	ends   []int  // where each token ends, as far as it has got
	dead   []bool // token*(len(s)+1)+place: nothing fits from there
	// found is called for each reading of the whole text; it returns true to
	// end the search.
	found func(ends []int) bool
	far   int // the furthest place at which a token failed
	want  int // that token
}

// run looks for readings, and reports whether found ended the search.
func (m *matcher) run() bool {
	m.ends = make([]int, len(m.tokens))
	m.dead = make([]bool, (len(m.tokens)+1)*(len(m.s)+1))
	done, _ := m.from(0, 0)
	return done
}

// from reads the rest with the tokens from i on. Done means that found ended
// the search; any, that there was a reading at all.
func (m *matcher) from(i, at int) (done, any bool) {
	if i == len(m.tokens) {
		if at < len(m.s) {
			m.failed(i, at)
			return false, false
		}
		return m.found(m.ends), true
	}
	state := i*(len(m.s)+1) + at
	if m.dead[state] {
		return false, false
	}
	moved := false
	done = m.tokens[i].ends(m.s, at, func(end int) bool {
		moved = true
		m.ends[i] = end
		d, a := m.from(i+1, end)
		any = any || a
		return d
	})
	if !moved {
		m.failed(i, at)
	}
	m.dead[state] = !any
	return done, any
}

func (m *matcher) failed(i, at int) {
	if at >= m.far {
		m.far, m.want = at, i
	}
}

// Parts are what the tokens of one field say about its value.
type parts struct {
	have  [partInitials + 1]bool
	n     [partInitials + 1]int
	text  string
	clash bool // two tokens say different things
}

// add takes what a token read in s.
func (p *parts) add(t *token, s string) {
	n := 0
	switch t.op {
	case literal:
		return
	case digits:
		for i := 0; i < len(s); i++ {
			n = 10*n + int(s[i]-'0')
		}
	case letters:
		for i := 0; i < len(s); i++ {
			n = 26*n + int(s[i]) - t.width + 1
		}
	case oneOf:
		for i, w := range t.words {
			if w == s {
				n = i
				break
			}
		}
		if t.part == partMonth || t.part == partPlace {
			n++
		}
	case freeText:
		s = t.style.undo(s)
		if p.have[t.part] && p.text != s {
			p.clash = true
		}
		p.text = s
	}
	if p.have[t.part] && p.n[t.part] != n {
		p.clash = true
	}
	p.have[t.part], p.n[t.part] = true, n
}

// undo turns a text written in the style into words with blanks between.
func (st *style) undo(s string) string {
	switch {
	case st == nil || st.spaced() || st.initials:
		return s
	case st.joint != "":
		return strings.ReplaceAll(s, st.joint, " ")
	case st.other != title:
		return s
	}
	var b strings.Builder
	for i, r := range s {
		if i > 0 && unicode.IsUpper(r) {
			b.WriteByte(' ')
		}
		b.WriteRune(r)
	}
	return b.String()
}

// value puts the parts together. Where they are too few for the type, the
// result is what they do say: of a date, its month, quarter, week or year; or
// the zero Value. It is not ok where they contradict each other, or name a day
// that does not exist.
func (p *parts) value(t *value.Type) (v value.Value, ok bool) {
	if p.clash {
		return v, false
	}
	switch t.Kind {
	case value.Number:
		return value.OfNumber(p.n[partNumber]), true
	case value.Choice:
		return t.Option(p.n[partChoice]), true
	case value.YesNo:
		return value.Bool(p.n[partYesNo] == 1), true
	case value.Term:
		year, known := p.year()
		if !known || !p.have[partPlace] {
			return v, true
		}
		place := p.n[partPlace]
		return value.Value{Kind: value.Term, Year: year, Part: place, Text: t.Of[place-1].Code}, place >= 1
	case value.Text:
		return value.Of(p.text), true
	}
	return p.calendar()
}

// year returns the year; of two digits, the one between 2000 and 2099.
func (p *parts) year() (int, bool) {
	switch {
	case p.have[partYear] && p.have[partYearShort] && p.n[partYear]%100 != p.n[partYearShort]:
		return 0, false
	case p.have[partYear]:
		return p.n[partYear], true
	case p.have[partYearShort]:
		return 2000 + p.n[partYearShort], true
	}
	return 0, false
}

func (p *parts) calendar() (value.Value, bool) {
	year, known := p.year()
	if !known {
		return value.Value{}, !(p.have[partYear] && p.have[partYearShort])
	}
	v := value.Value{Kind: value.Year, Year: year}
	switch {
	case p.have[partMonth] && p.have[partDay]:
		v.Kind, v.Part, v.Day = value.Date, p.n[partMonth], p.n[partDay]
		if v.Day > value.DaysIn(year, v.Part) {
			return v, false
		}
	case p.have[partMonth]:
		v.Kind, v.Part = value.Month, p.n[partMonth]
	case p.have[partWeek]:
		v.Kind, v.Part = value.Week, p.n[partWeek]
		if v.Part > value.WeeksIn(year) {
			return v, false
		}
		if p.have[partWeekday] {
			v = value.OfDate(v.Time().AddDate(0, 0, p.n[partWeekday]))
		}
	case p.have[partQuarter]:
		v.Kind, v.Part = value.Quarter, p.n[partQuarter]
	}
	return v, p.agrees(v)
}

// agrees reports whether the parts that a date or month was not made from say
// the same as it does.
func (p *parts) agrees(v value.Value) bool {
	for _, t := range [...]token{{part: partQuarter}, {part: partWeek}, {part: partWeekday, op: oneOf}} {
		says := p.have[t.part] && (v.Kind == value.Date || v.Kind == value.Month && t.part == partQuarter)
		if says && t.number(v) != p.n[t.part] {
			return false
		}
	}
	return true
}

// Read reads back a value from all of s. Where the picture does not hold the
// whole value, the result is the part that it holds: of a date shown by its
// year and month, the month. It is not ok where s does not look like the
// picture, or names a day that does not exist.
func (p *Picture) Read(s string) (v value.Value, ok bool) {
	m := matcher{tokens: p.tokens, s: s}
	m.found = func(ends []int) bool {
		var all parts
		from := 0
		for i, end := range ends {
			all.add(&p.tokens[i], s[from:end])
			from = end
		}
		v, ok = all.value(p.typ)
		return ok
	}
	m.run()
	return v, ok
}
