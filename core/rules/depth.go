package rules

import (
	"fmt"

	"vestibula/core/template"
	"vestibula/core/tree"
)

func init() {
	register(&rule{name: "depth", about: "At most so many folders inside each other.", schema: wholeSchema, standard: "8", configure: depth})
}

// depth: at most so many folders inside each other. Each more is one more
// click, and what lies deep is not found again.
func depth(n *template.Node, severity Severity) (check, error) {
	limit, err := whole(n)
	return func(f *Folder, report func(Finding)) {
		if f.Depth != limit {
			return
		}
		for _, c := range f.Node.Children {
			if c.Kind == tree.Folder {
				report(Finding{
					Rule: "depth", Severity: severity, Line: int(c.Line), Path: f.Path(c),
					Message: fmt.Sprintf("“%s” lies %d folders deep; at most %d are allowed", c.Name, limit+1, limit),
					Help:    "move it up, or join two of the folders above it",
				})
			}
		}
	}, err
}
