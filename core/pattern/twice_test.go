package pattern

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/value"
)

// bindTwice binds a pattern of choices, numbers and texts.
func bindTwice(t require.TestingT, source string) *Name {
	one, nine := 1, 12
	types := map[string]*value.Type{
		"s": {Kind: value.Choice, Of: []value.Option{{Code: "a"}, {Code: "aa"}, {Code: "ab"}, {Code: "b"}}},
		"n": {Kind: value.Number, Min: &one, Max: &nine},
		"t": {Kind: value.Text}, "u": {Kind: value.Text},
	}
	p, errs := Parse(source)
	require.Empty(t, errs)
	slots := p.Slots()
	n, errs := p.Bind(func(name string) (Field, *Error) {
		for i, slot := range slots {
			if slot == name {
				return Field{Index: i, Type: types[name[:1]]}, nil
			}
		}
		return Field{}, &Error{}
	})
	require.Empty(t, errs, source)
	return n
}

// The oracle writes the names of all values, texts of one to three letters, and looks
// whether two are the same.
func TestSlotsThatStandTwiceAreDecidedWhereTheirValuesAreFew(t *testing.T) {
	var texts []value.Value
	for _, text := range strings.Fields("a b 1 aa ab ba bb 1a 1b aaa aab aba abb baa bab bba 1ab a1 11") {
		texts = append(texts, value.Of(text))
	}
	verdicts := map[Verdict]int{}
	rapid.Check(t, func(rt *rapid.T) {
		parts := []string{"<s>", "<s>", "<n:0>", "<n:0>"}[rapid.IntRange(0, 2).Draw(rt, "which"):]
		parts = append(parts[:2:2], rapid.SliceOfN(rapid.SampledFrom([]string{"<t>", "<m>", "<s>", "<n:0>"}), 0, 2).Draw(rt, "more")...)
		var source strings.Builder
		for i, p := range rapid.Permutation(parts).Draw(rt, "order") {
			if i > 0 {
				source.WriteString(rapid.SampledFrom([]string{"", "", "-", "a", "1"}).Draw(rt, "between"))
			}
			source.WriteString(strings.ReplaceAll(p, "<m>", "<n:0>"))
		}
		n := bindTwice(rt, source.String())
		proof := n.Unambiguous(NewBudget())
		require.False(rt, proof.Verdict == Unproven && strings.Count(source.String(), "<t>") < 2, source.String())
		verdicts[proof.Verdict]++
		if proof.Verdict == Fails {
			require.Len(rt, n.Reader().readingsWithSpans(proof.Name, 2), 2, "%q of %s", proof.Name, source.String())
			return
		}
		all := [][]value.Value{nil}
		for _, slot := range n.Pattern.Slots() {
			values := few(n.typeOf(slot))
			if values == nil {
				values = texts
			}
			var next [][]value.Value
			for _, row := range all {
				for _, v := range values {
					next = append(next, append(row[:len(row):len(row)], v))
				}
			}
			all = next
		}
		seen := map[string]string{}
		for _, row := range all {
			out, err := n.Append(nil, &Filling{Values: row})
			require.NoError(rt, err)
			other, again := seen[string(out)]
			require.False(rt, again && proof.Verdict == Holds, "%s: %q is %v and %s", source.String(), out, row, other)
			seen[string(out)] = fmt.Sprint(row)
		}
	})
	t.Logf("verdicts %v", verdicts)
	assert.Positive(t, verdicts[Holds])
	assert.Positive(t, verdicts[Fails])
}

func TestOverlapsOfTextsThatStandTwice(t *testing.T) {
	for _, tt := range []struct {
		a, b string
		want Verdict
	}{
		{"<t:like-this> <t:like-this>", "rope <u:like-this>", Fails}, // rope rope
		{"<t:like-this> <t:like-this>", "<u:like-this>", Holds},
		{"<t:like-this>_<t:like-this>", "rope_cord", Unproven},
	} {
		for _, proof := range []Proof{bindTwice(t, tt.a).Disjoint(bindTwice(t, tt.b), NewBudget()), bindTwice(t, tt.b).Disjoint(bindTwice(t, tt.a), NewBudget())} {
			assert.Equal(t, tt.want, proof.Verdict, "%s and %s: %q", tt.a, tt.b, proof.Name)
		}
	}
}

func TestTextsThatStandTwice(t *testing.T) {
	for source, want := range map[string]Verdict{
		"<t> <u> <t>":                     Fails, // oak elm oak elm oak
		"<t>-<u:like-this>-<t>":           Fails,
		"<t:like-this> <u> <t:like-this>": Holds,    // no spaces in it
		"<t>_<n:00>_<t>":                  Unproven, // refused: no example is found, and no proof
	} {
		proof := bindTwice(t, source).Unambiguous(NewBudget())
		assert.Equal(t, want, proof.Verdict, "%s: %q", source, proof.Name)
	}
}
