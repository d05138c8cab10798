package rules

import (
	"fmt"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func vagueRules() []*rule {
	return []*rule{{
		name:  "vague-names",
		about: "No name says nothing.",
		why:   "Nobody looks into a folder called Misc, and everybody puts something there. A list of your own takes the place of the built-in one: " + strings.Join(vagueWords, ", ") + ".",
		set:   "vague-names: [misc, stuff, neu]\nvague-names: on",
		bad:   "Commission\n    Misc\n    New folder",
		good:  "Commission\n    Paper samples\n    Letters",

		schema:   map[string]any{"anyOf": []any{map[string]any{"enum": []any{"on", "yes", true}}, map[string]any{"type": "array", "items": map[string]any{"type": "string"}}}},
		standard: "on", configure: vagueNames,
	}}
}

// vagueWords are names that say nothing about what they hold.
var vagueWords = []string{"misc", "miscellaneous", "various", "other", "others", "stuff", "things", "bits", "general", "random", "temp", "tmp",
	"untitled", "untitled folder", "new folder", "folder", "new", "unsorted", "asdf", "test", "xxx", "final", "final final", "copy", "old stuff", "sort me", "to sort"}

func vagueNames(c *context) (check, error) {
	words, given := vagueWords, true
	switch {
	case c.setting.Kind == template.Sequence:
		words, given = c.setting.Texts(), false
	case c.setting.Kind != template.Scalar || c.setting.Text != "on":
		return check{}, fmt.Errorf("needs a list of names, on or off")
	}
	vague := map[string]bool{}
	longest := 0
	for _, w := range words {
		vague[tree.Folded(w)] = true
		longest = max(longest, len(w))
	}
	if asked := c.others["catch-all"]; asked != nil {
		delete(vague, tree.Folded(tree.Bare(&tree.Node{Name: asked.Text}))) // another rule asks for it
	}
	severity := Warning // a name is never wrong, but it can mislead
	return check{folder: func(f *Folder, report func(Finding)) {
		eachName(f, func(n *tree.Node) {
			if given && naming.ByMachine(n.Name) {
				finding := f.finding("vague-names", severity, n)
				finding.Message = say("%s is a name that a device or a program gave, or one to be filled in", shown(n.Name))
				finding.Help = "name what is in it"
				report(finding)
				return
			}
			if len(n.Name) > longest+16 {
				return
			}
			// "New folder (2)" and "Misc 3" say no more.
			name := strings.TrimRight(tree.Bare(n), " 0123456789()-_")
			if vague[tree.Folded(name)] {
				finding := f.finding("vague-names", severity, n)
				finding.Message = say("%s says nothing about what it holds", shown(n.Name))
				finding.Help = "name what is in it; whatever has no home yet can go into a folder for arrivals"
				report(finding)
			}
		})
	}}, nil
}
