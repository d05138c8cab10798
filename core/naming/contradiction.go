package naming

import (
	"vestibula/core/template"
	"vestibula/core/value"
)

// Contradiction returns the first field of values that were read from a name, in the order
// of the convention's fields, which contradicts what is known where it is to lie; or "".
func Contradiction(conv *template.Convention, values []value.Value, known template.Values) (field string) {
	field, _, _ = Disagree(conv, values, func(slot string, _ bool) value.Value { return known[slot] })
	return field
}

// Disagree is as Contradiction, of what is known by the fields of slots, of texts too; it also returns
// what is known there, and whether that is only the longer period that the value does not lie in.
func Disagree(conv *template.Convention, values []value.Value, known func(slot string, free bool) value.Value) (slot string, place value.Value, within bool) {
	for i, f := range conv.Fields {
		if !values[i].Given() {
			continue
		}
		if v := known(f.Name, f.Type.Kind == value.Text); v.Given() && v.Kind != value.List && !v.Empty() && !conv.Pattern.Agrees(f.Name, values[i], v) {
			return f.Name, v, false
		}
		if f.Within == "" {
			continue
		}
		longer := known(f.Within, false)
		if covers, both := longer.Covers(values[i]); both && !covers {
			return f.Name, longer, true
		}
	}
	return "", value.Value{}, false
}

// Listed are values in the order of the fields of a convention.
func Listed(conv *template.Convention, values template.Values) []value.Value {
	list := make([]value.Value, len(conv.Fields))
	for i, f := range conv.Fields {
		list[i] = values[f.Name]
	}
	return list
}
