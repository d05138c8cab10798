package naming

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"vestibula/core/template"
	"vestibula/core/tree"
)

// Bare returns a name without what only serves to sort it, and without the
// ending of a file: `_01 Notes` and `A.02 - Notes.md` are both Notes.
func Bare(n *tree.Node) string {
	name := n.Name
	if n.Kind == tree.File {
		if ending := template.Extension(name); ending != "" {
			name = name[:len(name)-len(ending)-1]
		}
	}
	return strings.TrimLeft(name[sortPrefix(name):], " .-_)")
}

// sortPrefix returns the length of the sort mark and the numbering in front of
// a name: marks such as _ or z_, then `01`, `A.1`, or a date, and what joins it
// to the name. A name that is nothing else has no prefix.
func sortPrefix(name string) int {
	at := 0
	for {
		switch rest := name[at:]; {
		case strings.HasPrefix(rest, "z_"):
			at += 2
			continue
		case rest != "" && strings.IndexByte("_!#~", rest[0]) >= 0:
			at++
			continue
		}
		break
	}
	start := at
	if rest := name[at:]; len(rest) > 2 && letterASCII(rest[0]) && (rest[1] == '.' || rest[1] == '-') && isDigit(rest[2]) {
		at += 2
	}
	digits := at
	for at < len(name) && (isDigit(name[at]) || at > digits && strings.IndexByte(".-", name[at]) >= 0 && at+1 < len(name) && isDigit(name[at+1])) {
		at++
	}
	if at == digits {
		at = start
	} else if at < len(name) && !strings.ContainsRune(" .-_)", rune(name[at])) {
		return start // 3rd, 2x: the digits belong to a word
	}
	if strings.Trim(name[at:], " .-_)") == "" {
		return 0
	}
	return at
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func letterASCII(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

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
