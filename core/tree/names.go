package tree

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"vestibula/core/alphabet"
	"vestibula/core/outline"
)

// Extension returns the ending by which a name is read as that of a file,
// without the dot, or "": one to eight letters or digits, a letter among them,
// with something in front of the dot.
func Extension(name string) string {
	i := strings.LastIndexByte(name, '.')
	if i <= 0 {
		return ""
	}
	ending, letter := name[i+1:], false
	for _, r := range ending {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return ""
		}
		letter = letter || unicode.IsLetter(r)
	}
	if n := utf8.RuneCountInString(ending); n < 1 || n > 8 || !letter {
		return ""
	}
	return ending
}

// Split takes the ending from the name of a file. The ending is returned in
// small letters, without the dot.
func Split(name string) (stem, ending string) {
	if ending = Extension(name); ending == "" {
		return name, ""
	}
	return name[:len(name)-len(ending)-1], strings.ToLower(ending)
}

// Bare returns a name without what only serves to sort it, and without the
// ending of a file: `_01 Notes`, `2027-03-09 Notes` and `A.02 - Notes.md` are all Notes.
func Bare(n *Node) string {
	name := stem(n)
	return strings.TrimLeft(name[sortPrefix(name):], joints)
}

// Unnumbered is as [Bare], but that a day or a year in front stays: it says what the thing is.
func Unnumbered(n *Node) string {
	name := stem(n)
	at := sortPrefix(name)
	for run := range strings.FieldsFuncSeq(name[:at], func(r rune) bool { return r < '0' || r > '9' }) {
		if (len(run) == 4 || len(run) == 6 || len(run) == 8) && run >= "19" && run < "22" {
			return name
		}
	}
	return strings.TrimLeft(name[at:], joints)
}

// stem is the name of a folder, or that of a file without its ending.
func stem(n *Node) string {
	if n.Kind != File {
		return n.Name
	}
	stem, _ := Split(n.Name)
	return stem
}

// joints stand between a number and the name behind it.
const joints = " .-_)"

// sortPrefix returns the length of the sort mark and the numbering in front of
// a name: marks such as _ or z_, then `01`, `A.1`, or a date. A name that is nothing else has none.
func sortPrefix(name string) int {
	at := 0
	for strings.HasPrefix(name[at:], "z_") || at < len(name) && strings.IndexByte("_!#~", name[at]) >= 0 {
		if name[at] == 'z' {
			at++
		}
		at++
	}
	start := at
	if rest := name[at:]; len(rest) > 2 && isLetter(rest[0]) && (rest[1] == '.' || rest[1] == '-') && isDigit(rest[2]) {
		at += 2
	}
	digits := at
	for at < len(name) && (isDigit(name[at]) || at > digits && strings.IndexByte(".-", name[at]) >= 0 && at+1 < len(name) && isDigit(name[at+1])) {
		at++
	}
	if at == digits {
		at = start
	} else if at < len(name) && strings.IndexByte(joints, name[at]) < 0 {
		return start // 3rd, 2x: the digits belong to a word
	}
	if strings.Trim(name[at:], joints) == "" {
		return 0
	}
	return at
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func isLetter(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

// Ending is the ending of a file in small letters, "" of a folder.
func Ending(n *Node) string {
	if n.Kind == Folder {
		return ""
	}
	_, ending := Split(n.Name)
	return ending
}

func sameEnding(want, real *Node) bool {
	return want.Marks&Either != 0 || Ending(want) == Ending(real)
}

// Renumbered reports whether two names are the same but for the number or mark in front.
func Renumbered(want, real *Node) bool {
	return sameEnding(want, real) && Unnumbered(want) == Unnumbered(real)
}

// Respelled reports whether people take two names for the same: see [Key].
func Respelled(want, real *Node) bool {
	return sameEnding(want, real) && Key(want) == Key(real)
}

// Key is what is equal for names that people take for the same: their letters and
// digits, small, without accents, and without the number in front and leading zeros.
func Key(n *Node) string {
	var b strings.Builder
	before := ' '
	for _, r := range string(alphabet.Plainly(nil, Unnumbered(n))) {
		switch {
		case unicode.IsDigit(r) && !unicode.IsDigit(before):
			b.WriteByte(' ') // two numbers are not one
			if r != '0' {
				b.WriteRune(r)
			}
		case unicode.IsDigit(r):
			if r != '0' || before != '0' || isDigit(b.String()[b.Len()-1]) {
				b.WriteRune(r)
			}
		case r != ' ':
			b.WriteRune(r)
		}
		before = r
	}
	if b.Len() == 0 {
		return Folded(n.Name) // signs alone
	}
	return b.String()
}

// Slipped reports whether two names differ in one slip of the pen: a letter more,
// less, another one, or two that changed places. Digits are no letters: 1 and 2 are
// two numbers. Long words may have two slips.
func Slipped(want, real *Node) bool {
	if !sameEnding(want, real) {
		return false
	}
	a, b := []rune(Key(want)), []rune(Key(real))
	if len(a) < 4 || len(b) < 3 || digitsOf(a) != digitsOf(b) {
		return false
	}
	slips := 1
	if len(a) >= 9 {
		slips = 2
	}
	return outline.Slips(a, b, slips) <= slips
}

func digitsOf(r []rune) string {
	return strings.Map(func(c rune) rune {
		if unicode.IsDigit(c) {
			return c
		}
		return -1
	}, string(r))
}
