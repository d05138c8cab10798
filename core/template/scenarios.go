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
	sample := t.Sample(given, now)
	seen := map[string]bool{}
	add := func(change func(v Values)) {
		v := maps.Clone(sample)
		if v == nil {
			v = Values{}
		}
		change(v)
		var key strings.Builder
		for _, f := range t.Fields {
			fmt.Fprintf(&key, "%v\x00", v[f.Name])
		}
		if !seen[key.String()] {
			seen[key.String()] = true
			list = append(list, v)
		}
	}
	var free, switches []*Field
	options := 0
	for _, f := range t.Fields {
		if _, fixed := given[f.Name]; fixed || f.Made() {
			continue
		}
		free = append(free, f)
		switch f.Type.Kind {
		case value.YesNo:
			switches = append(switches, f)
		case value.Choice:
			options = max(options, len(f.Type.Of))
		case value.Number:
			if f.Type.Max == nil && f.needed {
				left = append(left, fmt.Sprintf("<%s> above %d", f.Name, maxUnbounded))
			}
		}
	}
	if options > maxOptions {
		left = append(left, fmt.Sprintf("choices after the first %d", maxOptions))
	}
	sized := func(v Values, large bool, option int) {
		for _, f := range free {
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
	add(func(Values) {})
	add(func(v Values) { sized(v, true, 0) })
	add(func(v Values) { sized(v, false, 0) })
	for i := 1; i < min(options, maxOptions); i++ {
		add(func(v Values) { sized(v, true, i) })
	}
	add(func(v Values) { // without what may be left out
		for _, f := range free {
			if f.Optional {
				delete(v, f.Name)
			}
		}
	})
	if n := len(switches); n > 1 {
		if n > maxSwitches {
			left = append(left, fmt.Sprintf("combinations of more than two of the %d yes-no fields", n))
			for i := range switches {
				for _, on := range []bool{true, false} {
					add(func(v Values) { // one that is otherwise than all others
						for k, f := range switches {
							v[f.Name] = value.Bool((k == i) == on)
						}
					})
				}
			}
		} else {
			for bits := range 1 << n {
				add(func(v Values) {
					for k, f := range switches {
						v[f.Name] = value.Bool(bits>>k&1 == 1)
					}
				})
			}
		}
	}
	for _, year := range years {
		add(func(v Values) {
			for _, f := range free {
				if f.Type.Kind == value.Year {
					v[f.Name] = value.Value{Kind: value.Year, Year: year}
				}
			}
		})
	}
	add(func(v Values) {
		for _, f := range free {
			if f.Type.Kind == value.Number && f.Type.Max == nil {
				v[f.Name] = value.OfNumber(maxUnbounded)
			}
		}
	})
	return list, slices.Compact(left)
}
