package naming

import (
	"fmt"
	"strings"
	"time"

	"golang.org/x/text/cases"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/value"
)

// A Filter keeps the names whose field has a value, or one in a range:
// `client=Oriel Pask`, `received=2027-01..2027-03`, `n=100..`.
type Filter struct {
	Field    string
	text     string
	from, to string
	isRange  bool
	now      time.Time
}

// NewFilter reads `field=value` or `field=from..to`, where an end that is left
// out is open. Now is the date that "today" means.
func NewFilter(text string, now time.Time) (Filter, error) {
	field, want, ok := strings.Cut(text, "=")
	f := Filter{Field: strings.TrimSpace(field), text: strings.TrimSpace(want), now: now}
	if !ok || f.Field == "" || f.text == "" {
		return f, fmt.Errorf("%q says neither which field nor which value: write field=value", text)
	}
	f.from, f.to, f.isRange = strings.Cut(f.text, "..")
	return f, nil
}

// Prepare settles what the filter means for a convention. It returns nil where
// the convention has no such field.
func (f Filter) Prepare(c *template.Convention) (func([]value.Value) bool, error) {
	for i, field := range c.Fields {
		if field.Name != f.Field {
			continue
		}
		holds, err := f.test(&field.Type)
		if err != nil {
			return nil, err
		}
		return func(values []value.Value) bool { return holds(values[i]) }, nil
	}
	return nil, nil
}

func (f Filter) test(t *value.Type) (func(value.Value) bool, error) {
	switch {
	case t.Kind == value.Number && f.isRange:
		lo, hi := value.OfNumber(0), value.OfNumber(value.MaxNumber)
		for _, end := range []struct {
			text string
			into *value.Value
		}{{f.from, &lo}, {f.to, &hi}} {
			if end.text == "" {
				continue
			}
			v, err := (&value.Type{Kind: value.Number}).Parse(end.text, f.now)
			if err != nil {
				return nil, fmt.Errorf("%s %w", f.Field, err)
			}
			*end.into = v
		}
		return func(v value.Value) bool { return v.Compare(lo) >= 0 && v.Compare(hi) <= 0 }, nil
	case t.Kind.Calendar() && t.Kind != value.Term:
		return f.days()
	case f.isRange:
		return nil, fmt.Errorf("%s is a %s: a range goes with a number or a date", f.Field, t.Kind)
	case t.Kind == value.Text:
		want := Plainly(f.text)
		return func(v value.Value) bool { return Plainly(v.Text) == want }, nil
	}
	loose := *t
	loose.Min, loose.Max = nil, nil
	want, err := loose.Parse(f.text, f.now)
	if err != nil {
		return nil, fmt.Errorf("%s %w", f.Field, err)
	}
	return want.Equal, nil
}

// Plainly makes texts comparable that pictures write in different ways: the
// same words in other cases, with other signs between, or without accents.
func Plainly(s string) string {
	return cases.Fold().String(pattern.Words(s))
}

// days keeps the values whose days lie in the range, or in the one stretch of
// days that is named.
func (f Filter) days() (func(value.Value) bool, error) {
	from, to := f.from, f.to
	if !f.isRange {
		to = from
	}
	first, last := time.Time{}, time.Date(value.MaxYear+1, 1, 1, 0, 0, 0, 0, time.UTC)
	if from != "" {
		v, err := anyDate(from, f.now)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Field, err)
		}
		first = v.Time()
	}
	if to != "" {
		v, err := anyDate(to, f.now)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Field, err)
		}
		last = v.Next().Time()
	}
	return func(v value.Value) bool {
		return v.Given() && !v.Time().Before(first) && v.Time().Before(last)
	}, nil
}

// anyDate reads a date, month, quarter, week or year.
func anyDate(s string, now time.Time) (value.Value, error) {
	for _, k := range []value.Kind{value.Date, value.Month, value.Quarter, value.Week, value.Year} {
		if v, err := (&value.Type{Kind: k}).Parse(strings.TrimSpace(s), now); err == nil {
			return v, nil
		}
	}
	return value.Value{}, fmt.Errorf("%q is no date, month, quarter, week or year", s)
}
