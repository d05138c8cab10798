package template

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"vestibula/core/value"
)

// Limits on the sets of values that a template is looked at with.
const (
	maxSwitches  = 6   // yes-no fields of which all combinations are looked at
	maxOptions   = 200 // of choices
	maxUnbounded = 99  // what a number without a max becomes
)

// years are looked at where a year is not given: a leap year, and one of 53 weeks.
var years = []int16{2028, 2026}

// Scenarios returns sets of values that show a template in all its sizes: first the
// values given, completed with defaults and examples; then with everything that can be
// turned on and every number as large as it may become; then with everything off and
// small; then with nothing that may be left out; with each option of a choice; with the
// combinations of what can be on or off; and in years of all kinds. What they leave out
// is named for a person.
func (t *Template) Scenarios(given Values, now time.Time) (list []Values, left []string) {
	s := &scenarios{t: t, sample: t.Sample(given, now), seen: map[string]bool{}}
	s.look(given)
	s.sizes()
	s.combinations()
	for _, year := range years {
		s.add(func(v Values) {
			for _, f := range s.free {
				if f.Type.Kind == value.Year {
					v[f.Name] = value.Value{Kind: value.Year, Year: year}
				}
			}
		})
	}
	s.add(func(v Values) {
		for _, f := range s.free {
			if f.Type.Kind == value.Number && f.Type.Max == nil {
				v[f.Name] = value.OfNumber(maxUnbounded)
			}
		}
	})
	return s.list, slices.Compact(s.left)
}

// scenarios are those that are put together.
type scenarios struct {
	t              *Template
	sample         Values
	seen           map[string]bool
	list           []Values
	left           []string
	free, switches []*Field // that are not given; those of them that are yes or no
	options        int      // the most that a choice has
}

// add adds the sample with a change, if it is not there yet.
func (s *scenarios) add(change func(v Values)) {
	v := maps.Clone(s.sample)
	if v == nil {
		v = Values{}
	}
	change(v)
	var key strings.Builder
	for _, f := range s.t.Fields {
		fmt.Fprintf(&key, "%v\x00", v[f.Name])
	}
	if !s.seen[key.String()] {
		s.seen[key.String()] = true
		s.list = append(s.list, v)
	}
}

// look finds what can differ.
func (s *scenarios) look(given Values) {
	for _, f := range s.t.Fields {
		if _, fixed := given[f.Name]; fixed || f.Made() {
			continue
		}
		s.free = append(s.free, f)
		switch f.Type.Kind {
		case value.YesNo:
			s.switches = append(s.switches, f)
		case value.Choice:
			s.options = max(s.options, len(f.Type.Of))
		case value.Number:
			if f.Type.Max == nil && f.needed {
				s.left = append(s.left, fmt.Sprintf("<%s> above %d", f.Name, maxUnbounded))
			}
		}
	}
	if s.options > maxOptions {
		s.left = append(s.left, fmt.Sprintf("choices after the first %d", maxOptions))
	}
}

// sizes adds the sample itself, the largest and the smallest, each option, and what has
// nothing that may be left out.
func (s *scenarios) sizes() {
	sized := func(v Values, large bool, option int) {
		for _, f := range s.free {
			switch f.Type.Kind {
			case value.Number:
				switch {
				case large && f.Type.Max != nil:
					v[f.Name] = value.OfNumber(*f.Type.Max)
				case !large && f.Type.Min != nil:
					v[f.Name] = value.OfNumber(*f.Type.Min)
				}
			case value.YesNo:
				v[f.Name] = value.Bool(large)
			case value.Choice:
				v[f.Name] = f.Type.Option(option % len(f.Type.Of))
			}
		}
	}
	s.add(func(Values) {})
	s.add(func(v Values) { sized(v, true, 0) })
	s.add(func(v Values) { sized(v, false, 0) })
	for i := 1; i < min(s.options, maxOptions); i++ {
		s.add(func(v Values) { sized(v, true, i) })
	}
	s.add(func(v Values) {
		for _, f := range s.free {
			if f.Optional {
				delete(v, f.Name)
			}
		}
	})
}

// combinations adds those of the switches or, where these are too many, each that is otherwise
// than all others.
func (s *scenarios) combinations() {
	n := len(s.switches)
	set := func(on func(k int) bool) {
		s.add(func(v Values) {
			for k, f := range s.switches {
				v[f.Name] = value.Bool(on(k))
			}
		})
	}
	switch {
	case n < 2:
	case n > maxSwitches:
		s.left = append(s.left, fmt.Sprintf("combinations of more than two of the %d yes-no fields", n))
		for i := range n {
			for _, on := range []bool{true, false} {
				set(func(k int) bool { return (k == i) == on })
			}
		}
	default:
		for bits := range 1 << n {
			set(func(k int) bool { return bits>>k&1 == 1 })
		}
	}
}
