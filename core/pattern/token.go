package pattern

import (
	"fmt"

	"vestibula/core/value"
)

// An op is what a token writes and reads.
type op uint8

const (
	literal  op = iota // its text
	digits             // a number between lo and hi in at least width digits
	letters            // the same as A, B, … Z, AA; width is 'A' or 'a'
	oneOf              // one of its words
	freeText           // a free text in its style
)

// A part is what a token says about a value.
type part uint8

const (
	partNone part = iota
	partNumber
	partYear
	partYearShort
	partMonth
	partDay
	partQuarter
	partWeek
	partWeekday
	partPlace
	partSchool      // the year in which the list of a term began
	partSchoolShort // the last two digits of the one after
	partChoice
	partYesNo
	partText
	partInitials
	partLetter
)

// A token is the smallest unit of a form: it writes one part of a value,
// and it reads that part back.
type token struct {
	op     op
	part   part
	iso    bool // the year is that of the ISO 8601 week
	width  int
	lo, hi int
	text   string
	words  []string
	style  *style
	// For reading:
	table  *asciiSteps // of the style
	digits int         // how many digits there are at the most
	stops  bool        // the text ends where it meets what follows, and nowhere else
}

func digitsToken(p part, width, lo, hi int) token {
	return token{op: digits, part: p, width: width, lo: lo, hi: hi}
}

// Append writes a value behind dst. The value is of the form's kind. The
// error is a clause that can stand behind the value.
func (p *Form) Append(dst []byte, v value.Value) ([]byte, error) { return p.append(dst, &v) }

func (p *Form) append(dst []byte, v *value.Value) ([]byte, error) {
	for i := range p.tokens {
		t := &p.tokens[i]
		switch t.op {
		case literal:
			dst = append(dst, t.text...)
		case digits:
			dst = appendPadded(dst, t.number(v), t.width)
		case letters:
			if v.Number < 1 {
				return dst, fmt.Errorf("has no letter: A stands for 1")
			}
			dst = appendLetters(dst, v.Number, byte(t.width))
		case oneOf:
			n := t.number(v)
			if n < 0 || n >= len(t.words) {
				return dst, fmt.Errorf("is none of the allowed values")
			}
			dst = append(dst, t.words[n]...)
		case freeText:
			if t.style == nil {
				s, _ := Clean(v.Text)
				dst = append(dst, s...)
				continue
			}
			before := len(dst)
			if dst = t.style.append(dst, v.Text); len(dst) == before && v.Text != "" {
				return dst, fmt.Errorf("holds no letter or digit that a name written like \"%s\" could show", p.text)
			}
		}
	}
	return dst, nil
}

// keepsSigns reports whether the form leaves the signs in a text, so that a
// sign that no name can hold has to be replaced.
func (p *Form) keepsSigns() bool {
	st := p.tokens[0].style
	return st == nil || st.spaced()
}

// number returns the part of a value that the token writes. For words, it is
// the index of the word.
func (t *token) number(v *value.Value) int {
	n := 0
	switch t.part {
	case partNumber, partYesNo:
		n = v.Number
	case partYear, partYearShort:
		if n = int(v.Year); t.iso {
			n, _ = v.Time().ISOWeek()
		}
		if t.part == partYearShort {
			n %= 100
		}
	case partMonth:
		n = int(v.Part)
	case partDay:
		n = int(v.Day)
	case partQuarter:
		if n = int(v.Part); v.Kind != value.Quarter {
			n = (n + 2) / 3
		}
	case partWeek:
		if n = int(v.Part); v.Kind == value.Date {
			_, n = v.Time().ISOWeek()
		}
	case partWeekday:
		return int(v.Time().Weekday()+6) % 7
	case partPlace:
		n = int(v.Part)
	case partSchool:
		n = int(v.Year) - int(v.Day)
	case partSchoolShort:
		n = (int(v.Year) - int(v.Day) + 1) % 100
	case partChoice:
		return v.Number
	}
	if t.op == oneOf && (t.part == partMonth || t.part == partPlace) {
		n--
	}
	return n
}

func appendPadded(dst []byte, n, width int) []byte {
	var buf [20]byte
	at := len(buf)
	for n > 0 || len(buf)-at < width {
		at--
		buf[at] = byte('0' + n%10)
		n /= 10
	}
	if at == len(buf) {
		return append(dst, '0')
	}
	return append(dst, buf[at:]...)
}

// appendLetters writes n in bijective base 26: 1 is A, 26 is Z, 27 is AA.
func appendLetters(dst []byte, n int, first byte) []byte {
	start := len(dst)
	for ; n > 0; n = (n - 1) / 26 {
		dst = append(dst, first+byte((n-1)%26))
	}
	for i, j := start, len(dst)-1; i < j; i, j = i+1, j-1 {
		dst[i], dst[j] = dst[j], dst[i]
	}
	return dst
}
