package rules

import (
	"slices"
	"unicode/utf8"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// Periods finds names that would be the same for two periods, a year apart: of the project's own
// folder, and of lines that repeat between two fields. The findings are of the rule "same-name".
func Periods(t *template.Template) (found []Finding) {
	day := value.OfDate(value.Value{Kind: value.Month, Year: 2027, Part: 9}.Time())
	for _, f := range t.Fields {
		if f.Made() || f.Borrowed || !f.Type.Kind.Calendar() || f.Type.Kind == value.Year {
			continue
		}
		values := t.Sample(template.Values{}, day.Time())
		v := f.Type.Specimen(f.Name, day)
		var paths []string
		for _, one := range []value.Value{v, yearOn(v)} {
			values[f.Name] = one
			x, err := t.Tree(values, template.DefaultLimit)
			if err != nil {
				return found // it is told elsewhere
			}
			path, own := t.Own(x.Root)
			if line := t.LineOf(own); line == nil || !slices.ContainsFunc(line.Names, func(n *pattern.Name) bool { return slices.Contains(n.Pattern.Slots(), f.Name) }) {
				break
			}
			paths = append(paths, path)
		}
		if len(paths) == 2 && paths[0] == paths[1] {
			found = append(found, Finding{Rule: "same-name", Severity: Warning, Line: f.Pos.Line, Column: f.Pos.Column, Width: utf8.RuneCountInString(f.Name),
				Message: say("“%s” is the project of %s, and of %s as well", paths[0], v, yearOn(v)), Help: "let the name of its own folder show the year, or a folder around it"})
		}
	}
	for _, l := range t.Lines {
		item, of, from, to := l.Span()
		if of == nil || of.Kind == value.Year || slices.Equal(from, to) || l.Kind != tree.Folder {
			continue // what lies between two days of one year comes once
		}
		v := of.Specimen(item, day)
		name := l.Names[len(l.Names)-1]
		if text, _, err := name.Write(func(string) value.Value { return v }, 2); err == nil && name.Shows(item, v, yearOn(v)) && slices.Contains(name.Pattern.Slots(), item) {
			found = append(found, Finding{Rule: "same-name", Severity: Warning, Line: l.Syntax.Number,
				Message: say("“%s” would be made for %s, and for %s as well", text, v, yearOn(v)), Help: "let the name show the year, or a folder around it"})
		}
	}
	return found
}

// SchoolYears finds names of folders that show the calendar year of a term whose list crosses the
// new year: they do not sort by time. The findings are of the rule "sorting".
func SchoolYears(t *template.Template) (found []Finding) {
	for _, l := range t.Lines {
		for _, n := range l.Names {
			if !slices.ContainsFunc(n.Pattern.Slots(), func(slot string) bool { f := t.Field(slot); return f != nil && f.Type.NewYear > 0 }) {
				continue
			}
			if d := n.Sorts(func(string) bool { return true }); d != nil {
				found = append(found, Finding{Rule: "sorting", Severity: Warning, Line: l.Syntax.Number, Message: say("%s", d.Message), Help: d.Help})
			}
		}
	}
	return found
}

// yearOn is the same part of the next year.
func yearOn(v value.Value) value.Value {
	v.Year++
	return v
}
