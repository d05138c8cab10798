package pattern

import (
	"fmt"
	"strconv"

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
	partChoice
	partYesNo
	partText
	partInitials
)

// A token is the smallest unit of a picture: it writes one part of a value,
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
	table  *asciiSteps // of the style, for reading
}

func digitsToken(p part, width, lo, hi int) token {
	return token{op: digits, part: p, width: width, lo: lo, hi: hi}
}

// Append writes a value behind dst. The value is of the picture's kind. The
// error is a clause that can stand behind the value.
func (p *Picture) Append(dst []byte, v value.Value) ([]byte, error) {
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
			s, _ := Clean(v.Text)
			if t.style != nil {
				if s = t.style.apply(v.Text); s == "" && v.Text != "" {
					return dst, fmt.Errorf("holds no letter or digit that a name written like %q could show", p.text)
				}
			}
			dst = append(dst, s...)
		}
	}
	return dst, nil
}

// keepsSigns reports whether the picture leaves the signs in a text, so that a
// sign that no name can hold has to be replaced.
func (p *Picture) keepsSigns() bool {
	st := p.tokens[0].style
	return st == nil || st.spaced()
}

// number returns the part of a value that the token writes. For words, it is
// the index of the word.
func (t *token) number(v value.Value) int {
	year := v.Year
	if t.iso {
		year, _ = v.Time().ISOWeek()
	}
	n := 0
	switch t.part {
	case partNumber, partYesNo:
		n = v.Number
	case partYear:
		n = year
	case partYearShort:
		n = year % 100
	case partMonth:
		n = v.Part
	case partDay:
		n = v.Day
	case partQuarter:
		if n = v.Part; v.Kind != value.Quarter {
			n = (v.Part + 2) / 3
		}
	case partWeek:
		if n = v.Part; v.Kind == value.Date {
			_, n = v.Time().ISOWeek()
		}
	case partWeekday:
		return int(v.Time().Weekday()+6) % 7
	case partPlace:
		n = v.Part
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
	s := strconv.AppendInt(buf[:0], int64(n), 10)
	for i := len(s); i < width; i++ {
		dst = append(dst, '0')
	}
	return append(dst, s...)
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
