package rules

import (
	"fmt"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/order"
	"vestibula/core/tree"
)

func init() {
	name := map[string]any{"type": "string", "minLength": 1}
	register(&rule{
		name:  "catch-all",
		about: "Every folder with subfolders has one of this name, for what fits nowhere else.",
		why:   "What has no place is put down anywhere. One place for it on every level keeps the rest clean.",
		set:   "catch-all: Arrivals",
		bad:   "# catch-all: Arrivals\nCommission\n    Agreement\n    Work",
		good:  "# catch-all: Arrivals\nCommission\n    Arrivals\n    Agreement\n    Work",

		schema: name, configure: catchAll,
	})
	register(&rule{
		name:  "last",
		about: "The folder of this name is the last of its siblings, wherever it occurs.",
		why:   "What is settled belongs at the end of every list, where it is in nobody's way.",
		set:   "last: 90 Settled",
		bad:   "# last: Settled\nCommission\n    01 Settled\n    02 Work",
		good:  "# last: Settled\nCommission\n    01 Work\n    90 Settled",

		schema: name, configure: last,
	})
}

func catchAll(c *context) (check, error) {
	want, err := text(c.setting)
	return check{around: true, folder: func(f *Folder, report func(Finding)) {
		if f.Parent == nil && !f.Real || f.Around {
			return
		}
		folders := 0
		for _, n := range f.Node.Children {
			if n.Kind == tree.Folder {
				if alike(n, want) {
					return
				}
				folders++
			}
		}
		if folders == 0 || alike(f.Node, want) {
			return
		}
		finding := Finding{Rule: "catch-all", Severity: c.severity, Line: f.line(f.Node), Path: f.Path(nil)}
		name := f.Node.Name
		if f.Parent == nil {
			name, finding.Path = "this folder", "."
		}
		finding.Message = fmt.Sprintf("%s has subfolders, but none called %s for what fits nowhere else", shown(name), shown(want))
		finding.Help = f.advice("add it below this line", "make one")
		report(finding)
	}}, err
}

func last(c *context) (check, error) {
	want, err := text(c.setting)
	natural := order.Natural.Comparer()
	return check{folder: func(f *Folder, report func(Finding)) {
		var it, end *tree.Node
		for _, n := range f.Node.Children {
			if n.Kind != tree.Folder {
				continue
			}
			if alike(n, want) {
				it = n
			}
			if end == nil || !f.Real || natural.Compare(n.Name, end.Name) > 0 {
				end = n
			}
		}
		if it == nil || it == end {
			return
		}
		finding := f.finding("last", c.severity, it)
		finding.Message = fmt.Sprintf("%s is to be the last, but %s comes after it", shown(it.Name), shown(end.Name))
		finding.Help = "move its line to the end"
		if f.Real {
			finding.Help = "give it a number that no other reaches, such as 99 " + strings.TrimSpace(naming.Bare(it))
		}
		report(finding)
	}}, err
}
