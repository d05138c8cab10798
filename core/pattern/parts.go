package pattern

import (
	"strings"
	"unicode"

	"vestibula/core/value"
)

// Parts are what the tokens of one field say about its value.
type parts struct {
	known    uint16 // which parts are there, a bit for each
	clash    bool   // two tokens say different things
	n        [partInitials]int
	text     string
	initials string
	letter   string
}

func (p *parts) have(q part) bool { return p.known&(1<<q) != 0 }

// add takes what a token read in s: a text, or the number n.
func (p *parts) add(t *token, n int, s string) {
	if t.op == freeText {
		into := &p.text
		if t.part == partInitials {
			into = &p.initials
		} else if t.part == partLetter {
			into = &p.letter
		} else {
			s = t.style.undo(s)
		}
		p.clash = p.clash || p.have(t.part) && *into != s
		*into = s
		p.known |= 1 << t.part
		return
	}
	p.clash = p.clash || p.have(t.part) && p.n[t.part] != n
	p.n[t.part] = n
	p.known |= 1 << t.part
}

// initials and letter are the styles of the forms LT and L.
var initials, letter = styleNamed("LT"), styleNamed("L")

// undo turns a text written in the style into words with spaces between.
func (st *style) undo(s string) string {
	switch {
	case st == nil || st.spaced() || st.initials:
		return s
	case st.joint != "":
		at := strings.IndexByte(s, st.joint[0])
		if at < 0 {
			return s
		}
		b := make([]byte, 0, 64)
		b = append(b, s...)
		for i := at; i < len(b); i++ {
			if b[i] == st.joint[0] {
				b[i] = ' '
			}
		}
		return string(b)
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
		place := p.n[partPlace]
		if p.have(partSchool) && p.have(partPlace) {
			from := p.n[partSchool]
			if t.NewYear > 0 && place >= t.NewYear {
				from++
			}
			if (p.n[partSchool]+1)%100 != p.n[partSchoolShort] || known && year != from {
				return v, false
			}
			year, known = from, true
		}
		if !known || !p.have(partPlace) {
			return v, true
		}
		return t.Term(year, place), true
	case value.Text:
		whole := p.text
		if !p.have(partText) {
			if whole = p.initials; !p.have(partInitials) {
				whole = p.letter
			}
		} else if p.have(partInitials) && initials.apply(p.text) != p.initials {
			return v, false
		}
		return value.Of(whole), !p.have(partLetter) || letter.apply(whole) == p.letter
	}
	return p.calendar()
}

// year returns the year; of two digits, the one between 2000 and 2099.
func (p *parts) year() (int, bool) {
	switch {
	case p.have(partYear) && p.have(partYearShort) && p.n[partYear]%100 != p.n[partYearShort]:
		return 0, false
	case p.have(partYear):
		return p.n[partYear], true
	case p.have(partYearShort):
		return 2000 + p.n[partYearShort], true
	}
	return 0, false
}

func (p *parts) calendar() (value.Value, bool) {
	year, known := p.year()
	if !known {
		return value.Value{}, !(p.have(partYear) && p.have(partYearShort))
	}
	v := value.Value{Kind: value.Year, Year: int16(year)}
	switch {
	case p.have(partMonth) && p.have(partDay):
		v.Kind, v.Part, v.Day = value.Date, uint8(p.n[partMonth]), uint8(p.n[partDay])
		if int(v.Day) > value.DaysIn(year, int(v.Part)) {
			return v, false
		}
	case p.have(partMonth):
		v.Kind, v.Part = value.Month, uint8(p.n[partMonth])
	case p.have(partWeek):
		v.Kind, v.Part = value.Week, uint8(p.n[partWeek])
		if int(v.Part) > value.WeeksIn(year) {
			return v, false
		}
		if p.have(partWeekday) {
			v = value.OfDate(v.Time().AddDate(0, 0, p.n[partWeekday]))
		}
	case p.have(partQuarter):
		v.Kind, v.Part = value.Quarter, uint8(p.n[partQuarter])
	}
	return v, p.agrees(v)
}

// agrees reports whether the parts that a date or month was not made from say
// the same as it does.
func (p *parts) agrees(v value.Value) bool {
	for _, t := range [...]token{{part: partQuarter}, {part: partWeek}, {part: partWeekday, op: oneOf}} {
		says := p.have(t.part) && (v.Kind == value.Date || v.Kind == value.Month && t.part == partQuarter)
		if says && t.number(&v) != p.n[t.part] {
			return false
		}
	}
	return true
}
