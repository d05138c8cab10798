package naming

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// A Number is one in a name that may be one of a series: a text in front, the number,
// and the rest.
type Number struct {
	Front  string
	Digits string
	Rest   string
	Value  int
}

// NumberIn finds the first number in a name. It is no series' number if it has
// more than nine digits.
func NumberIn(name string) (n Number, ok bool) {
	start := strings.IndexFunc(name, func(r rune) bool { return r >= '0' && r <= '9' })
	if start < 0 {
		return n, false
	}
	end := start
	for end < len(name) && isDigit(name[end]) {
		n.Value = 10*n.Value + int(name[end]-'0')
		end++
	}
	if end-start > 9 {
		return n, false
	}
	n.Front, n.Digits, n.Rest = name[:start], name[start:end], name[end:]
	return n, true
}

// Counts reports whether the number counts siblings: it has at most three
// digits and is joined to what follows by a sign or a blank, and is not the
// beginning of a date.
func (n *Number) Counts() bool {
	if len(n.Digits) > 3 {
		return false
	}
	if n.Rest == "" {
		return true
	}
	r, _ := utf8.DecodeRuneInString(n.Rest)
	return !unicode.IsLetter(r) && !(strings.IndexByte(".-", n.Rest[0]) >= 0 && len(n.Rest) > 1 && isDigit(n.Rest[1]))
}
