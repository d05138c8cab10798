package pattern

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/value"
)

// bindAll binds a pattern to fields of those types.
func bindAll(t require.TestingT, source string, types map[string]*value.Type) *Name {
	p, errs := Parse(source)
	require.Empty(t, errs)
	slots := p.Slots()
	n, errs := p.Bind(func(name string) (Field, *Error) {
		return Field{Index: slices.Index(slots, name), Type: types[name]}, nil
	})
	require.Empty(t, errs)
	return n
}

func TestWhatWasReadAgreesWithWhatIsKnown(t *testing.T) {
	limit := 10
	types := map[string]*value.Type{"client": {Kind: value.Text}, "day": {Kind: value.Date}, "n": {Kind: value.Number}, "short": {Kind: value.Text, Max: &limit}}
	day := value.Value{Kind: value.Date, Year: 2027, Part: 3, Day: 9}
	for _, tt := range []struct {
		source, slot string
		read, known  value.Value
		want         bool
	}{
		{"<client>", "client", value.Of("Oriel Pask"), value.Of("Oriel Pask"), true},
		{"<client>", "client", value.Of("Oriel Pask"), value.Of("Jun Teague"), false},
		{"<client:like-this>", "client", value.Of("asgerd olvane"), value.Of("Åsgerd Ölvane"), true},
		{"<client:LT>", "client", value.Of("OP"), value.Of("Oriel Pask"), true},
		{"<client:LT>", "client", value.Of("JT"), value.Of("Oriel Pask"), false},
		{"<client>", "client", value.Of("Pask - Wren"), value.Of("Pask / Wren"), true},
		{"<short>", "short", value.Of("Oriel Pask"), value.Of("Oriel Pask Sons"), true},
		{"<day:yyyy-mm>", "day", value.Value{Kind: value.Month, Year: 2027, Part: 3}, day, true},
		{"<day:yyyy-mm>", "day", value.Value{Kind: value.Month, Year: 2027, Part: 4}, day, false},
		{"<day:yyyy-mm-dd>", "day", day, value.Value{Kind: value.Month, Year: 2027, Part: 3}, true},
		{"<n:000>", "n", value.OfNumber(7), value.OfNumber(7), true},
		{"<n:000>", "n", value.OfNumber(7), value.OfNumber(8), false},
		{"<client>", "client", value.Of("anything"), value.OfOpen("client"), true},
		{"<client>", "client", value.Of("anything"), value.Value{}, true},
	} {
		assert.Equal(t, tt.want, bindAll(t, tt.source, types).Agrees(tt.slot, tt.read, tt.known), "%s: %s and %s", tt.source, tt.read, tt.known)
	}
}

// A name that is written with looked-up values is the one that a filling makes, and what
// is read back from it agrees with them.
func TestWrittenNamesAgreeWithTheirValues(t *testing.T) {
	types := map[string]*value.Type{"client": {Kind: value.Text}, "day": {Kind: value.Date}, "n": {Kind: value.Number}}
	rapid.Check(t, func(t *rapid.T) {
		source := rapid.SampledFrom([]string{"<day:yyyy-mm-dd> <client:like-this> <n:000>", "<n:00>-<client:LT>", "<client:LikeThis>, <day:yyyy> q<day:q>", "x <day - 1:yyyy-mm-dd>"}).Draw(t, "source")
		name := bindAll(t, source, types)
		values := map[string]value.Value{
			"client": value.Of(rapid.StringMatching(`[A-Z][a-zé]{1,5}( [A-Z][a-z]{1,5}){0,2}`).Draw(t, "client")),
			"day":    {Kind: value.Date, Year: int16(rapid.IntRange(1990, 2090).Draw(t, "year")), Part: uint8(rapid.IntRange(1, 12).Draw(t, "month")), Day: uint8(rapid.IntRange(1, 28).Draw(t, "day"))},
			"n":      value.OfNumber(rapid.IntRange(0, 99).Draw(t, "n")),
		}
		out, whole, err := name.Write(func(slot string) value.Value { return values[slot] }, 2)
		require.NoError(t, err)
		require.True(t, whole)
		filling := Filling{Values: make([]value.Value, 3), Width: 2}
		for i, slot := range name.Pattern.Slots() {
			filling.Values[i] = values[slot]
		}
		filled, err := name.Append(nil, &filling)
		require.NoError(t, err)
		require.Equal(t, string(filled), out)
		r := name.Reader()
		read := make([]value.Value, len(r.Fields()))
		require.Nil(t, r.Read(out, read), out)
		for i, slot := range r.Fields() {
			assert.True(t, name.Agrees(slot, read[i], values[slot]), "%s in %s", slot, out)
		}
		_, whole, err = name.Write(func(string) value.Value { return value.Value{} }, 2)
		assert.NoError(t, err)
		assert.False(t, whole, "nothing is known")
	})
}

func TestHowFreeAPatternIs(t *testing.T) {
	types := map[string]*value.Type{"client": {Kind: value.Text}, "day": {Kind: value.Date}}
	loose, fixed := bindAll(t, "scan <day:yyyy> <client> <client:LT>", types).Loose()
	assert.Equal(t, 2, loose)
	assert.Equal(t, len("scan ")+2, fixed)
}
