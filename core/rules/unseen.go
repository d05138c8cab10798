package rules

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/tree"
)

func init() {
	register(&rule{
		name:  "unseen",
		about: "No name holds characters that nobody sees, such as direction marks and spaces of no width, and no two neighbours look alike.",
		why:   "Two names that look the same and are not hide one thing behind the other; a direction mark can make an ending look like another one.",
		set:   "unseen: on\nunseen: warn",
		bad:   "Commission\n    Agree\u200bment",
		good:  "Commission\n    Agreement",

		schema: warnSchema, standard: "on", configure: unseen,
	})
}

func unseen(c *context) (check, error) {
	severity, err := onOff(c, Error)
	return check{folder: func(f *Folder, report func(Finding)) {
		var alike map[string][]*tree.Node // by what they look like
		for _, n := range f.Node.Children {
			if isASCII(n.Name) {
				continue
			}
			if hidden, clean := unseenIn(n.Name); hidden != 0 {
				finding := f.finding("unseen", severity, n)
				finding.Message = fmt.Sprintf("%s holds a character that nobody sees (U+%04X)", shown(clean), hidden)
				finding.Help = f.advice("type the name anew", "rename it to "+clean)
				finding.Fix = f.renaming(n, clean, true)
				report(finding)
				continue
			}
			if alike == nil {
				alike = make(map[string][]*tree.Node, len(f.Node.Children))
				for _, other := range f.Node.Children {
					alike[lookOf(other.Name)] = append(alike[lookOf(other.Name)], other)
				}
			}
			if slices.ContainsFunc(alike[lookOf(n.Name)], func(other *tree.Node) bool { return tree.Folded(other.Name) != tree.Folded(n.Name) }) {
				finding := f.finding("unseen", severity, n)
				finding.Message = fmt.Sprintf("%s looks like its neighbour, and is written with other letters", shown(n.Name))
				finding.Help = "give one of them another word"
				report(finding)
			}
		}
	}}, err
}

func isASCII(s string) bool {
	for i := range len(s) {
		if s[i] >= 0x80 {
			return false
		}
	}
	return true
}

// unseenIn returns the first character of a name that nobody sees, or 0, and the name
// without them. Joiners and variation selectors belong to emoji and to some scripts.
func unseenIn(name string) (hidden rune, clean string) {
	before := rune(0)
	clean = strings.Map(func(r rune) rune {
		seen := true
		switch {
		case r == '\u200d', r == '\u200c', r >= '\ufe00' && r <= '\ufe0f':
			seen = before > 0x2ff && !unicode.Is(unicode.Latin, before)
		case strings.ContainsRune("\u00ad\u034f\u115f\u1160\u17b4\u17b5\u2028\u2029\u2800\u3164\ufeff\uffa0", r), unicode.Is(unicode.Cf, r) && r < 0xe0000:
			seen = false
		case r >= 0xe0100 && r <= 0xe01ef: // forms of ideographs
			seen = before > 0x2ff
		case r >= 0xe0000 && r <= 0xe0fff:
			seen = before > 0x1f000 // flags are spelled with tags
		}
		before = r
		if !seen {
			if hidden == 0 {
				hidden = r
			}
			return -1
		}
		return r
	}, name)
	return hidden, clean
}

// likeLatin are the letters of other scripts that look like Latin ones, as the table
// of confusable characters of Unicode Technical Standard #39 has them: those of
// Cyrillic and Greek that keyboards have.
var likeLatin = sync.OnceValue(func() *strings.Replacer {
	return strings.NewReplacer(
		"а", "a", "е", "e", "о", "o", "р", "p", "с", "c", "у", "y", "х", "x", "ѕ", "s", "і", "i", "ј", "j", "һ", "h", "ԁ", "d",
		"А", "A", "В", "B", "Е", "E", "К", "K", "М", "M", "Н", "H", "О", "O", "Р", "P", "С", "C", "Т", "T", "У", "Y", "Х", "X", "Ѕ", "S", "І", "I", "Ј", "J",
		"Α", "A", "Β", "B", "Ε", "E", "Ζ", "Z", "Η", "H", "Ι", "I", "Κ", "K", "Μ", "M", "Ν", "N", "Ο", "O", "Ρ", "P", "Τ", "T", "Υ", "Y", "Χ", "X", "ο", "o", "ν", "v",
		"–", "-", "—", "-", "‐", "-", "‑", "-", "−", "-", "’", "'", "‘", "'",
	)
})

// lookOf is equal for names that look alike: compatible forms, spaces of all kinds and
// letters of other scripts are those that they look like.
func lookOf(name string) string {
	if isASCII(name) {
		return name
	}
	name = likeLatin().Replace(norm.NFKC.String(name))
	return strings.Map(func(r rune) rune {
		if unicode.IsSpace(r) {
			return ' '
		}
		return r
	}, name)
}
