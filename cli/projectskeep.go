package cli

import (
	"cmp"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/project"
	"vestibula/core/template"
)

// order is how the rows are sorted; by their names where nothing else is said.
func (r *projectsRun) order() (func(a, b *standingRow) int, error) {
	sorted := people()
	switch r.sort {
	case "", "name":
		return func(a, b *standingRow) int { return sorted(filepath.ToSlash(a.name), filepath.ToSlash(b.name)) }, nil
	case "late":
		return func(a, b *standingRow) int { return cmp.Compare(b.mostLate, a.mostLate) }, nil
	case "due":
		return func(a, b *standingRow) int { return strings.Compare(a.nextDay(), b.nextDay()) }, nil
	case "wrong":
		return func(a, b *standingRow) int { return cmp.Compare(b.errors+b.warnings, a.errors+a.warnings) }, nil
	case "touched":
		return func(a, b *standingRow) int { return b.touched.Compare(a.touched) }, nil
	case "size":
		return func(a, b *standingRow) int { return cmp.Compare(b.size, a.size) }, nil
	case "built":
		return func(a, b *standingRow) int { return b.built().Compare(a.built()) }, nil
	}
	if !slices.Contains(r.fields(), r.sort) {
		columns := append([]string{"name", "late", "due", "wrong", "touched", "built", "size"}, r.fields()...)
		help := outline.Meant(r.sort, columns, "it can be "+strings.Join(columns, ", "))
		return nil, unclear(help, "nothing is called \"%s\" to sort by", r.sort)
	}
	return func(a, b *standingRow) int { return sorted(a.value(r.sort), b.value(r.sort)) }, nil
}

func (s *standingRow) built() time.Time {
	if s.subject.Project == nil {
		return time.Time{}
	}
	return s.subject.Project.Label.Built
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

// only keeps what has the values that were asked for, of what was archived too.
func (r *projectsRun) only() error {
	if r.late || r.behind || r.wrong {
		r.away = nil // that is not looked at
	}
	archived := map[*bundle.Away]*project.Project{}
	fields := r.fields()
	if len(r.where) > 0 {
		r.away = slices.DeleteFunc(r.away, func(p *bundle.Away) bool {
			pr, err := r.store().Open(address.Address(p.To), p.Label)
			if archived[p] = pr; err != nil {
				r.unread = append(r.unread, p.To)
			}
			return err != nil
		})
	}
	for _, text := range r.where {
		filter, err := naming.NewFilter(text, r.now)
		if err != nil {
			return unclear("", "%v", err)
		}
		known := false
		var wrong error
		has := func(t *template.Template, values template.Values) bool {
			var f *template.Field
			if t != nil {
				f = t.Field(filter.Field)
			}
			if f == nil {
				return false
			}
			known = true
			holds, err := filter.Test(&f.Type)
			if err != nil {
				wrong = err
				return false
			}
			return holds(values[f.Name])
		}
		r.list = slices.DeleteFunc(r.list, func(s *standingRow) bool { return !has(s.subject.Template, s.subject.Values) })
		r.away = slices.DeleteFunc(r.away, func(p *bundle.Away) bool { return !has(archived[p].Template, archived[p].Values) })
		if wrong != nil {
			return unclear("", "%v", wrong)
		}
		if !known {
			return unclear("they have "+strings.Join(fields, ", "), "no project here has a field \"%s\"", filter.Field)
		}
	}
	return nil
}

// keep keeps what was asked for, and sorts it.
func (r *projectsRun) keep() error {
	if err := r.only(); err != nil {
		return err
	}
	bare := strings.TrimSuffix(r.template, template.Ending)
	r.list = slices.DeleteFunc(r.list, func(s *standingRow) bool {
		return r.late && s.late == 0 || r.behind && !s.behind || r.wrong && !s.faulty() ||
			bare != "" && (s.subject.Project == nil || strings.TrimSuffix(s.subject.Project.Label.Template, template.Ending) != bare)
	})
	if bare != "" {
		r.away = slices.DeleteFunc(r.away, func(p *bundle.Away) bool { return strings.TrimSuffix(p.Label.Template, template.Ending) != bare })
	}
	by, err := r.order()
	if err != nil {
		return err
	}
	slices.SortStableFunc(r.list, by)
	if r.by != "" {
		if !slices.ContainsFunc(r.list, func(s *standingRow) bool { return s.field(r.by) != nil }) && len(r.list) > 0 {
			return unclear("they have "+strings.Join(r.fields(), ", "), "no project here has a field \"%s\"", r.by)
		}
		sorted := people()
		slices.SortStableFunc(r.list, func(a, b *standingRow) int { return sorted(a.value(r.by), b.value(r.by)) })
	}
	return nil
}
