package pattern

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/value"
)

func mustParse(t require.TestingT, typ *value.Type, text string) value.Value {
	v, err := typ.Parse(text, time.Time{})
	require.NoError(t, err)
	return v
}

func ptr(n int) *int { return &n }

var (
	text   = &value.Type{Kind: value.Text}
	number = &value.Type{Kind: value.Number}
	date   = &value.Type{Kind: value.Date}
	terms  = &value.Type{Kind: value.Term, Of: []value.Option{{Code: "autumn"}, {Code: "winter"}, {Code: "spring"}}}
	german = &value.Type{Kind: value.Month, Months: []string{"Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober", "November", "Dezember"}}
)

func TestFormsOfTheLanguageTable(t *testing.T) {
	tests := []struct {
		typ               *value.Type
		value, form, want string
	}{
		{number, "7", "0", "7"}, {number, "7", "00", "07"}, {number, "7", "000", "007"}, {number, "1234", "00", "1234"},
		{number, "1", "A", "A"}, {number, "26", "A", "Z"}, {number, "27", "A", "AA"}, {number, "702", "a", "zz"}, {number, "703", "A", "AAA"},
		{date, "2027-03-09", "yyyy-mm-dd", "2027-03-09"}, {date, "2027-03-09", "yy m d", "27 3 9"}, {date, "2027-03-09", "yyyymmdd", "20270309"},
		{date, "2027-03-09", "ddd d mmm yyyy", "Tue 9 Mar 2027"}, {date, "2027-03-09", "dddd", "Tuesday"}, {date, "2027-03-09", "mmmm", "March"},
		{date, "2027-03-09", "yyyy-Qq", "2027-Q1"}, {date, "2027-03-09", "yyyy-Www", "2027-W10"},
		{date, "2027-01-01", "yyyy-Www", "2026-W53"}, {date, "2027-01-01", "yyyy-mm-dd Www", "2027-01-01 W53"},
		{&value.Type{Kind: value.Month}, "2027-03", "", "2027-03"}, {german, "2027-03", "mm mmmm", "03 März"},
		{&value.Type{Kind: value.Quarter}, "2027-Q1", "", "2027-Q1"}, {&value.Type{Kind: value.Week}, "2026-W53", "yy.ww", "26.53"},
		{&value.Type{Kind: value.Year}, "2027", "yy", "27"},
		{terms, "2027 winter", "yyyy 0 Name", "2027 2 Winter"}, {terms, "2027 winter", "", "2027 winter"}, {terms, "2027 winter", "NAME-yy", "WINTER-27"},
		{text, "oriel  Pask", "", "oriel Pask"}, {text, "Oriel PASK", "like this", "oriel pask"}, {text, "oriel pask", "Like this", "Oriel pask"},
		{text, "oriel pask", "Like This", "Oriel Pask"}, {text, "oriel pask", "LIKE THIS", "ORIEL PASK"}, {text, "Åsgerd Ölvane", "like-this", "asgerd-olvane"},
		{text, "Åsgerd Ölvane", "Like-This", "Asgerd-Olvane"}, {text, "Åsgerd Ölvane", "LIKE-THIS", "ASGERD-OLVANE"}, {text, "Oriel Pask", "like_this", "oriel_pask"},
		{text, "Oriel Pask", "Like_This", "Oriel_Pask"}, {text, "Oriel Pask", "LIKE_THIS", "ORIEL_PASK"}, {text, "Oriel Pask", "like.this", "oriel.pask"},
		{text, "Oriel Pask", "likethis", "orielpask"}, {text, "Oriel Pask", "LIKETHIS", "ORIELPASK"}, {text, "Oriel Pask", "likeThis", "orielPask"},
		{text, "Oriel Pask", "LikeThis", "OrielPask"}, {text, "Oriel Pask", "LT", "OP"}, {text, "Jun O’Teague-Wren", "LT", "JOW"},
		{text, "Straße Ø & Łódź", "like-this", "strasse-o-lodz"}, {text, "Мария 本 Ωmega", "like-this", "мария-本-ωmega"}, {text, "Pask / Wren", "", "Pask - Wren"},
	}
	for _, tt := range tests {
		p, err := Plain(tt.typ), (*Error)(nil)
		if tt.form != "" {
			p, err = ParseForm(tt.form, tt.typ)
			require.Nil(t, err, tt.form)
		}
		out, appendErr := p.Append(nil, mustParse(t, tt.typ, tt.value))
		require.NoError(t, appendErr)
		assert.Equal(t, tt.want, string(out), "%s as %q", tt.value, tt.form)
	}
}

func TestFormsThatDoNotSuit(t *testing.T) {
	tests := []struct {
		typ        *value.Type
		form, want string
		at         int
	}{
		{number, "#0", `the form "#0" does not suit a number`, 0},
		{date, "yyyy/mm", "a name cannot hold / (write - instead: yyyy-mm)", 4},
		{date, "yyyy-mm-jj", `"jj" in this form stands for nothing`, 8},
		{date, "X", `the form "X" does not suit a date`, 0},
		{&value.Type{Kind: value.Year}, "yyyy-mm", `a year cannot fill "mm"`, 5},
		{text, "like-that", `the form "like-that" does not suit a text`, 0},
		{text, "LIKE_this", "did you mean", 0},
		{terms, "term yy", `"t" in this form stands for nothing`, 0},
		{&value.Type{Kind: value.Choice, Of: []value.Option{{Code: "a b"}, {Code: "A-B"}}}, "like-this", `"a b" and "A-B" would both be "a-b"`, 0},
		{&value.Type{Kind: value.List}, "like-this", "a list has no form", 0},
	}
	for _, tt := range tests {
		_, err := ParseForm(tt.form, tt.typ)
		if assert.NotNil(t, err, tt.form) {
			assert.ErrorContains(t, err, tt.want)
			assert.Equal(t, tt.at, err.At, tt.form)
		}
	}
}

// dateForms hold the whole date, each in another way.
var dateForms = []string{"yyyy-mm-dd", "yyyymmdd", "d.m.yyyy", "dd mmm yyyy", "ddd d mmmm yyyy", "yyyy-Www dddd", "Qq yyyy mm dd", "yyyy-mm-dd Www", "mmmm d yyyy"}

func TestWhatAFormHoldsWholeReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := value.OfNumber(rapid.IntRange(1, value.MaxNumber).Draw(t, "number"))
		if rapid.Bool().Draw(t, "small") {
			n.Number = n.Number%1200 + 1
		}
		d := value.OfDate(time.Date(rapid.IntRange(1, 9998).Draw(t, "year"), 1, rapid.IntRange(1, 366).Draw(t, "day"), 0, 0, 0, 0, time.UTC))
		words := value.Of(rapid.StringMatching(`[a-z0-9ωж]{1,6}( [a-z0-9ωж]{1,6}){0,3}`).Draw(t, "words"))
		check := func(typ *value.Type, form string, v value.Value) {
			p, perr := ParseForm(form, typ)
			require.Nil(t, perr)
			out, err := p.Append(nil, v)
			require.NoError(t, err)
			back, ok := p.Read(string(out))
			assert.True(t, ok && back.Equal(v), "%s as %q is %q, read back as %s", v, form, out, back)
		}
		for _, form := range []string{"0", "00", "000000", "A", "a"} {
			check(number, form, n)
		}
		for _, form := range dateForms {
			check(date, form, d)
		}
		for _, form := range []string{"like this", "like-this", "like_this", "like.this"} {
			check(text, form, words)
		}
	})
}

func TestReadingRefusesWhatAFormNeverWrites(t *testing.T) {
	for _, tt := range []struct {
		typ        *value.Type
		form, name string
	}{
		{number, "00", "7"}, {number, "00", "007"}, {number, "0", ""}, {&value.Type{Kind: value.Number, Max: ptr(14)}, "00", "15"},
		{date, "yyyy-mm-dd", "2027-02-30"}, {date, "yyyy-mm-dd", "2027-3-9"}, {date, "ddd yyyy-mm-dd", "Mon 2027-03-09"}, {date, "m", "03"},
		{text, "like-this", "Oriel"}, {text, "like-this", "oriel--pask"}, {text, "like-this", "-oriel"}, {text, "like-this", "åsgerd"}, {text, "Like This", "oriel Pask"},
	} {
		p, err := ParseForm(tt.form, tt.typ)
		require.Nil(t, err)
		_, ok := p.Read(tt.name)
		assert.False(t, ok, "%q as %q", tt.name, tt.form)
	}
}

func TestNamesAreWrittenAsAWhole(t *testing.T) {
	short := &value.Type{Kind: value.Text, Max: ptr(10)}
	fields := map[string]Field{"client": {Type: text}, "topic": {Index: 1, Type: short}, "n": {Index: 2, Type: number}, OwnNumber: {Index: 3, Type: number}}
	p, errs := Parse("<#> <client> - <topic> (<n:000>)")
	require.Empty(t, errs)
	n, errs := p.Bind(func(name string) (Field, *Error) { return fields[name], nil })
	require.Empty(t, errs)
	var changed []string
	f := &Filling{Values: []value.Value{value.Of("Pask / Wren"), value.Of("gold leaf and more"), value.OfNumber(7), value.OfNumber(3)}, Width: 2,
		Changed: func(field, was, is string) { changed = append(changed, field+": "+was+" → "+is) }}
	out, err := n.Append(nil, f)
	require.NoError(t, err)
	assert.Equal(t, "03 Pask - Wren - gold leaf (007)", string(out))
	assert.Equal(t, []string{"client: Pask / Wren → Pask - Wren", "topic: gold leaf and more → gold leaf"}, changed)
	f.Values[0], f.Values[1] = value.Value{}, value.Nothing(value.Text)
	out, err = n.Append(nil, f)
	require.NoError(t, err)
	assert.Equal(t, "03 <client> - (007)", string(out), "an unknown value leaves its slot, one left out leaves no gap")
	assert.True(t, f.Open)
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{"<a> <b:yyyy-mm>", "<", "<<>>", "a:b", "<#:00> x", "<a:LT>\x00"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, s string) {
		p, errs := Parse(s)
		joined := ""
		for _, piece := range p.Pieces {
			joined += piece.Text
		}
		if len(errs) == 0 && joined != s {
			t.Fatalf("the pieces of %q are %q", s, joined)
		}
		for _, typ := range []*value.Type{text, number, date, terms} {
			for _, piece := range p.Pieces {
				if pic, err := ParseForm(piece.Form, typ); err == nil {
					pic.Read(s)
				}
			}
		}
	})
}
