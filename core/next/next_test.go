package next

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/template"
	"vestibula/core/treetest"
	"vestibula/core/value"
)

var now = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

func made(t require.TestingT, text string, old, new map[string]string, paths ...string) (*template.Template, *Plan) {
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err)
	values := func(texts map[string]string) template.Values {
		raw := map[string]template.Raw{}
		for name, v := range texts {
			raw[name] = template.Raw{Text: v}
		}
		parsed, errs := tpl.ParseValues(raw, now)
		require.Empty(t, errs)
		return tpl.Complete(parsed, now)
	}
	plan, err := Make(&Job{Template: tpl, Old: values(old), New: values(new), Full: treetest.Of(paths...), Seen: treetest.Of(paths...), Limit: 1000, Now: now})
	require.NoError(t, err)
	return tpl, plan
}

func said(plan *Plan) (lines []string) {
	for _, s := range plan.Steps {
		sign := "+"
		if s.Moves {
			sign = "»"
		}
		line := sign + " " + s.From
		if s.To != s.From {
			line += " → " + s.To
		}
		lines = append(lines, line)
	}
	return lines
}

const month = `---
fields: { month: { type: month }, people: { type: list, default: [Ola, Jun] } }
names:
  sheet: { pattern: "<month:yyyy-mm> <what:like-this>", for: [xlsx] }
  day: { pattern: "<day:yyyy-mm-dd> <what:like-this>", fields: { day: { type: date, within: month } }, for: [txt] }
---
<month:yyyy-mm> Office
    Sheets | holds: sheet, day | carry
        Cover <month:yyyy-mm>.odt | blank
    People
        <person> | each: person in people
            Essays | carry: moves
    Letters
`

func TestWhatLiesUnderCarryGoesAlong(t *testing.T) {
	_, plan := made(t, month, map[string]string{"month": "2027-01"}, map[string]string{"month": "2027-02", "people": "Jun; Ida"},
		".vestibula.json", "Sheets/2027-01 rent.xlsx", "Sheets/2027-01-31 wages.txt", "Sheets/Cover 2027-01.odt", "Sheets/own/2027-01 deep.xlsx", "Sheets/own/empty/", "Sheets/2027-01 plan.pdf", "Sheets/12027-01 x.pdf", "Sheets/2027-01 rent.xlsx.sig",
		"People/Ola/Essays/essay.odt", "People/Jun/Essays/essay.odt", "Letters/x.md", "stray.txt")
	assert.Equal(t, []string{"» People/Jun/Essays/essay.odt", "+ Sheets/12027-01 x.pdf", "+ Sheets/2027-01 plan.pdf", "+ Sheets/2027-01 rent.xlsx → Sheets/2027-02 rent.xlsx", "+ Sheets/2027-01 rent.xlsx.sig → Sheets/2027-02 rent.xlsx.sig", "+ Sheets/2027-01-31 wages.txt → Sheets/2027-02-28 wages.txt",
		"+ Sheets/Cover 2027-01.odt → Sheets/Cover 2027-02.odt", "+ Sheets/own", "+ Sheets/own/2027-01 deep.xlsx → Sheets/own/2027-02 deep.xlsx", "+ Sheets/own/empty"}, said(plan), "nothing of Ola's goes to Ida")
	assert.Equal(t, []string{"Sheets/2027-01 plan.pdf"}, plan.Unread)
	assert.Equal(t, 2, plan.Left)
	assert.Equal(t, 1, plan.Unhad, "Ola does not take part any more")
	assert.Equal(t, "2027-02 Office", plan.Own)
	for at := range plan.Root.All() {
		assert.NotContains(t, at, "Cover", "what is carried is not made as well")
	}
	// What each month of a year holds goes to the same month of the next one.
	_, plan = made(t, "---\nfields: { year: { type: year } }\n---\nBooks <year>\n    <#> Months | carry\n        <m:yyyy-mm> | each: m in <year>-01..<year>-03\n    Tax\n",
		map[string]string{"year": "2027"}, map[string]string{"year": "2028"}, "01 Months/2027-02/rent.pdf", "01 Months/2027-03/2027.pdf")
	assert.Equal(t, []string{"+ 01 Months/2027-02/rent.pdf → 01 Months/2028-02/rent.pdf", "+ 01 Months/2027-03/2027.pdf → 01 Months/2028-03/2027.pdf"}, said(plan))
	assert.Equal(t, []string{"01 Months/2028-03/2027.pdf"}, plan.Unread)
}

// The oracle counts months in Go's calendar, and writes the names itself.
func TestADayStaysAsFarIntoItsMonth(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		at := time.Date(2000, time.Month(rapid.IntRange(1, 600).Draw(t, "month")), 1, 0, 0, 0, 0, time.UTC)
		steps := rapid.IntRange(-30, 30).Draw(t, "steps")
		to := at.AddDate(0, steps, 0)
		last := func(m time.Time) int { return m.AddDate(0, 1, -1).Day() }
		day := rapid.IntRange(1, last(at)).Draw(t, "day")
		monthOf := func(m time.Time) value.Value {
			return value.Value{Kind: value.Month, Year: int16(m.Year()), Part: uint8(m.Month())}
		}
		got := Shifted(value.OfDate(at.AddDate(0, 0, day-1)), monthOf(at), monthOf(to), &value.Type{Kind: value.Date})
		require.Equal(t, fmt.Sprintf("%04d-%02d-%02d", to.Year(), to.Month(), min(day, last(to))), got.String())
	})
	week := func(y, w int) value.Value { return value.Value{Kind: value.Week, Year: int16(y), Part: uint8(w)} }
	got := Shifted(value.Value{Kind: value.Date, Year: 2026, Part: 12, Day: 31}, week(2026, 53), week(2027, 1), &value.Type{Kind: value.Date})
	assert.Equal(t, "2027-01-07", got.String(), "the same day of the week, from week 53 into week 1")
}

// A period in a longer one lies as far into that as before; what has no next one stays.
func TestAPeriodStaysAsFarIntoItsLongerOne(t *testing.T) {
	parsed := func(kind value.Kind, text string) value.Value {
		v, err := (&value.Type{Kind: kind}).Parse(text, time.Time{})
		require.NoError(t, err)
		return v
	}
	for _, c := range []struct {
		kind             value.Kind
		v, was, is, want string
		longer           value.Kind
	}{
		{value.Month, "2027-03", "2027", "2028", "2028-03", value.Year},
		{value.Month, "2027-03", "2027-Q1", "2027-Q3", "2027-09", value.Quarter},
		{value.Quarter, "2027-Q2", "2027", "2029", "2029-Q2", value.Year},
		{value.Week, "2027-W05", "2027-02", "2027-03", "2027-W09", value.Month},
		{value.Number, "7", "2027", "2028", "7", value.Year},
		{value.Month, "9999-03", "9998", "9999", "9999-03", value.Year},
		{value.Quarter, "9999-Q2", "9998", "9999", "9999-Q2", value.Year},
		{value.Week, "9999-W20", "9998", "9999", "9999-W20", value.Year},
	} {
		got := Shifted(parsed(c.kind, c.v), parsed(c.longer, c.was), parsed(c.longer, c.is), &value.Type{Kind: c.kind})
		assert.Equal(t, c.want, got.String(), "%+v", c)
	}
}

func TestOnlyOnePeriodGoesOn(t *testing.T) {
	for header, want := range map[string]string{
		"month: { type: month }": "month", "a: { type: week }, b: { type: date }, c: { type: number }": "a", "t: { type: term, of: [x, y] }": "t",
		"a: A?": "no field of the template is a month", "a: { type: year }, b: { type: month }": "several fields are periods: a, b",
	} {
		tpl, err := template.Parse("t", "---\nfields: { "+header+" }\n---\nA\n", nil)
		require.NoError(t, err)
		f, err := Period(tpl)
		if err != nil {
			assert.ErrorContains(t, err, want, header)
			continue
		}
		assert.Equal(t, want, f.Name)
	}
}
