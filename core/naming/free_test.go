package naming

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/template"
	"vestibula/core/value"
)

func freeOf(t require.TestingT, pattern string) *Free {
	tpl, err := template.Parse("t", "---\nfields: { client: Who? }\nnames:\n  bill: "+pattern+"\n---\n<client>\n    Bills | holds: bill\n", nil)
	require.NoError(t, err)
	return NewFree(tpl.Names[0], map[string][]value.Value{"client": {value.Of("Oriel Pask"), value.Of("Åsgerd Ölvane"), value.Of("Jun")}})
}

func told(g *Guessed) (lines []string) {
	if g.Lacks != "" {
		return []string{"! " + g.Lacks}
	}
	for _, x := range g.Guesses {
		var parts []string
		for _, name := range slices.Sorted(maps.Keys(x.Values)) {
			parts = append(parts, name+"="+x.Values[name].String())
		}
		if x.Order != "" {
			parts = append(parts, "by "+string(x.Order))
		}
		lines = append(lines, strings.Join(parts, " "))
	}
	return lines
}

func TestNamesOfAnyShapeAreRead(t *testing.T) {
	bill := `{ pattern: "<day:yyyy-mm-dd> <client:like-this> bill <n:000> <what>", fields: { day: { type: date }, n: { type: number, next: yes }, what: { default: "" } } }`
	kind := `{ pattern: "<day:yyyy-mm-dd> <kind> <client:LT>", fields: { day: { type: date }, kind: { of: { BX: box, MP: chart } } } }`
	sheet := `{ pattern: "<month:yyyy-mm> <what:like-this>", fields: { month: { type: month } } }`
	for _, c := range []struct {
		pattern, name string
		want          []string
	}{
		{bill, "2027-03-09 oriel-pask bill 012 rent", []string{"client=Oriel Pask day=2027-03-09 n=12 what=rent"}},
		{bill, "Bill no 12 Oriel Pask 9.3.2027", []string{"client=Oriel Pask day=2027-03-09 n=12 by dmy", "client=Oriel Pask day=2027-09-03 n=12 by mdy"}},
		{bill, "Bill 12, ORIEL_PASK, 25.3.27 for the leather", []string{"client=Oriel Pask day=2027-03-25 n=12 what=for the leather by dmy"}},
		{bill, "asgerd olvane 3 April 2027", []string{"client=Åsgerd Ölvane day=2027-04-03"}},
		{bill, "3. avril 2027 Ölvane, Åsgerd", []string{"client=Åsgerd Ölvane day=2027-04-03"}},
		{bill, "3. avril 2027 Ölvane, Dag", []string{"! “Ölvane, Dag” could be its client or its what"}},
		{bill, "April 3rd, 2027 Jun", []string{"client=Jun day=2027-04-03"}},
		{bill, "20270409-Jun-2", []string{"client=Jun day=2027-04-09 n=2"}},
		{bill, "Jun 2027_4_9 v2 final (1)", []string{"client=Jun day=2027-04-09 what=v2 final"}},
		{bill, "Copy of Jun 2027-12-31 - Copy", []string{"client=Jun day=2027-12-31"}},
		{bill, "Jun 31.2.2027 rent", []string{"! there is no day 31.2.2027"}},
		{bill, "Jun 1.2 plan 2027-03-04", []string{"client=Jun day=2027-03-04 n=1 what=2 plan", "client=Jun day=2027-03-04 n=2 what=1 plan"}},
		{bill, "2027-01-02 Jun 2027-03-04", []string{"! it holds more than one day"}},
		{bill, "Jun 2027-03-04 7 8", []string{"client=Jun day=2027-03-04 n=7 what=8", "client=Jun day=2027-03-04 n=8 what=7"}},
		{kind, "box Oriel Pask 03-04-05", []string{"client=Oriel Pask day=2005-04-03 kind=BX by dmy", "client=Oriel Pask day=2005-03-04 kind=BX by mdy", "client=Oriel Pask day=2003-04-05 kind=BX by ymd"}},
		{kind, "2027-03-04 chrat Jun", []string{"client=Jun day=2027-03-04 kind=MP"}},
		{kind, "2027-03-04 box Jun extra", []string{"! nothing in bill says “extra”"}},
		{sheet, "März 2027 Rent - office", []string{"month=2027-03 what=Rent - office"}},
		{sheet, "rent 3.2027", []string{"month=2027-03 what=rent"}},
		{sheet, "rent_202703", []string{"month=2027-03 what=rent"}},
		{`"<day:yyyy-mm-dd> <from> <to>"`, "2027-03-04 here there", []string{"! “here there” could be its from or its to"}},
		{`{ pattern: "<q:yyyy-Qq> <what>", fields: { q: { type: quarter } } }`, "Tax Q2 2027", []string{"q=2027-Q2 what=Tax"}},
		{`{ pattern: "<w:yyyy-Www> <what>", fields: { w: { type: week } } }`, "plan KW 7 2027", []string{"w=2027-W07 what=plan"}},
	} {
		assert.Equal(t, c.want, told(freeOf(t, c.pattern).Read(c.name, nil)), c.name)
	}
	f := freeOf(t, bill)
	assert.Equal(t, []string{"client=Dag Holm day=2027-01-02 what=rent"}, told(f.Read("dag-holm 2027-01-02 rent", template.Values{"client": value.Of("Dag Holm")})), "the place is known")
	assert.Equal(t, f.Read("a 3.4.2027", nil).Shape, f.Read("b 11.12.2027 c", nil).Shape)
	assert.NotEqual(t, f.Read("a 3.4.2027", nil).Shape, f.Read("a 3-4-2027", nil).Shape)
}

// Whatever way a day is written in, the parts in any order, that day is among the guesses: the only one
// where no other day could be meant. The oracle is what has written it.
func TestADayIsReadHoweverItIsWritten(t *testing.T) {
	f := freeOf(t, `{ pattern: "<day:yyyy-mm-dd> <client:like-this> <n:000>", fields: { day: { type: date }, n: { type: number } } }`)
	rapid.Check(t, func(t *rapid.T) {
		day := time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, rapid.IntRange(0, 30_000).Draw(t, "day"))
		form := rapid.SampledFrom([]string{"2006-01-02", "02.01.2006", "2.1.2006", "01/02/2006", "2. January 2006", "Jan 2 2006", "20060102", "2006/1/2", "02-01-06"}).Draw(t, "form")
		parts := []string{strings.ReplaceAll(day.Format(form), "/", "-"), "oriel pask", fmt.Sprintf("no %d", rapid.IntRange(0, 999).Draw(t, "n"))}
		name := strings.Join(rapid.Permutation(parts).Draw(t, "parts"), rapid.SampledFrom([]string{" ", " - ", "_", ", "}).Draw(t, "sign"))
		got := f.Read(name, nil)
		require.Empty(t, got.Lacks, name)
		found := slices.ContainsFunc(got.Guesses, func(g Guess) bool { return g.Values["day"].String() == day.Format(time.DateOnly) })
		require.True(t, found, "%s: %v", name, told(got))
		if form == "2006-01-02" || form == "20060102" || form == "2. January 2006" || day.Day() > 12 && strings.HasSuffix(form, "2006") {
			require.Len(t, got.Guesses, 1, "%s: %v", name, told(got))
		}
		require.Equal(t, "Oriel Pask", got.Guesses[0].Values["client"].String())
	})
}

func FuzzFree(f *testing.F) {
	for _, seed := range []string{"Bill no 12 Oriel Pask 9.3.2027", "(1)", "3. 4. ", "20270340", "é́ 1-2-3-4-5"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, name string) {
		free := freeOf(t, `{ pattern: "<day:yyyy-mm-dd> <client:like-this> <n:000> <what>", fields: { day: { type: date }, n: { type: number }, what: { default: "" } } }`)
		for _, g := range free.Read(name, nil).Guesses {
			if v := g.Values["day"]; v.Given() && v.Kind != value.Date {
				t.Fatal(v)
			}
		}
	})
}

// A copy that a drive's sync program has put beside a file is no file of its own.
func TestConflictCopiesAreNoFilesOfTheirOwn(t *testing.T) {
	for name, of := range map[string]string{
		"report (conflicted copy 2027-03-09)":          "report",
		"report (Una's conflicted copy 2027-03-09)":    "report",
		"2027-03-09 bill 001 (Konfliktkopie Wren)":     "2027-03-09 bill 001",
		"report.sync-conflict-20270309-101112-ABCDEFG": "report",
		"report (1)":                    "",
		"conflict of interest":          "",
		"The conflict (second edition)": "",
		"Interview (armed conflict)":    "",
		"(conflict)":                    "",
	} {
		assert.Equal(t, of, Conflict(name), name)
	}
}
