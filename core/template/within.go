package template

import (
	"slices"
	"unicode/utf8"

	"vestibula/core/outline"
)

// within checks that times lie in something that there is.
func (c *compiler) within() {
	var items []string
	timeless := map[string]bool{} // items and fields that are no times
	for _, l := range c.t.Lines {
		if l.Each != nil {
			items = append(items, l.Each.name)
			timeless[l.Each.name] = timeless[l.Each.name] || l.Each.typ != nil && !l.Each.typ.Kind.Calendar()
		}
	}
	for _, f := range c.t.Fields {
		timeless[f.Name] = !f.Type.Kind.Calendar()
	}
	all := slices.Clone(c.t.Fields)
	for _, conv := range c.t.Names {
		all = append(all, conv.Fields...)
	}
	for i, f := range all {
		if f.Within == "" || slices.Contains(all[:i], f) || f.Borrowed {
			continue
		}
		known := append(slices.Clone(items), c.t.FieldNames()...)
		switch {
		case !slices.Contains(known, f.Within):
			help := outline.Meant(f.Within, known, "name a field, or the item of an `each`")
			c.failLacking(f.withinAt, utf8.RuneCountInString(f.Within), "field named", f.Within, help)
		case !f.Type.Kind.Calendar(), timeless[f.Within]:
			help := ""
			if slices.Contains(items, f.Within) {
				help = "a range such as 2025..2028 counts numbers; years go from one field of type year to another"
			}
			c.fail(f.withinAt, utf8.RuneCountInString(f.Within), "`within` goes with times: a date in its month, a month in its year", help)
		}
	}
}
