package cli

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"vestibula/core/outline"
	"vestibula/core/template"
)

// order is how the rows are sorted; by their names where nothing else is said.
func (r *projectsRun) order() (func(a, b *standingRow) int, error) {
	switch r.sort {
	case "", "name":
		return func(a, b *standingRow) int { return strings.Compare(a.name, b.name) }, nil
	case "late":
		return func(a, b *standingRow) int { return cmp.Compare(b.mostLate(), a.mostLate()) }, nil
	case "due":
		return func(a, b *standingRow) int { return strings.Compare(a.nextDay(), b.nextDay()) }, nil
	case "wrong":
		return func(a, b *standingRow) int { return cmp.Compare(b.faults, a.faults) }, nil
	case "touched":
		return func(a, b *standingRow) int { return b.touched.Compare(a.touched) }, nil
	case "size":
		return func(a, b *standingRow) int { return cmp.Compare(b.size, a.size) }, nil
	case "built":
		return func(a, b *standingRow) int { return b.built().Compare(a.built()) }, nil
	}
	if !slices.Contains(r.fields(), r.sort) {
		columns := append([]string{"name", "late", "due", "wrong", "touched", "built", "size"}, r.fields()...)
		help := "it can be " + strings.Join(columns, ", ")
		if near := outline.Nearest(r.sort, columns); near != "" {
			help = "did you mean " + near + "?"
		}
		return nil, unclear(help, "nothing is called \"%s\" to sort by", r.sort)
	}
	return func(a, b *standingRow) int { return strings.Compare(a.value(r.sort), b.value(r.sort)) }, nil
}

func (s *standingRow) built() time.Time {
	if s.subject.Project == nil {
		return time.Time{}
	}
	return s.subject.Project.Label.Built
}

func (s *standingRow) mostLate() (days int) {
	for _, d := range s.subject.Due {
		days = max(days, d.Late)
	}
	return days
}

// nextDay is when the next thing is due; behind all days where nothing is.
func (s *standingRow) nextDay() string {
	if s.next == nil {
		return "~"
	}
	return s.next.Day.String()
}

func (s *standingRow) field(name string) *template.Field {
	if s.subject.Template == nil {
		return nil
	}
	return s.subject.Template.Field(name)
}

func (s *standingRow) value(field string) string {
	if s.field(field) == nil {
		return ""
	}
	return s.subject.Values[field].String()
}

// fields are those of all templates, each once, in their order.
func (r *projectsRun) fields() (names []string) {
	for _, s := range r.list {
		if s.subject.Template == nil {
			continue
		}
		for _, f := range s.subject.Template.Fields {
			if !f.Made() && !slices.Contains(names, f.Name) {
				names = append(names, f.Name)
			}
		}
	}
	return names
}
