package rules

import (
	"vestibula/core/tree"
)

func placeRules() []*rule {
	name := map[string]any{"type": "string", "minLength": 1}
	return []*rule{{
		name:  "catch-all",
		about: "Every folder with subfolders has one of this name, for what fits nowhere else.",
		why:   "What has no place is put down anywhere. One place for it on every level keeps the rest clean.",
		set:   "catch-all: Arrivals",
		bad:   "# catch-all: Arrivals\nCommission\n    Agreement\n    Work",
		good:  "# catch-all: Arrivals\nCommission\n    Arrivals\n    Agreement\n    Work",

		schema: name, configure: catchAll,
	}}
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
		finding.Message = say("%s has subfolders, but none called %s for what fits nowhere else", shown(name), shown(want))
		finding.Help = f.advice("add it below this line", "make one")
		report(finding)
	}}, err
}
