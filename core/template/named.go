package template

import (
	"errors"
	"slices"

	"vestibula/core/pattern"
	"vestibula/core/value"
)

// A LackError says that a field has no value.
type LackError struct{ Field string }

// Error names it.
func (e *LackError) Error() string { return "it has no " + e.Field }

// Named is the name that a pattern of the template's fields makes of values. The error is
// that of the pattern, or a [LackError].
func (t *Template) Named(text string, values Values) (string, error) {
	p, errs := pattern.Parse(text)
	name, more := p.Bind(func(slot string) (pattern.Field, *pattern.Error) {
		if i := slices.IndexFunc(t.Fields, func(f *Field) bool { return f.Name == slot }); i >= 0 && slot != pattern.OwnNumber {
			return pattern.Field{Index: i, Type: &t.Fields[i].Type}, nil
		}
		return pattern.Field{}, noField(slot)
	})
	if errs = append(errs, more...); len(errs) > 0 {
		return "", errors.New(errs[0].Message)
	}
	for _, slot := range name.Pattern.Slots() {
		if v := values[slot]; !v.Given() || v.Kind == value.Pending {
			return "", &LackError{slot}
		}
	}
	out, whole, err := name.Write(func(slot string) value.Value { return values[slot] }, 2)
	if err == nil && !whole {
		err = errors.New("not all of it can be filled in")
	}
	if err == nil {
		err = unfit([]byte(out))
	}
	return out, err
}
