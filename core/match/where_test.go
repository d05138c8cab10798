package match

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/template"
	"vestibula/core/treetest"
)

// The oracle is the calendar of the standard library.
func TestADayLiesInItsLongerTimeOrIsToldToLieElsewhere(t *testing.T) {
	longer := []struct {
		each, name string
		of         func(d time.Time) string
	}{
		{"<month:yyyy-mm> | each: month in 2026-08..2027-06", "month", func(d time.Time) string { return d.Format("2006-01") }},
		{"<quarter> | each: quarter in 2026-Q2..2027-Q3", "quarter", func(d time.Time) string { return fmt.Sprintf("%d-Q%d", d.Year(), (int(d.Month())+2)/3) }},
		{"<year> | each: year in first..last", "year", func(d time.Time) string { return d.Format("2006") }},
		{"<week> | each: week in 2026-W30..2027-W30", "week", func(d time.Time) string { y, w := d.ISOWeek(); return fmt.Sprintf("%d-W%02d", y, w) }},
	}
	told, fine := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		l := rapid.SampledFrom(longer).Draw(t, "longer")
		day := time.Date(2026, 12, 15, 0, 0, 0, 0, time.UTC).AddDate(0, 0, rapid.IntRange(-40, 60).Draw(t, "day"))
		place := day.AddDate(0, 0, rapid.SampledFrom([]int{0, 0, 1, -1, 7, 31, -31}).Draw(t, "beside"))
		tpl := parse(t, fmt.Sprintf("---\nfields: { first: { type: year, default: 2025 }, last: { type: year, default: 2028 } }\nnames: { sheet: { pattern: \"<day:yyyy-mm-dd> <what>\", fields: { day: { type: date, within: %s } } } }\n---\nBooks\n    %s | holds: sheet\n", l.name, l.each))
		w, err := Of(tpl, tpl.Complete(template.Values{}, now), 1000, now)
		require.NoError(t, err)
		var paths []string
		for _, c := range w.Own.Children {
			paths = append(paths, c.Name+"/")
		}
		file := fmt.Sprintf("%s/%s oak.txt", l.of(place), day.Format("2006-01-02"))
		things := Compare(w, treetest.Of(append(paths, file)...))
		if l.of(day) == l.of(place) {
			fine++
			require.Empty(t, things, file)
			return
		}
		told++
		require.Len(t, things, 1, file)
		require.Equal(t, Misplaced, things[0].Kind)
		require.True(t, things[0].Within)
		require.Equal(t, fmt.Sprintf("%s/%s oak.txt", l.of(day), day.Format("2006-01-02")), things[0].Final())
	})
	assert.NotZero(t, told)
	assert.NotZero(t, fine)
}
