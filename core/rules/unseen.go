package rules

import (
	"strings"
	"unicode"

	"vestibula/core/alphabet"
	"vestibula/core/lookalike"
	"vestibula/core/tree"
)

func unseenRules() []*rule {
	return []*rule{{
		name:  "unseen",
		about: "No name holds characters that nobody sees, such as direction marks and spaces of no width, and no two neighbours look alike.",
		why:   "Two names that look the same and are not hide one thing behind the other; a direction mark can make an ending look like another one.",
		set:   "unseen: on\nunseen: warn",
		bad:   "Commission\n    Agree\u200bment",
		good:  "Commission\n    Agreement",

		schema: warnSchema, standard: "on", configure: unseen,
	}}
}

func unseen(c *context) (check, error) {
	severity, err := onOff(c, Error)
	return check{folder: func(f *Folder, report func(Finding)) {
		var alike map[string][]*tree.Node // by what they look like
		for _, n := range f.Node.Children {
			if alphabet.IsASCII(n.Name) {
				continue
			}
			if hidden, clean := unseenIn(n.Name); hidden != 0 {
				finding := f.finding("unseen", severity, n)
				finding.Message = say("%s holds a character that nobody sees (U+%04X)", shown(clean), hidden)
				finding.Help = f.advice("type the name again", "rename it to "+clean)
				finding.Fix = f.renaming(n, clean, true)
				report(finding)
				continue
			}
			if alike == nil {
				alike = make(map[string][]*tree.Node, len(f.Node.Children))
				for _, other := range f.Node.Children {
					look := lookalike.Look(other.Name)
					alike[look] = append(alike[look], other)
				}
			}
			for _, other := range alike[lookalike.Look(n.Name)] {
				if tree.Folded(other.Name) == tree.Folded(n.Name) || !lookalike.Alike(other.Name, n.Name) {
					continue
				}
				letter := lookalike.Other(n.Name, other.Name)
				if letter == 0 {
					continue // the other one tells
				}
				finding := f.finding("unseen", severity, n)
				finding.Message = say("%s looks like its neighbour %s, and is written with another character (%c is U+%04X)", shown(n.Name), shown(other.Name), letter, letter)
				finding.Help = "give one of them another word"
				report(finding)
				break
			}
		}
	}}, err
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
