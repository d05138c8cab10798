// Package lookalike tells which names look alike although they are not the same: by the
// table of confusable characters of Unicode Technical Standard #39, "Unicode Security
// Mechanisms", section 4. What nobody sees at all is not its business.
package lookalike

import (
	_ "embed"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
	"golang.org/x/text/width"
)

// table has a line for each character that looks like others: itself, and these. It was
// made by testdata/make.sh from version 15.0 of the standard, as ICU 72 has it.
//
//go:embed table.txt
var table string

var looks = sync.OnceValue(func() map[rune]string {
	m := make(map[rune]string, 6000)
	for line := range strings.Lines(table) {
		r, size := utf8.DecodeRuneInString(line)
		m[r] = strings.TrimSuffix(line[size+1:], "\n")
	}
	return m
})

// Skeleton is equal for names that look alike, as the standard has it. It is for
// comparing, and no name itself.
func Skeleton(name string) string {
	var b strings.Builder
	for _, r := range norm.NFD.String(name) {
		if look, other := looks()[r]; other {
			b.WriteString(look)
		} else {
			b.WriteRune(r)
		}
	}
	return norm.NFD.String(b.String())
}

// Look is equal for names that look alike, wide and narrow forms among them, which are
// no matter of the standard's table.
func Look(name string) string { return Skeleton(width.Fold.String(name)) }

// Alike reports whether two names, which are not the same, look so. Those that differ
// only in what every keyboard has, such as `Part 1` and `Part I`, are told apart by
// those who wrote them.
func Alike(a, b string) bool {
	return a != b && Look(a) == Look(b) && (Other(a, b) != 0 || Other(b, a) != 0)
}

// Other returns the first character of a name, beyond those of ASCII, in which it is
// another than one that it looks like; or 0.
func Other(a, b string) rune {
	x, y := []rune(norm.NFC.String(a)), []rune(norm.NFC.String(b))
	for i, r := range x {
		if r >= utf8.RuneSelf && (len(x) == len(y) && r != y[i] || !slices.Contains(y, r)) {
			return r
		}
	}
	return 0
}
