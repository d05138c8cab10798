package rules

import (
	"fmt"

	"vestibula/core/tree"
)

func branchRules() []*rule {
	return []*rule{{
		name:  "single-child",
		about: "No chain of folders that each hold one folder only.",
		why:   "Each such folder is a click that decides nothing.",
		set:   "single-child: warn",
		bad:   "Commission\n    Work\n        Repair\n            Photographs",
		good:  "Commission\n    Repair photographs",

		schema: warnSchema, configure: singleChild,
	}, {
		name:  "repeats",
		about: "No folder name stands in two branches without being one part.",
		why:   "Two folders of one name in different places make people ask which is the right one. What is meant to repeat is written once, as a part.",
		set:   "repeats: warn",
		bad:   "Commission\n    Work\n        Photographs\n    Survey\n        Photographs",
		good:  "pictures:\n    Photographs\nCommission\n    Work      | use: pictures\n    Survey    | use: pictures",

		schema: warnSchema, configure: repeats,
	}}
}

// onlyFolder returns the one folder that n holds, if it holds nothing else.
func onlyFolder(n *tree.Node) *tree.Node {
	if len(n.Children) == 1 && n.Children[0].Kind == tree.Folder {
		return n.Children[0]
	}
	return nil
}

func singleChild(c *context) (check, error) {
	severity, err := warn(c.setting)
	return check{around: true, folder: func(f *Folder, report func(Finding)) {
		if f.Parent == nil || f.Parent.Parent != nil && onlyFolder(f.Parent.Node) != nil {
			return // told further up
		}
		first := onlyFolder(f.Node)
		if first == nil {
			return
		}
		chain, end := f.Node.Name, f.Node
		length := 0
		for n := first; n != nil; n = onlyFolder(n) {
			chain += "/" + n.Name
			end = n
			length++
		}
		if length < 2 {
			return
		}
		finding := Finding{Rule: "single-child", Severity: severity, Line: f.line(f.Node), Path: f.Path(nil)}
		finding.Message = say("%s: each of these folders holds one folder only", shown(chain))
		finding.Help = fmt.Sprintf("leave out those between %s and %s", shown(f.Node.Name), shown(end.Name))
		report(finding)
	}}, err
}

// A placeOf remembers where a name was met first, and at which line.
type placeOf struct {
	line int
	path string
	told bool
}

func repeats(c *context) (check, error) {
	severity, err := warn(c.setting)
	met := map[string]*placeOf{} // by what the name says
	same := map[string]int{}     // names as they are written, by the line they were last met at
	return check{
		around: true,
		folder: func(f *Folder, report func(Finding)) {
			for _, n := range f.Node.Children {
				if n.Kind != tree.Folder || n.Marks&tree.Keep != 0 {
					continue
				}
				if line, again := same[n.Name]; again && line == f.line(n) && line > 0 {
					continue
				}
				same[n.Name] = f.line(n)
				key := tree.Folded(tree.Unnumbered(n))
				first := met[key]
				if first == nil {
					met[key] = &placeOf{line: f.line(n), path: f.Path(n)}
					continue
				}
				if first.line > 0 && first.line == f.line(n) || first.told {
					continue
				}
				first.told = true
				finding := f.finding("repeats", severity, n)
				finding.Message = say("%s stands in two branches: here and as %s", shown(n.Name), shown(first.path))
				finding.Related = first.path
				finding.Help = f.advice("write it once as a part, and `use` it in both; or give one of them another name", "give one of them another name")
				report(finding)
			}
		},
		finish: func(func(Finding)) { clear(met); clear(same) },
	}, err
}
