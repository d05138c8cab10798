package rules

import (
	"fmt"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func init() {
	register(&rule{
		name:  "holds",
		about: "Files in a folder with `holds` read under one of its naming conventions.",
		why:   "A convention that is written down but not followed sorts nothing and finds nothing.",
		set:   "holds: on",
		bad:   "# names: { scan: \"<n:000>\" }\nScans   | holds: scan\n    first.tif",
		good:  "# names: { scan: \"<n:000>\" }\nScans   | holds: scan\n    001.tif",

		schema: map[string]any{"enum": []any{"on", true}}, configure: holds,
	})
}

func holds(c *context) (check, error) {
	if c.setting.Kind != template.Scalar || c.setting.Text != "on" && c.setting.Text != "true" {
		return check{}, fmt.Errorf("needs on or off")
	}
	readers := map[int32]*naming.Reader{}
	names := map[int32]string{}
	for _, l := range c.template.Lines {
		if len(l.Holds) > 0 {
			readers[l.From], names[l.From] = naming.NewReader(l.Holds), l.HoldsText()
		}
	}
	return check{folder: func(f *Folder, report func(Finding)) {
		reader := readers[f.Node.From]
		if reader == nil {
			return
		}
		for _, n := range f.Node.Children {
			if n.Kind != tree.File || n.Marks&(tree.Keep|tree.Open) != 0 || strings.HasPrefix(n.Name, ".") {
				continue
			}
			if _, _, misfit := reader.Read(n.Name); misfit != nil {
				finding := f.finding("holds", c.severity, n)
				finding.Message = fmt.Sprintf("%s does not follow %s, as files in %s must", shown(n.Name), names[f.Node.From], shown(f.Node.Name))
				finding.Help = misfit.Message
				report(finding)
			}
		}
	}}, nil
}
