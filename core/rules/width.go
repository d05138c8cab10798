package rules

import (
	"fmt"

	"vestibula/core/template"
	"vestibula/core/tree"
)

func init() {
	register(&rule{name: "width", about: "At most so many folders directly in one folder.", schema: wholeSchema, standard: "99", configure: width})
}

// width: at most so many folders directly in one folder, so that a list can be
// taken in.
func width(n *template.Node, severity Severity) (check, error) {
	limit, err := whole(n)
	return func(f *Folder, report func(Finding)) {
		folders, line := 0, int(f.Node.Line)
		for _, c := range f.Node.Children {
			if c.Kind != tree.Folder {
				continue
			}
			if folders++; folders == limit+1 {
				line = int(c.Line)
			}
		}
		if folders > limit {
			where := "the top level"
			if f.Parent != nil {
				where = "“" + f.Node.Name + "”"
			}
			report(Finding{
				Rule: "width", Severity: severity, Line: line, Path: f.Path(nil),
				Message: fmt.Sprintf("%s would hold %d folders; at most %d are allowed", where, folders, limit),
				Help:    "put them into groups",
			})
		}
	}, err
}
