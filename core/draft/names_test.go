package draft

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/template"
	"vestibula/core/value"
)

// A slot without a form would be any text.
func TestDaysInConventionsAreDays(t *testing.T) {
	r, err := Of("x", []Sample{
		sample("Oriel", "Bills/2027-03-09 bill 1.pdf", "Bills/2027-03-10 bill 2.pdf", "Bills/2027-04-01 bill 3.pdf"),
		sample("Jun", "Bills/2027-02-09 bill 1.pdf", "Bills/2027-02-10 bill 2.pdf"),
	}, nil, nil)
	require.NoError(t, err)
	learned, err := template.Parse("x", r.Text, nil)
	require.NoError(t, err, r.Text)
	require.Len(t, learned.Names, 1, r.Text)
	kinds := map[string]value.Kind{}
	for _, f := range learned.Names[0].Fields {
		kinds[f.Name] = f.Type.Kind
	}
	assert.Equal(t, map[string]value.Kind{"day": value.Date, "n": value.Number}, kinds, r.Text)
}

// Where few words stand in one place of many names, they are a choice; else they are a text.
func TestFewWordsOfManyNamesAreAChoice(t *testing.T) {
	text := func(words ...string) string {
		var paths []string
		for i, w := range words {
			paths = append(paths, fmt.Sprintf("Scans/2027-03-%02d %s %03d.tif", i+1, w, i+1))
		}
		r, err := Of("x", []Sample{sample("Ola", paths...), sample("Jun", paths[:3]...)}, nil, nil)
		require.NoError(t, err)
		return r.Text
	}
	few := text("recto", "verso", "recto", "verso", "recto", "recto")
	assert.Contains(t, few, "<kind>")
	assert.Contains(t, few, "of: [recto, verso]")
	assert.NotContains(t, text("recto", "Recto", "recto", "verso", "recto", "recto"), "of: [", "capitals alone tell no codes apart")
	assert.NotContains(t, text("oak", "tide", "gold", "calf", "vellum", "linen"), "of: [")
}

// Noise is what lies in one project alone, where there is more of it than projects, in more
// than half of them. What lies in a list is none: where six projects of ten have what no other
// one has, or each has two and nothing is in more than three of four.
func TestNoiseIsWhatIsChance(t *testing.T) {
	for _, c := range []struct {
		of, lone, all int // so many of the projects have, together, so many folders of their own
		common        int // so many have this one
		noisy         bool
	}{
		{9, 5, 10, 9, true},
		{9, 5, 9, 9, false},
		{8, 4, 12, 8, false},
		{5, 3, 6, 5, false},
		{10, 6, 12, 10, false},
		{11, 6, 12, 11, true},
		{12, 7, 14, 12, true},
		{12, 8, 16, 12, false},
		{12, 7, 15, 9, false},
		{12, 7, 14, 9, true},
		{12, 7, 15, 10, true},
	} {
		var samples []Sample
		var tops []*instance
		for i := range c.of {
			paths := []string{"People/"}
			if i < c.common {
				paths = append(paths, "People/All/")
			}
			for k := i; k < c.all && i < c.lone; k += c.lone {
				paths = append(paths, "People/"+strings.Repeat(string(rune('a'+i)), 2+k)+"/")
			}
			samples = append(samples, sample("P", paths...))
			tops = append(tops, &instance{sample: i, node: samples[i].Root})
		}
		l := newLearner(samples)
		l.spellings = make([][]spelling, len(samples))
		l.measureNoise(tops)
		assert.Equal(t, c.noisy, l.noisy, "%+v", c)
	}
}

// Where much is of one project alone, a series goes from the lowest to the highest that most of
// them have.
func TestASeriesIsSeenThroughNoise(t *testing.T) {
	weeks := func(days ...string) (paths []string) {
		for i, d := range days {
			for _, day := range strings.Split(d, "") {
				paths = append(paths, fmt.Sprintf("Weeks/Week %d/Day %s/", i+1, day))
			}
		}
		return paths
	}
	r, err := Of("x", []Sample{
		sample("Oriel Pask", append(weeks("234", "1234", "123"), "Loan/", "Prints/")...),
		sample("Jun Teague", append(weeks("123", "234", "1234"), "Fair/", "Barter/")...),
		sample("Ida Vig", append(weeks("1234", "123", "234"), "Moulds/", "Wages/")...),
		sample("Dag Holm", append(weeks("1234", "1234", "1234"), "Rents/", "Tools/")...),
		sample("Wren Abbott", append(weeks("1234", "1234", "1234"), "Work/")...),
		sample("Tove Lind", append(weeks("1234", "1234", "1234"), "Work/")...),
	}, nil, nil)
	require.NoError(t, err)
	assert.Contains(t, r.Text, "Week <week:0> | each: week in 1..3")
	assert.Contains(t, r.Text, "Day <day:0> | each: day in 1..4")
}

func TestNamesAreReadApart(t *testing.T) {
	kinds := func(name string) (out []string) {
		for _, tok := range tokens(name) {
			out = append(out, tok.kind+" "+tok.text)
		}
		return out
	}
	for name, want := range map[string][]string{
		"2027-03-09 oriel-pask 01": {"date 2027-03-09", "sign  ", "word oriel", "sign -", "word pask", "sign  ", "number 01"},
		"2027-03":                  {"month 2027-03"},
		"2027-13":                  {"year 2027", "sign -", "number 13"},
		"2027-02-30":               {"month 2027-02", "sign -", "number 30"},
		"2027-Q2 2027-W53":         {"quarter 2027-Q2", "sign  ", "year 2027", "sign -", "word W", "number 53"},
		"09.03.2027":               {"date 09.03.2027"},
		"20270309x":                {"date 20270309", "word x"},
		"x12027":                   {"word x", "number 12027"},
		"<client:like-this> a":     {"mixed <client:like-this>", "sign  ", "word a"},
		"12345678901":              {"word 12345678901"},
		"L'été":                    {"word L'été"},
	} {
		assert.Equal(t, want, kinds(name), name)
		assert.Equal(t, name, join(tokens(name)))
	}
	for _, c := range []struct {
		names []string
		want  string
	}{
		{[]string{"Ola", "Jun"}, "text"}, {[]string{"Ola 1", "Ola 2"}, "“Ola ” number"}, {[]string{"2027 A", "2028 B"}, "year “ ” choice"},
		{[]string{"2027-03 Oriel Pask BK", "2027-04 Jun Teague BX"}, "month “ ” text “ ” choice"}, {[]string{"Ola (2027)", "Jun Teague (2028)"}, "text “ (” year “)”"},
		{[]string{"Box 001 of Ola", "Box 012 of Jun"}, "“Box ” number “ of ” text"}, {[]string{"same", "same"}, "“same”"},
	} {
		var got []string
		for _, p := range infer(c.names) {
			if got = append(got, p.kind); p.kind == "" {
				got[len(got)-1] = "“" + p.literal + "”"
			}
		}
		assert.Equal(t, c.want, strings.Join(got, " "), c.names)
	}
}

// What a reading of a name says gives that name again, with the values that it was read by.
func TestReadingsGiveTheNameAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		client := rapid.SampledFrom([]string{"Oriel Pask", "Jun", "Åsa Ek", "O'Hara & Co"}).Draw(t, "client")
		l := newLearner(make([]Sample, 1))
		l.field("client", "text").values[0] = client
		l.field("day", "date").values[0] = "2027-03-09"
		l.spellings = [][]spelling{l.spellingsOf(0)}
		by := map[string]string{}
		for _, f := range l.spellings[0] {
			by[f.slot] = f.text
		}
		spellings := l.spellings[0]
		name := ""
		for range rapid.IntRange(1, 4).Draw(t, "parts") {
			name += rapid.SampledFrom([]string{" ", "-", "x", "1", spellings[rapid.IntRange(0, len(spellings)-1).Draw(t, "spelling")].text}).Draw(t, "part")
		}
		list := l.readings(&instance{}, name)
		assert.Equal(t, name, list[0], "the plain name is the first")
		for _, reading := range list {
			out := reading
			for slot, text := range by {
				out = strings.ReplaceAll(out, slot, text)
			}
			assert.Equal(t, name, out, reading)
		}
	})
}

// A day ends where its digits end: more of them are a number.
func TestLongNumbersAreNoDays(t *testing.T) {
	for text, day := range map[string]string{"2027-03-09 x": "date", "2027-03-0912 x": "month", "2027-03 x": "month", "2027-039 x": "year", "2027 x": "year", "20270 x": ""} {
		kinds := ""
		for _, token := range tokens(text) {
			if calendar(token.kind) {
				kinds += token.kind
			}
		}
		assert.Equal(t, day, kinds, text)
	}
}

// Names of one convention have one shape, however many words stand where one of them has one.
func TestNamesOfOneConventionHaveOneShape(t *testing.T) {
	for _, names := range [][]string{{"oak leaf 01", "tide 02", "old oak leaf 12"}, {"2027-03-09 oak leaf", "2027-04-01 tide"}, {"01_oak leaf_x", "02_tide_y"}} {
		for _, name := range names[1:] {
			assert.Equal(t, shapeOf(names[0]), shapeOf(name), name)
		}
		assert.NotEmpty(t, shapeOf(names[0]))
	}
	for _, pair := range [][2]string{{"oak 01", "01 oak"}, {"oak-01", "oak 01"}, {"oak 01", "oak 01 leaf"}, {"oak 01", "2027-03-09 oak"}} {
		assert.NotEqual(t, shapeOf(pair[0]), shapeOf(pair[1]), pair)
	}
	assert.Empty(t, shapeOf("only words"))
}
