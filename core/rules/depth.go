package rules

import (
	"vestibula/core/tree"
)

func depthRules() []*rule {
	return []*rule{{
		name:  "depth",
		about: "At most so many folders lie inside each other, counted below the place where it is built.",
		why:   "Each level is one more click, and one more name in the path.",
		set:   "depth: 4",
		bad:   "# depth: 2\nCommission\n    Work\n        Repair",
		good:  "# depth: 2\nCommission\n    Repair",

		schema: limitsSchema(1), standard: "8", configure: depth,
	}}
}

func depth(c *context) (check, error) {
	limits, err := readLimits(c.setting, 1)
	return check{around: true, folder: func(f *Folder, report func(Finding)) {
		limit, depth := limits.most, f.Depth
		for at := f; at != nil && len(limits.in) > 0; at = at.Parent {
			if n, set := placeNamed(limits.in, at.up); set {
				limit, depth = n, f.Depth-at.Depth
				break
			}
		}
		if depth != limit || limit < 0 {
			return
		}
		for _, n := range f.Node.Children {
			if n.Kind == tree.Folder {
				finding := f.finding("depth", c.severity, n)
				finding.Message = say("%s lies %d folders deep; at most %d are allowed", shown(n.Name), limit+1, limit)
				finding.Help = "move it up, or join two of the folders above it"
				report(finding)
			}
		}
	}}, err
}
