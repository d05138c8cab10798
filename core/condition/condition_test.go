package condition

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/value"
)

// desk are fields to ask of, in the order of their indexes.
type desk []struct {
	name     string
	typ      value.Type
	optional bool
}

func (d desk) Find(name string) (Field, bool) {
	for i := range d {
		if d[i].name == name {
			return Field{i, &d[i].typ, d[i].optional}, true
		}
	}
	return Field{}, false
}

func (d desk) Names() (names []string) {
	for _, f := range d {
		names = append(names, f.name)
	}
	return names
}

var fields = desk{
	{"gilt", value.Type{Kind: value.YesNo}, false},
	{"kind", value.Type{Kind: value.Choice, Of: []value.Option{{Code: "BK", Meaning: "book"}, {Code: "a and b"}, {Code: "x or not"}}}, false},
	{"month", value.Type{Kind: value.Month}, false},
	{"n", value.Type{Kind: value.Number}, true},
	{"note", value.Type{Kind: value.Text}, true},
}

func values(t require.TestingT, texts ...string) (list []value.Value) {
	for i, text := range texts {
		v, err := fields[i].typ.Parse(text, time.Time{})
		require.NoError(t, err)
		list = append(list, v)
	}
	return list
}

// A condition is true where the tests say so, each by itself, and it is written so that it is
// read as the same.
func TestConditionsAreTheirRows(t *testing.T) {
	env := append(values(t, "yes", "a and b", "2027-03", "7"), value.Of(""))
	tests := map[string]bool{
		"gilt": true, "not gilt": false, "kind is a and b": true, "kind is x or not": false, "kind is not BK": true,
		"month is 2027-03": true, "month + 1 is 2027-04": true, "month - 3 is 2026-12": true, "month + 1 is not 2027-04": false,
		"n": true, "n is 7": true, "n + 1 is 7": false, "note": false, "not note": true,
	}
	names := make([]string, 0, len(tests))
	for test := range tests {
		names = append(names, test)
	}
	slices.Sort(names)
	rapid.Check(t, func(t *rapid.T) {
		var rows []string
		want := false
		for range rapid.IntRange(1, 3).Draw(t, "rows") {
			row := rapid.SliceOfN(rapid.SampledFrom(names), 1, 3).Draw(t, "row")
			all := true
			for _, test := range row {
				all = all && tests[test]
			}
			rows, want = append(rows, strings.Join(row, " and ")), want || all
		}
		text := strings.Join(rows, " or ")
		c, errs := Parse(text, fields)
		require.Empty(t, errs, text)
		assert.Equal(t, want, c.Holds(env), text)
		assert.Equal(t, text, c.String())
	})
	assert.True(t, Condition(nil).Holds(env))
	c, _ := Parse("kind is BK", fields)
	assert.Equal(t, "book", c[0][0].Meaning())
	assert.True(t, c.Holds(make([]value.Value, len(fields))), "of what is not known, all is shown")
}

func TestMistakesOfConditionsSayWhere(t *testing.T) {
	for text, want := range map[string]Mistake{
		"gilt and glt":        {At: 9, Width: 3, Message: `there is no field named "glt"`, Help: "did you mean gilt?", Lacks: "glt"},
		"not kind is BK":      {At: 0, Width: 14, Message: `there is no field named "not kind"`, Help: "write `kind is not BK`", Lacks: "not kind"},
		"gilt or kind":        {At: 8, Width: 4, Message: `"kind" is a choice: it is neither true nor false`, Help: "write `kind is …`"},
		"kind is ZZ":          {At: 0, Width: 10, Message: `this can never hold: "kind" "ZZ" is not one of BK (book), a and b, x or not`},
		"note + 1 is x":       {At: 0, Width: 13, Message: `a step goes with a number or a time that is compared, and "note" is a text`, Help: "write for example `month + 1 is 2027-03`"},
		"month + 1":           {At: 0, Width: 9, Message: `a step goes with a number or a time that is compared, and "month" is a month`, Help: "write for example `month + 1 is 2027-03`"},
		"é and gilt":          {At: 0, Width: 1, Message: `there is no field named "é"`, Help: "write a field, `not` and a field, or `field is value`; join them with `and` or `or`", Lacks: "é"},
		"kind is BK and  glt": {At: 16, Width: 3, Message: `there is no field named "glt"`, Help: "did you mean gilt?", Lacks: "glt"},
	} {
		c, errs := Parse(text, fields)
		if assert.Len(t, errs, 1, text) {
			assert.Equal(t, want, *errs[0], text)
		}
		assert.NotPanics(t, func() { c.Holds(make([]value.Value, len(fields))) })
	}
}

// Whatever is written, reading ends, and what is read without a mistake is written so that it
// is read as the same.
func FuzzCondition(f *testing.F) {
	for _, text := range []string{"gilt", "kind is a and b or n", "month - 1 is not 2027-03 and not note", " and ", "is", "not not gilt", "kind is  BK"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		c, errs := Parse(text, fields)
		if len(errs) > 0 {
			return
		}
		again, errs := Parse(c.String(), fields)
		require.Empty(t, errs, "%q is written %q", text, c.String())
		require.Equal(t, c.String(), again.String())
	})
}
