package rules

import (
	"fmt"

	"vestibula/core/template"
	"vestibula/core/tree"
)

func widthRules() []*rule {
	return []*rule{{
		name:  "width",
		about: "At most so many folders lie directly in one folder.",
		why:   "A list that does not fit on the screen has to be searched instead of seen.",
		set:   "width: 20",
		bad:   "# width: 3\nCommission\n    <#> Stage   | each: n in 1..5",
		good:  "# width: 3\nCommission\n    <#> Stage   | each: n in 1..3",

		schema: limitsSchema(1), standard: "99", configure: width,
	}, {
		name:  "loose-files",
		about: "At most so many files lie directly in one folder.",
		why:   "Loose files are the beginning of disorder: from a handful on, a subfolder is clearer.",
		set:   "loose-files: 7\nloose-files: { at-most: 10, in: { Arrivals: 0 } }",
		bad:   "# loose-files: 1\nCommission\n    notes.md\n    prices.csv",
		good:  "# loose-files: 1\nCommission\n    notes.md\n    Prices\n        prices.csv",

		schema: limitsSchema(0), configure: looseFiles,
	}}
}

// crowded counts the children of a kind, and returns the first one too many and
// how many of them the most fruitful line of the template makes.
func crowded(f *Folder, kind tree.Kind, limit int) (count int, extra *tree.Node, series, line int) {
	run := 0
	before := int32(-1)
	for _, n := range f.Node.Children {
		if n.Kind != kind {
			continue
		}
		if count++; count == limit+1 {
			extra = n
		}
		if n.From != before {
			run, before = 0, n.From
		}
		if run++; run > series {
			series, line = run, f.line(n)
		}
	}
	return count, extra, series, line
}

func crowd(c *context, rule string, kind tree.Kind, least int, help string) (check, error) {
	limits, err := readLimits(c.setting, least)
	return check{around: len(limits.in) > 0, folder: func(f *Folder, report func(Finding)) {
		limit := limits.of(f)
		if limit < 0 || len(f.Node.Children) <= limit || f.Around {
			return
		}
		count, extra, series, line := crowded(f, kind, limit)
		if extra == nil {
			return
		}
		where := "the top level"
		if f.Parent != nil {
			where = shown(f.Node.Name)
		}
		finding := f.finding(rule, c.severity, extra)
		finding.Path = f.Path(nil)
		finding.Message = say("%s would hold %d %ss; at most %d are allowed", where, count, kind, limit)
		finding.Help = help
		switch {
		case f.Real:
			finding.Message = say("it holds %d %ss; at most %d are allowed", count, kind, limit)
		case series > limit && c.given && c.setting.Kind == template.Scalar:
			// A series that cannot fit contradicts the setting, in each folder
			// in which it stands: it is told once, and there.
			finding.Message = say("`%s: %d` and line %d contradict each other: that line alone makes %d %ss", rule, limit, line, series, kind)
			finding.Line, finding.Column, finding.Width, finding.Path = c.setting.Line, c.setting.Column, len(c.setting.Text), ""
			finding.Help = fmt.Sprintf("write `%s: %d`, or shorten the series", rule, series)
		}
		report(finding)
	}}, err
}

func width(c *context) (check, error) {
	return crowd(c, "width", tree.Folder, 1, "put them into groups")
}

func looseFiles(c *context) (check, error) {
	return crowd(c, "loose-files", tree.File, 0, "put them into a subfolder")
}
