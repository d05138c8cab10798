package naming

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"vestibula/core/alphabet"
	"vestibula/core/value"
)

// A Filter keeps what has a value, one in a range, or a text with a part:
// `client=Oriel Pask`, `received=2027-01..2027-03`, `n=100..`, `client~marrow`. Of a
// date, month, quarter or term, a longer time says all that lies in it: `received=2027`.
type Filter struct {
	Field    string
	text     string
	from, to string
	isRange  bool
	part     bool
	now      time.Time
}

// NewFilter reads `field=value`, `field=from..to`, where an end that is left out is open,
// or `field~part`. Now is the date that "today" means.
func NewFilter(text string, now time.Time) (Filter, error) {
	f := Filter{now: now}
	i := strings.IndexAny(text, "=~")
	if i >= 0 {
		f.Field, f.text, f.part = strings.TrimSpace(text[:i]), strings.TrimSpace(text[i+1:]), text[i] == '~'
	}
	if f.Field == "" || f.text == "" {
		return f, fmt.Errorf("\"%s\" says neither which field nor which value: write field=value, or field~part", text)
	}
	f.from, f.to, f.isRange = strings.Cut(f.text, "..")
	return f, nil
}

// Test settles what the filter means for values of a type. A list has what one of its
// items has.
func (f Filter) Test(t *value.Type) (func(value.Value) bool, error) {
	switch {
	case f.part:
		want := Plainly(f.text)
		return f.items(func(v value.Value) bool {
			text := v.String()
			if t.Kind == value.Choice {
				for _, o := range t.Of {
					if o.Code == text {
						text += " " + o.Meaning
					}
				}
			}
			return strings.Contains(Plainly(text), want)
		}), nil
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
	case t.Kind == value.Term:
		return f.terms(t)
	case t.Kind.Calendar():
		return f.days()
	case f.isRange:
		return nil, fmt.Errorf("%s is a %s: a range goes with a number, a date or a term", f.Field, t.Kind)
	case t.Kind == value.Text || t.Kind == value.List:
		want := Plainly(f.text)
		return f.items(func(v value.Value) bool { return Plainly(v.Text) == want }), nil
	}
	loose := *t
	loose.Min, loose.Max = nil, nil
	want, err := loose.Parse(f.text, f.now)
	if err != nil {
		return nil, fmt.Errorf("%s %w", f.Field, err)
	}
	return want.Equal, nil
}

// items applies a test to a value, or to each item of a list.
func (Filter) items(test func(value.Value) bool) func(value.Value) bool {
	return func(v value.Value) bool {
		if v.Kind == value.List {
			return slices.ContainsFunc(v.Items, test)
		}
		return v.Given() && test(v)
	}
}

// terms keeps the terms in a range, or the one term, or those of a year.
func (f Filter) terms(t *value.Type) (func(value.Value) bool, error) {
	from, to := f.from, f.to
	if !f.isRange {
		to = from
	}
	ends := [2]value.Value{{Kind: value.Term}, {Kind: value.Term, Year: value.MaxYear, Part: 255}}
	for i, text := range []string{from, to} {
		if strings.TrimSpace(text) == "" {
			continue
		}
		v, err := t.Parse(text, f.now)
		if year, wrong := (&value.Type{Kind: value.Year}).Parse(text, f.now); err != nil && wrong == nil {
			switch v, err = (value.Value{Kind: value.Term, Year: year.Year, Part: uint8(255 * i)}), nil; {
			case t.NewYear > 0 && i == 0:
				v.Part, v.Day = uint8(t.NewYear), 1 // the first one of that calendar year
			case t.NewYear > 0:
				v.Part = uint8(t.NewYear - 1)
			}
		}
		if err != nil {
			return nil, fmt.Errorf("%s %w", f.Field, err)
		}
		ends[i] = v
		ends[i].Text = ""
	}
	return func(v value.Value) bool {
		v.Text = ""
		return v.Kind == value.Term && v.Given() && v.Compare(ends[0]) >= 0 && v.Compare(ends[1]) <= 0
	}, nil
}

// Plainly makes texts comparable that forms write in different ways: see [alphabet.Plainly].
func Plainly(s string) string {
	return string(alphabet.Plainly(nil, s))
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
	return value.Value{}, fmt.Errorf("\"%s\" is no date, month, quarter, week or year: write it like 2027-03-09, 2027-03, 2027-Q1, 2027-W10 or 2027, a range like 2027-03..2027-05", s)
}
