package rules

import (
	"fmt"
	"strconv"
	"strings"

	"vestibula/core/outline"
	"vestibula/core/template"
)

// limits are a setting that says how many: one number for everywhere, and others for
// named places.
type limits struct {
	most int // -1 where there is none
	in   map[string]int
}

// limitsSchema is the JSON Schema of such a setting, from a smallest number on.
func limitsSchema(least int) map[string]any {
	number := map[string]any{"type": "integer", "minimum": least, "maximum": 1_000_000}
	return map[string]any{"anyOf": []any{number, map[string]any{"type": "object", "additionalProperties": false, "minProperties": 1, "properties": map[string]any{
		"at-most": number, "in": map[string]any{"type": "object", "additionalProperties": number},
	}}}}
}

// readLimits reads `10`, or `{ at-most: 10, in: { Arrivals: 0 } }`.
func readLimits(n *template.Node, least int) (limits, error) {
	number := func(n *template.Node) (int, error) {
		v, err := strconv.Atoi(n.Text)
		if n.Kind != template.Scalar || err != nil || v < least || v > 1_000_000 {
			return 0, fmt.Errorf("needs a whole number from %d on, or off", least)
		}
		return v, nil
	}
	l := limits{most: -1}
	var err error
	if n.Kind != template.Mapping {
		l.most, err = number(n)
		return l, err
	}
	for _, p := range n.Pairs {
		switch {
		case p.Key == "at-most":
			if l.most, err = number(p.Value); err != nil {
				return l, err
			}
		case p.Key == "in" && p.Value.Kind == template.Mapping:
			l.in = map[string]int{}
			for _, q := range p.Value.Pairs {
				if l.in[q.Key], err = number(q.Value); err != nil {
					return l, err
				}
			}
		default:
			return l, fmt.Errorf("has no setting \"%s\"; it takes at-most, and in with names of places", p.Key)
		}
	}
	if l.most < 0 && len(l.in) == 0 {
		return l, fmt.Errorf("needs at-most, or in with names of places")
	}
	return l, nil
}

// of returns how many are allowed in a folder, or -1: what is set for its name goes
// before what is set for everywhere.
func (l *limits) of(f *Folder) int {
	if v, set := placeNamed(l.in, f.up); set {
		return v
	}
	return l.most
}

// unknown says that a setting knows no such word.
func unknown(what, word string, known []string) error {
	if near := outline.Nearest(word, known); near != "" {
		return fmt.Errorf("knows no %s \"%s\"; did you mean %s?", what, word, near)
	}
	return fmt.Errorf("knows no %s \"%s\", only %s", what, word, strings.Join(known, ", "))
}
