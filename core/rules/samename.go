package rules

import (
	"fmt"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/tree"
)

// sameName holds for every tree: no two siblings with one name. Windows and
// macOS take names for the same that differ only in case, and macOS and some
// shared drives those that differ only in their Unicode normal form.
func sameName(f *Folder, report func(Finding)) {
	children := f.Node.Children
	if len(children) < 2 {
		return
	}
	seen := make(map[string]*tree.Node, len(children))
	for _, c := range children {
		key := tree.Folded(c.Name)
		first := seen[key]
		if first == nil {
			seen[key] = c
			continue
		}
		finding := Finding{Rule: "same-name", Line: f.line(c), Path: f.Path(c), Related: f.Path(first)}
		switch where := f.otherLine(first, c); {
		case first.Name == c.Name:
			finding.Message = say("“%s” would be made twice in one place%s", c.Name, where)
			finding.Help = "give one of them another name"
		case norm.NFC.String(first.Name) == norm.NFC.String(c.Name):
			finding.Message = say("“%s” is written with two different codes that look the same%s: on many systems that is one name", c.Name, where)
			finding.Help = "type both names again, in the same way"
		default:
			finding.Message = say("“%s” and “%s” differ only in capitals%s: on Windows and macOS that is one name", first.Name, c.Name, where)
			finding.Help = "give one of them another word"
		}
		report(finding)
	}
}

func (f *Folder) otherLine(first, second *tree.Node) string {
	if f.line(first) == f.line(second) || f.line(first) == 0 {
		return ""
	}
	return fmt.Sprintf(" (see line %d)", f.line(first))
}
