package template

import (
	"slices"

	"vestibula/core/tree"
	"vestibula/core/value"
)

// leaveable are the places in the environment of fields that names on the way to the last folder
// of a line are made of, that may be left out, and that nothing is known of.
func (x *expander) leaveable(e *Line) (fields []int) {
	for _, name := range e.Names[:len(e.Names)-1] {
		for _, slot := range name.Pattern.Slots() {
			i := slices.IndexFunc(x.t.Fields, func(f *Field) bool { return f.Name == slot })
			if i >= 0 && x.t.Fields[i].Optional && !x.env[i].Given() && !slices.Contains(fields, i) {
				fields = append(fields, i)
			}
		}
	}
	return fields
}

func (x *expander) eitherWay(parent *tree.Node, e *Line, byName map[string]*tree.Node, fields []int) error {
	for k, i := range fields {
		x.env[i] = value.Nothing(x.t.Fields[i].Type.Kind)
		err := x.eitherWay(parent, e, byName, fields[k+1:])
		x.env[i] = value.Value{}
		if err != nil {
			return err
		}
	}
	return x.chain(parent, e, byName)
}
