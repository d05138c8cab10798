package pattern

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/value"
)

var sides = &value.Type{Kind: value.Choice, Of: []value.Option{{Code: "recto"}, {Code: "verso"}, {Code: "ver"}}}

// bindTo binds a pattern to fields whose types are chosen by the first letter
// of their names.
func bindTo(t require.TestingT, source string) *Name {
	types := map[byte]*value.Type{'n': number, 'm': {Kind: value.Number, Min: ptr(1), Max: ptr(99)}, 'd': date, 's': sides, 't': text, 'w': {Kind: value.Week}, 'y': {Kind: value.YesNo}}
	p, errs := Parse(source)
	require.Empty(t, errs, source)
	slots := p.Slots()
	n, errs := p.Bind(func(name string) (Field, *Error) {
		for i, s := range slots {
			if s == name {
				return Field{Index: i, Type: types[name[0]]}, nil
			}
		}
		return Field{}, &Error{}
	})
	require.Empty(t, errs, source)
	return n
}

// slotsOf are slots to make random patterns from; %d is replaced by a number.
var slotsOf = []string{"<n%d>", "<n%d:00>", "<m%d:00>", "<n%d:A>", "<d%d>", "<d%d:yyyymmdd>", "<d%d:d.m.yy>", "<d%d:mmm d yyyy>", "<d%d:yyyy-Www ddd>", "<s%d>", "<s%d:LIKE THIS>",
	"<t%d>", "<t%d:like-this>", "<t%d:like this>", "<t%d:Like_This>", "<t%d:LikeThis>", "<t%d:LIKETHIS>", "<w%d>", "<y%d>"}

// drawValue draws a value and brings it into what its form
// shows it.
func drawValue(t *rapid.T, b *bound) value.Value {
	typ := b.field.Type
	var v value.Value
	switch typ.Kind {
	case value.Number:
		lo, hi := bounds(typ)
		v = value.OfNumber(rapid.IntRange(max(lo, 1), min(hi, 3000)).Draw(t, "number"))
	case value.Date:
		v = value.OfDate(time.Date(rapid.IntRange(2000, 2098).Draw(t, "year"), 1, rapid.IntRange(1, 366).Draw(t, "day"), 0, 0, 0, 0, time.UTC))
	case value.Week:
		v = value.Value{Kind: value.Week, Year: rapid.Int16Range(1990, 2050).Draw(t, "year"), Part: rapid.Uint8Range(1, 52).Draw(t, "week")}
	case value.Choice:
		v = typ.Option(rapid.IntRange(0, len(typ.Of)-1).Draw(t, "option"))
	case value.YesNo:
		v = value.Bool(rapid.Bool().Draw(t, "yes"))
	default:
		v = value.Of(rapid.StringMatching(`[a-dA-D1Öж]{1,4}([ -][a-c1é]{1,3}){0,2}`).Draw(t, "text"))
	}
	out, err := b.form.Append(nil, v)
	require.NoError(t, err)
	shown, ok := b.form.Read(string(out))
	require.True(t, ok, "%s of %q reads back", out, b.text)
	return shown
}

func TestNamesOfUnambiguousPatternsReadBackAndAmbiguousOnesHaveTwoReadings(t *testing.T) {
	verdicts, cases := map[Verdict]int{}, 0
	rapid.Check(t, func(t *rapid.T) {
		var source strings.Builder
		for i := range rapid.IntRange(1, 5).Draw(t, "slots") {
			source.WriteString(rapid.SampledFrom([]string{"", " ", "-", "_", " - ", "a", "1"}).Draw(t, "between"))
			source.WriteString(strings.ReplaceAll(rapid.SampledFrom(slotsOf).Draw(t, "slot"), "%d", fmt.Sprint(i)))
		}
		n := bindTo(t, source.String())
		proof := n.Unambiguous(NewBudget())
		verdicts[proof.Verdict]++
		if proof.Verdict == Fails {
			all := n.Reader().readingsWithSpans(proof.Name, 2)
			require.Len(t, all, 2, "%q of %s", proof.Name, source.String())
			assert.Equal(t, [][]value.Value{proof.First, proof.Second}, [][]value.Value{all[0].values, all[1].values})
			misfit, twice := n.Reader().ReadOnce(proof.Name, make([]value.Value, len(n.Reader().fields)))
			require.Nil(t, misfit)
			require.True(t, twice, "%q of %s", proof.Name, source.String())
			return
		}
		r := n.Reader()
		for range 150 {
			cases++
			f := &Filling{Values: make([]value.Value, len(r.fields))}
			for i := range n.parts {
				if b := &n.parts[i]; b.name != "" {
					f.Values[b.field.Index] = drawValue(t, b)
				}
			}
			out, err := n.Append(nil, f)
			require.NoError(t, err)
			got := make([]value.Value, len(r.fields))
			misfit := r.Read(string(out), got)
			require.Nil(t, misfit, "%q of %s", out, source.String())
			if proof.Verdict == Holds {
				require.Equal(t, f.Values, got, "%q of %s", out, source.String())
				once := make([]value.Value, len(r.fields))
				misfit, twice := r.ReadOnce(string(out), once)
				require.Nil(t, misfit)
				require.False(t, twice)
				require.Equal(t, got, once)
			}
		}
	})
	assert.Positive(t, verdicts[Holds])
	assert.Positive(t, verdicts[Fails])
	t.Logf("%d names, verdicts %v", cases, verdicts)
}

func TestProofs(t *testing.T) {
	tests := []struct{ pattern, name string }{ // no name: unambiguous
		{"<d:yyyy-mm-dd> <t:like-this> <s> <n:000>", ""},
		{"<t1:like-this>_<t2:like-this>", ""},
		{"<m:00><n:00>", ""},
		{"<d:yyyy> <t> <d:mm-dd>", ""},
		{"<t1> <t2>", "a a a"},
		{"<n1><n2>", "111"},
		{"<t1:LT><t2:like-this>", "111"}, // initials can be digits
		{"<s><t>", "versoa"},             // ver, soa
		{"<d:dmyyyy>", "1111111"},
		{"<t1:likeThis><t2:LikeThis>", "a11"},
	}
	for _, tt := range tests {
		proof := bindTo(t, tt.pattern).Unambiguous(NewBudget())
		if tt.name == "" {
			assert.Equal(t, Holds, proof.Verdict, "%s: %q", tt.pattern, proof.Name)
			continue
		}
		assert.Equal(t, Fails, proof.Verdict, tt.pattern)
		short := proof.Name
		if tt.name != "versoa" { // words stand for letters
			short = lettersRun().ReplaceAllString(short, "a")
		}
		assert.Len(t, []rune(short), len(tt.name), "a shortest name of %s: %q", tt.pattern, proof.Name)
	}
	ten := "<d:yyyy-mm-dd> <t1:like-this> <n1:000> <t2:Like_This> <s> <t3:like-this>.<n2:00> <w> <y> <t4:likethis>"
	assert.Equal(t, Holds, bindTo(t, ten).Unambiguous(NewBudget()).Verdict)

	assert.Equal(t, Holds, bindTo(t, "<d> <t:like-this>").Disjoint(bindTo(t, "<n:000> <t:like-this>"), NewBudget()).Verdict)
	overlap := bindTo(t, "<d> <t:like-this>").Disjoint(bindTo(t, "<t>"), NewBudget())
	assert.Equal(t, Fails, overlap.Verdict)
	assert.Equal(t, "oak", overlap.First[1].Text)
	assert.Equal(t, "2027-03-09 oak - - chair", bindTo(t, "<d:yyyy-mm-dd> <t1> - <t2>").Unambiguous(NewBudget()).Name, "an example that people would use")
}

func TestMisfitsSayWhereAndWhy(t *testing.T) {
	n := bindTo(t, "<d:yyyy-mm-dd> <t:like-this> <s> <n:000>")
	for name, want := range map[string]string{
		"2027-3-9 oriel-pask recto 001":     "5: the month needs two digits",
		"2027-13-09 oriel-pask recto 001":   "5: the month cannot be 13, only 1 to 12",
		"2027-02-30 oriel-pask recto 001":   "0: 2027-02-30 is not a date: that month has 28 days",
		"2027-03-09 Oriel-pask recto 001":   "11: “O” cannot stand in <t>, which is written like-this",
		"2027-03-09 oriel-pask inside 001":  "22: <s> must be one of recto, verso, ver",
		"2027-03-09 oriel-pask recto 1":     "28: <n> needs three digits",
		"2027-03-09 oriel-pask recto 0010":  "28: <n> has more zeros in front than three digits",
		"2027-03-09 oriel-pask recto 001 ":  "31: the name should end here",
		"2027-03-09 oriel-pask recto 001.a": "31: the name should end here",
		"2027-03-09 oriel-pask recto":       "27: the name ends too early: “ ” belongs here",
		"2027-03-09":                        "10: the name ends too early: “ ” belongs here",
		"":                                  "0: the name ends too early: the year needs four digits",
	} {
		m := n.Reader().Read(name, make([]value.Value, 4))
		if assert.NotNil(t, m, name) {
			assert.Equal(t, want, fmt.Sprintf("%d: %s", m.At, m), name)
		}
	}
	values := make([]value.Value, 1)
	assert.Nil(t, bindTo(t, "<t> é").Reader().Read("cafe\u0301 e\u0301", values), "another normal form reads as equal")
	assert.Equal(t, "caf\u00e9", values[0].Text)
	assert.NotNil(t, bindTo(t, "<d:yyyy> <d:yyyy-mm>").Reader().Read("2027 2028-01", values), "two slots of one field that say different things")
}

func TestSortingOfNames(t *testing.T) {
	for source, want := range map[string]string{
		"<d:yyyy-mm-dd> <t>": "", "<d:yyyymmdd>-<n:00>": "", "<n:000> <t>": "", "<t:LT> x": "", "<w> <t>": "", "<tt> <d>": "",
		"<d:dd-mm-yyyy>": "does not begin with the year", "<d:d.m.yyyy>": "without a zero in front", "<d:mmm yyyy>": "shown by a word", "<d:mm-yyyy>": "does not begin with the year",
		"<n> <t>": "has no zeros in front", "<t> <n:00>": "sorted by <t> before <n>",
	} {
		d := bindTo(t, source).Sorts(func(field string) bool { return field == "tt" })
		if want == "" {
			assert.Nil(t, d, source)
			continue
		}
		if assert.NotNil(t, d, source) {
			assert.Contains(t, d.Message, want)
		}
	}
	assert.Equal(t, 10+1+80+1+5, bindTo(t, "<d> <t> <s>").Longest(80))
}

func FuzzReadNeverPanics(f *testing.F) {
	names := []*Name{bindTo(f, "<d:yyyy-mm-dd> <t1:like-this> <s> <n:000>"), bindTo(f, "<t1> <t2><n1><n2:A> <d:mmmm d yy>"), bindTo(f, "<t1:likeThis><t2:LT><w> <t1>")}
	f.Add("2027-03-09 oriel-pask recto 001")
	f.Add("a b 12 May 1 é\xff")
	f.Fuzz(func(t *testing.T, s string) {
		for _, n := range names {
			r := n.Reader()
			values := make([]value.Value, len(r.fields))
			if r.Read(s, values) == nil {
				_, err := n.Append(nil, &Filling{Values: values})
				_ = err // a partly known value may not be writable; it must only not panic
			}
		}
	})
}

func TestWhatATextCannotHoldMakesNamesReadable(t *testing.T) {
	bind := func(source string, without ...string) *Name {
		p, errs := Parse(source)
		require.Empty(t, errs)
		n, errs := p.Bind(func(name string) (Field, *Error) {
			typ := &value.Type{Kind: value.Text, Without: without}
			return Field{Index: slices.Index(p.Slots(), name), Type: typ}, nil
		})
		require.Empty(t, errs)
		return n
	}
	assert.Equal(t, Fails, bind("<a> - <b>").Unambiguous(NewBudget()).Verdict)
	assert.Equal(t, Holds, bind("<a> - <b>", " - ").Unambiguous(NewBudget()).Verdict)
	assert.Equal(t, Holds, bind("<a>, <b> (<c>)", ", ", "(", ")").Unambiguous(NewBudget()).Verdict)
	proof := bind("<a> <b>", " - ").Unambiguous(NewBudget())
	require.Equal(t, Fails, proof.Verdict, "a space can stand in both")
	assert.NotContains(t, proof.Name, " - ")
	r := bind("<a> - <b>", " - ").Reader()
	values := make([]value.Value, 2)
	require.Nil(t, r.Read("Kestrel-Paper - blue - grey"[:20], values))
	assert.Equal(t, "Kestrel-Paper", values[0].Text)
	for _, bad := range []string{"a - b - c", "a - - b", "- a - b", "a -"} {
		assert.NotNil(t, r.Read(bad, values), bad)
	}
	// What is written from values that can be is read in one way.
	rapid.Check(t, func(t *rapid.T) {
		typ := &value.Type{Kind: value.Text, Without: []string{" - ", ", "}}
		text := rapid.StringMatching(`[ab][ab ,/-]{0,6}[ab]`)
		n := bind("<a> - <b>, <c>", " - ", ", ")
		var given []value.Value
		for _, slot := range []string{"a", "b", "c"} {
			v, err := typ.Parse(text.Draw(t, slot), time.Time{})
			if err != nil {
				return
			}
			given = append(given, v)
		}
		out, err := n.Append(nil, &Filling{Values: given})
		require.NoError(t, err)
		got := n.Reader().readingsWithSpans(string(out), 2)
		require.Len(t, got, 1, "%s", out)
		for i, v := range given {
			clean, _ := Clean(v.Text)
			assert.Equal(t, clean, got[0].values[i].Text)
		}
	})
}

// accepts reports whether an automaton takes a name.
func (a *automaton) accepts(name string) bool {
	states := map[int]bool{a.start: true}
	for _, r := range name {
		next := map[int]bool{}
		for s := range states {
			for _, m := range a.next[s] {
				if m.on(r) {
					next[m.to] = true
				}
			}
		}
		states = next
	}
	for s := range states {
		if a.accept[s] {
			return true
		}
	}
	return false
}

// The reader and the automaton are two engines for one grammar: what is read is accepted,
// and what is accepted is read, but for days that do not exist and numbers out of bounds.
func TestTheReaderAndTheAutomatonAreOneGrammar(t *testing.T) {
	read, both := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		var source strings.Builder
		exact := true
		for i := range rapid.IntRange(1, 4).Draw(t, "slots") {
			source.WriteString(rapid.SampledFrom([]string{"", " ", "-", "_", " - ", "a", "1"}).Draw(t, "between"))
			slot := rapid.SampledFrom(slotsOf).Draw(t, "slot")
			exact = exact && (strings.HasPrefix(slot, "<t") || strings.HasPrefix(slot, "<w") || strings.HasPrefix(slot, "<y"))
			source.WriteString(strings.ReplaceAll(slot, "%d", fmt.Sprint(i)))
		}
		n := bindTo(t, source.String())
		r := n.Reader()
		a := r.automaton()
		require.NotNil(t, a)
		values := make([]value.Value, len(r.fields))
		for range 60 {
			f := &Filling{Values: make([]value.Value, len(r.fields))}
			for i := range n.parts {
				if b := &n.parts[i]; b.name != "" {
					f.Values[b.field.Index] = drawValue(t, b)
				}
			}
			out, err := n.Append(nil, f)
			require.NoError(t, err)
			name := []rune(string(out))
			for range rapid.IntRange(0, 2).Draw(t, "changes") {
				at := rapid.IntRange(0, len(name)).Draw(t, "at")
				r := rapid.SampledFrom([]rune("aA1 -_.é9Ö")).Draw(t, "character")
				switch kind := rapid.IntRange(0, 2).Draw(t, "change"); {
				case at == len(name) || kind == 0:
					name = slices.Insert(name, at, r)
				case kind == 1:
					name[at] = r
				default:
					name = slices.Delete(name, at, at+1)
				}
			}
			isRead, accepted := r.Read(string(name), values) == nil, a.accepts(string(name))
			if isRead {
				read++
				assert.True(t, accepted, "%q is read by %s, and not accepted", string(name), source.String())
			}
			if exact {
				both++
				assert.Equal(t, accepted, isRead, "%q of %s: accepted, read", string(name), source.String())
			}
		}
	})
	t.Logf("%d read, %d held against each other both ways", read, both)
}
