package rules

import (
	"bytes"
	"unicode/utf8"

	"vestibula/core/alphabet"
	"vestibula/core/tree"
)

func nameLengthRules() []*rule {
	return []*rule{{
		name:  "name-length",
		about: "A name has at most so many characters.",
		why:   "Long names are cut in lists, wrap in mails, and add up to paths that systems refuse.",
		set:   "name-length: 40",
		bad:   "# name-length: 20\nCommission\n    Everything that was agreed on",
		good:  "# name-length: 20\nCommission\n    Agreement",

		schema: limitsSchema(1), configure: nameLength,
	}, {
		name:  "name-words",
		about: "A name has at most so many words, numbering aside.",
		why:   "A short name is read at a glance.",
		set:   "name-words: 4",
		bad:   "# name-words: 3\nCommission\n    02 Notes on the first survey",
		good:  "# name-words: 3\nCommission\n    02 First survey notes",

		schema: limitsSchema(1), configure: nameWords,
	}}
}

// eachName calls do for the children that naming rules are about: not for those
// that somebody else named, nor for names that are still open.
func eachName(f *Folder, do func(n *tree.Node)) {
	for _, n := range f.Node.Children {
		if n.Marks&(tree.Keep|tree.Open) == 0 {
			do(n)
		}
	}
}

func nameLength(c *context) (check, error) {
	limits, err := readLimits(c.setting, 1)
	return check{around: len(limits.in) > 0, folder: func(f *Folder, report func(Finding)) {
		limit := limits.of(f)
		if limit < 0 {
			return
		}
		eachName(f, func(n *tree.Node) {
			if length := len(n.Name); length <= limit {
				return
			}
			if length := utf8.RuneCountInString(n.Name); length > limit {
				finding := f.finding("name-length", c.severity, n)
				finding.Message = say("%s has %d characters; at most %d are allowed", shown(n.Name), length, limit)
				finding.Help = "shorten it"
				report(finding)
			}
		})
	}}, err
}

func nameWords(c *context) (check, error) {
	limits, err := readLimits(c.setting, 1)
	return check{around: len(limits.in) > 0, folder: func(f *Folder, report func(Finding)) {
		limit := limits.of(f)
		if limit < 0 {
			return
		}
		eachName(f, func(n *tree.Node) {
			if words := bytes.Fields(alphabet.Plainly(nil, tree.Bare(n))); len(words) > limit {
				finding := f.finding("name-words", c.severity, n)
				finding.Message = say("%s has %d words; at most %d are allowed", shown(n.Name), len(words), limit)
				finding.Help = "leave out what the folder above says already"
				report(finding)
			}
		})
	}}, err
}
