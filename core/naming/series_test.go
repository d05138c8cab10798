package naming

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

func scans(t *testing.T) (*Series, template.Values) {
	return SeriesOf(parse(t).Convention("scan")), template.Values{}
}

func TestTheNextNumberFollowsTheHighest(t *testing.T) {
	for _, tt := range []struct {
		names []string
		want  int
	}{{nil, 1}, {[]string{"x.tif", "2027-03-09 a R 003.tif", "2027-03-08 b V 005.jpg", "2027-03-08 b V 009.pdf"}, 6}} {
		s, values := scans(t)
		n, _ := s.Next(values, tt.names)
		assert.Equal(t, tt.want, n)
	}
	s, values := scans(t)
	n, _ := s.Next(values, []string{"2027-03-09 a R 012.tif"})
	assert.ErrorContains(t, s.Fits(n), "it goes up to 12")
	assert.Nil(t, SeriesOf(parse(t).Convention("plain")))
}

func TestNamesThatCountOnlyInAPersonsEyesAreTold(t *testing.T) {
	s, values := scans(t)
	n, odd := s.Next(values, []string{"2027-03-09 a R 003.tif", "2027-03-09 a R 4.tif", "2027-03-09 a R 005 (copy).tif", "2027-03-09 a R 7.pdf", "notes.tif", ".1.tif"})
	assert.Equal(t, 4, n)
	assert.Equal(t, []string{"2027-03-09 a R 4.tif", "2027-03-09 a R 005 (copy).tif"}, odd)
}

// The oracle knows what each name was made of, and counts without reading one.
func TestNumbersCountApartForWhatPerSays(t *testing.T) {
	type made struct {
		year, month, day int
		client, side     string
		n                int
	}
	pers := []struct {
		text string
		key  func(m made) any
	}{
		{"<day:yyyy>", func(m made) any { return m.year }},
		{"<day:yyyy-Qq>", func(m made) any { return fmt.Sprint(m.year, (m.month-1)/3) }},
		{"<day:mm>", func(m made) any { return m.month }},
		{"<client>", func(m made) any { return strings.ToLower(m.client) }},
		{"<side><client:L>", func(m made) any { return m.side + strings.ToUpper(m.client[:1]) }},
		{"", func(made) any { return nil }},
	}
	conv := map[string]*template.Convention{}
	for _, per := range pers {
		text := "next: yes"
		if per.text != "" {
			text += fmt.Sprintf(", per: %q", per.text)
		}
		tpl, err := template.Parse("t", "---\nfields: { client: Who? }\nnames:\n  a:\n    pattern: \"<day:yyyy-mm-dd> <client:like-this> <side> <n:00>\"\n    fields: { side: { of: [recto, verso] }, n: { "+text+" } }\n---\nA\n", nil)
		require.NoError(t, err, per.text)
		conv[per.text] = tpl.Names[0]
	}
	one := rapid.Custom(func(t *rapid.T) made {
		return made{rapid.IntRange(2026, 2027).Draw(t, "year"), rapid.IntRange(1, 6).Draw(t, "month"), rapid.IntRange(1, 28).Draw(t, "day"),
			rapid.SampledFrom([]string{"Oriel", "Jun", "Ola"}).Draw(t, "client"), rapid.SampledFrom([]string{"recto", "verso"}).Draw(t, "side"), rapid.IntRange(1, 120).Draw(t, "n")}
	})
	rapid.Check(t, func(t *rapid.T) {
		per := rapid.SampledFrom(pers).Draw(t, "per")
		s := SeriesOf(conv[per.text])
		names := []string{"notes.txt"}
		next, last := 1, one.Draw(t, "new")
		for _, m := range rapid.SliceOfN(one, 0, 12).Draw(t, "there") {
			names = append(names, fmt.Sprintf("%d-%02d-%02d %s %s %02d.tif", m.year, m.month, m.day, strings.ToLower(m.client), m.side, m.n))
			if per.key(m) == per.key(last) {
				next = max(next, m.n+1)
			}
		}
		n, odd := s.Next(template.Values{
			"day":    value.Value{Kind: value.Date, Year: int16(last.year), Part: uint8(last.month), Day: uint8(last.day)},
			"client": value.Of(last.client), "side": s.option(t, last.side)}, names)
		require.Empty(t, odd)
		require.Equal(t, next, n, "%v %v", per.text, names)
	})
}

func (s *Series) option(t *rapid.T, code string) value.Value {
	typ := value.Type{Kind: value.Choice, Of: []value.Option{{Code: "recto"}, {Code: "verso"}}}
	v, err := typ.Parse(code, now)
	require.NoError(t, err)
	return v
}

func TestWhereNumbersCannotCount(t *testing.T) {
	names := func(s string) string {
		return "---\nfields: { client: Who?, no: { type: number, next: yes, per: \"<client:L>\" } }\nnames:\n" + s + "\n---\n<no> <client>\n"
	}
	for text, want := range map[string]string{
		names(`  a: { pattern: "<n>", fields: { n: { next: evrywhere } } }`):                                      "cannot count on in \"evrywhere\" (did you mean everywhere?)",
		names(`  a: { pattern: "<n> <t>", fields: { n: { type: number, per: "<t>" } } }`):                         "this one does not count on",
		names(`  a: { pattern: "<n> <t>", fields: { n: { next: yes, per: "<x:yyyy>" } } }`):                       "\"x\" does not stand in the pattern of a, so that no name says it (name one of t)",
		names(`  a: { pattern: "<n> <t>", fields: { n: { next: yes, per: "<n>" } } }`):                            "\"n\" cannot count apart for itself",
		names(`  a: { pattern: "<n> <t>", fields: { n: { next: yes, per: "t" } } }`):                              "`per` has no slot",
		names(`  a: { pattern: "<n> <d:yyyy>", fields: { d: { type: date }, n: { next: yes, per: "<d:mm>" } } }`): "does not show enough to count apart for <d:mm>",
		"---\nfields: { no: { type: number, next: project } }\n---\n<no>\n":                                       "\"no\" is a project's own number, and that counts among its siblings",
		"---\nfields: { no: { type: number, next: yes, per: \"<who>\" } }\n---\n<no>\n":                           "\"who\" is not a field of this template",
	} {
		_, err := template.Parse("t", text, nil)
		if assert.Error(t, err, text) {
			assert.Contains(t, err.Error(), want)
		}
	}
	_, err := template.Parse("t", names(`  a: { pattern: "<n> <d:yyyy-Qq>", fields: { d: { type: date }, n: { next: everywhere, per: "<d:yyyy>" } } }`), nil)
	assert.NoError(t, err)
}

// A place is looked at once, whatever counts apart there; other series and places have numbers of their own, and
// one is given away only where it is used.
func TestNumbersAreGivenOnce(t *testing.T) {
	tpl, err := template.Parse("t", "---\nnames:\n  a: { pattern: \"<w:like-this> <n>\", fields: { n: { next: yes, per: \"<w>\" } } }\n  b: { pattern: \"<n> b\", fields: { n: { next: yes } } }\n---\nA\n", nil)
	require.NoError(t, err)
	asked, numbers := 0, Numbers{}
	next := func(conv, place, w string, used bool) int {
		n, take, err := numbers.Next(SeriesOf(tpl.Convention(conv)), place, template.Values{"w": value.Of(w)}, func() ([]string, error) {
			asked++
			return []string{"cap 4", "hat 7", "2 b"}, nil
		})
		require.NoError(t, err)
		if used {
			take()
		}
		return n
	}
	assert.Equal(t, []int{5, 5, 6, 8, 1, 2, 3, 5}, []int{next("a", "", "cap", false), next("a", "", "cap", true), next("a", "", "cap", true),
		next("a", "", "hat", true), next("a", "", "new", true), next("a", "", "new", true), next("b", "", "", true), next("a", "x", "cap", true)})
	assert.Equal(t, 3, asked)

	for range 2 { // what could not be read is not read again
		_, _, err = numbers.Next(SeriesOf(tpl.Convention("a")), "y", nil, func() ([]string, error) { asked++; return nil, assert.AnError })
		assert.ErrorIs(t, err, assert.AnError)
	}
	assert.Equal(t, 4, asked)
}
