package pattern

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"vestibula/core/value"
)

// A Misfit says why a name does not fit a pattern.
type Misfit struct {
	At      int // in bytes of the name in Unicode normal form C
	Message string
	// Tied says that the name fits, and more than one convention alike.
	Tied bool
	read int  // how much of the name was read, in bytes
	near bool // that is enough to say that it is meant so
}

// Ending returns the misfit of a name that fits, but for its ending.
func Ending(at int, message string) *Misfit {
	return &Misfit{At: at, Message: message, read: at, near: at > 0}
}

// Closer reports whether the name came closer to fitting than in the case of
// another misfit.
func (m *Misfit) Closer(other *Misfit) bool { return m.read > other.read }

// Near reports whether so much of the name was read that it is meant so: a number, a day, one of
// some words, a word of the pattern, or more than half.
func (m *Misfit) Near() bool { return m.near }

// Error returns the message.
func (m *Misfit) Error() string { return m.Message }

// misfit describes the furthest place at which the name did not fit.
func (r *Reader) misfit() *Misfit {
	m := &Misfit{At: r.far, read: r.far, near: r.reason != "" || 2*r.far > len(r.s) || r.says(r.want)}
	switch {
	case r.reason != "":
		m.Message, m.read = r.reason, len(r.s)
	case r.want >= len(r.tokens):
		m.Message = "the name should end here"
	default:
		m.Message = r.expected(r.want)
		if r.far >= len(r.s) {
			m.Message = "the name ends too early: " + m.Message
		}
	}
	return m
}

// says reports whether one of the tokens before one says more than a free text.
func (r *Reader) says(want int) bool {
	for i := range r.tokens[:min(want, len(r.tokens))] {
		t := &r.tokens[i]
		if t.op == digits || t.op == oneOf || t.op == literal && strings.IndexFunc(t.text, unicode.IsLetter) >= 0 {
			return true
		}
	}
	return false
}

// partNames say, for a person, what a part is.
var partNames = map[part]string{
	partYear: "year", partYearShort: "year", partMonth: "month", partDay: "day", partQuarter: "quarter", partWeek: "week", partPlace: "term",
}

var digitWords = []string{"", "one digit", "two digits", "three digits", "four digits", "five digits", "six digits"}

// expected says what token i needs.
func (r *Reader) expected(i int) string {
	t := &r.tokens[i]
	what := ""
	if owner := r.owner[i]; owner >= 0 {
		what = "<" + r.fields[owner].name + ">"
	}
	if name := partNames[t.part]; name != "" {
		what = "the " + name
	}
	switch t.op {
	case literal:
		return fmt.Sprintf("“%s” belongs here", t.text)
	case digits:
		end := r.far
		for end < len(r.s) && isDigit(r.s[end]) {
			end++
		}
		if n := end - r.far; n >= t.width && n <= 12 {
			if found := t.parse(r.s[r.far:end]); found > t.hi || found < t.lo {
				return fmt.Sprintf("%s cannot be %s, only %d to %d", what, r.s[r.far:end], t.lo, t.hi)
			}
			if n > t.width {
				return fmt.Sprintf("%s has more zeros in front than %s", what, digitWords[min(t.width, 6)])
			}
		}
		if t.width < len(digitWords) {
			return what + " needs " + digitWords[t.width]
		}
		return what + " needs " + strconv.Itoa(t.width) + " digits"
	case letters:
		return fmt.Sprintf("%s needs a letter such as %c", what, t.width)
	case oneOf:
		return fmt.Sprintf("%s must be one of %s", what, strings.Join(t.words, ", "))
	}
	like := ""
	if t.style != nil {
		like = ", which is written " + t.style.form
	}
	if r.far < len(r.s) {
		c, _ := utf8.DecodeRuneInString(r.s[r.far:])
		sign := "“" + string(c) + "”"
		if c == ' ' {
			sign = "a space"
		}
		return fmt.Sprintf("%s cannot stand in %s%s", sign, what, like)
	}
	return what + " is missing" + like
}

// impossible says why the parts of field f make no value, and where in the
// name that field begins.
func (r *Reader) impossible(f int, v value.Value) (reason string, at int) {
	for i, owner := range r.owner {
		if owner == f {
			break
		}
		at = r.ends[i]
	}
	name := r.fields[f].name
	switch {
	case r.parts[f].clash:
		reason = fmt.Sprintf("<%s> stands here twice, with different values", name)
	case v.Kind == value.Date && int(v.Day) > value.DaysIn(int(v.Year), int(v.Part)):
		reason = fmt.Sprintf("%s is not a date: that month has %d days", v, value.DaysIn(int(v.Year), int(v.Part)))
	case v.Kind == value.Week && int(v.Part) > value.WeeksIn(int(v.Year)):
		reason = fmt.Sprintf("%s does not exist: that year has %d weeks", v, value.WeeksIn(int(v.Year)))
	case r.fields[f].typ.Barred(v.Text) != "":
		reason = fmt.Sprintf("<%s> cannot hold \"%s\"", name, r.fields[f].typ.Barred(v.Text))
	default:
		reason = fmt.Sprintf("the parts of <%s> contradict each other", name)
	}
	return reason, at
}
