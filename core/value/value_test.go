package value

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var now = time.Date(2026, 12, 31, 12, 0, 0, 0, time.UTC)

func ptr(n int) *int { return &n }

var seasons = []Option{{Code: "winter"}, {Code: "spring"}, {Code: "autumn"}}

func TestWhatPeopleTypeIsReadOrRefusedWithAReason(t *testing.T) {
	choice := Type{Kind: Choice, Of: []Option{{"BK", "book"}, {"BX", "box"}}}
	tests := []struct {
		typ        Type
		text, want string // want: the value, or "!" and part of the reason
	}{
		{Type{Kind: Text}, "  Oriel \t Pask ", "Oriel Pask"},
		{Type{Kind: Text}, "A\u030asa", "\u00c5sa"},
		{Type{Kind: Text}, "   ", "!is empty"},
		{Type{Kind: Text}, "..", "!only dots"},
		{Type{Kind: Text}, "a\nb", "!line break"},
		{Type{Kind: Text}, "a\x00b", "!control character U+0000"},
		{Type{Kind: Text}, "\x1b[31m", "!control character U+001B"},
		{Type{Kind: Text}, "abc\u202etxt", "!control character U+202E"},
		{Type{Kind: Text}, "a\xff", "!not valid text"},
		{Type{Kind: Text, Min: ptr(3)}, "ab", "!at least 3"},
		{Type{Kind: Number, Min: ptr(1), Max: ptr(14)}, "15", "!at most 14"},
		{Type{Kind: Number, Min: ptr(1)}, "0", "!at least 1"},
		{Type{Kind: Number}, "-1", "!not a whole number"},
		{Type{Kind: Number}, "99999999999999999999", "!not a whole number"},
		{Type{Kind: Number}, "007", "7"},
		{Type{Kind: Date}, "today", "2026-12-31"}, // a Thursday
		{Type{Kind: Date}, "Yesterday", "2026-12-30"},
		{Type{Kind: Date}, "tomorrow", "2027-01-01"},
		{Type{Kind: Date}, "next friday", "2027-01-01"},
		{Type{Kind: Date}, "next  Thu", "2027-01-07"},
		{Type{Kind: Date}, "last thursday", "2026-12-24"},
		{Type{Kind: Date}, "last sunday", "2026-12-27"},
		{Type{Kind: Month}, "tomorrow", "2027-01"},
		{Type{Kind: Week}, "next monday", "2027-W01"},
		{Type{Kind: Date}, "2024-02-29", "2024-02-29"},
		{Type{Kind: Date}, "2027-02-29", "!that month has 28 days"},
		{Type{Kind: Date}, "31/02/2027", "!is not a date: write it like 2027-03-09"},
		{Type{Kind: Month}, "2027-13", "!there is no month 13"},
		{Type{Kind: Quarter}, "2027-q1", "2027-Q1"},
		{Type{Kind: Week}, "2026-W53", "2026-W53"},
		{Type{Kind: Week}, "2027-W53", "!only 1 to 52"},
		{Type{Kind: Year}, "0000", "!no year 0"},
		{Type{Kind: Term, Of: seasons}, "2027 Spring", "2027 spring"},
		{Type{Kind: Term, Of: seasons}, "2027 summer", "!is not one of winter, spring, autumn"},
		{choice, "box", "BX"},
		{choice, "tin", "!is not one of BK (book), BX (box)"},
		{Type{Kind: YesNo}, "X", "yes"},
		{Type{Kind: YesNo}, "☑", "yes"},
		{Type{Kind: YesNo}, "☐", "no"},
		{Type{Kind: YesNo}, "perhaps", "!neither yes nor no"},
		{Type{Kind: List}, "a, b;c ;; d", "a, b; c; d"},
		{Type{Kind: List}, "a, b", "a; b"},
		{Type{Kind: List}, "a, b\r\n\n c ", "a, b; c"},
		{Type{Kind: List}, "a; ..", "!has an item that"},
	}
	for _, tt := range tests {
		v, err := tt.typ.Parse(tt.text, now)
		if reason, bad := strings.CutPrefix(tt.want, "!"); bad {
			assert.ErrorContains(t, err, reason, tt.text)
			continue
		}
		require.NoError(t, err, tt.text)
		assert.Equal(t, tt.want, v.String())
	}
}

func TestCalendarValuesStepAndReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		day := time.Date(rapid.IntRange(1900, 2200).Draw(t, "year"), 1, rapid.IntRange(1, 366).Draw(t, "day"), 0, 0, 0, 0, time.UTC)
		for _, k := range []Kind{Date, Month, Quarter, Week, Year} {
			typ := Type{Kind: k}
			v := typ.covering(day)
			back, err := typ.Parse(v.String(), now)
			require.NoError(t, err)
			assert.True(t, v.Equal(back), v.String())
			w, steps := v, rapid.IntRange(0, 120).Draw(t, "steps")
			for range steps {
				next := w.Next()
				assert.Positive(t, next.Compare(w))
				w = next
			}
			assert.Equal(t, steps, v.Distance(w), "%s to %s", v, w)
			assert.False(t, v.Time().After(day), "%s begins after a day that it covers", v)
		}
	})
}

// Whatever is typed is refused with a reason, or is a value that reads back.
func FuzzParseNeverPanicsAndReadsBack(f *testing.F) {
	for _, seed := range []string{"2027-03-09", "2027-W53", "today", "a; b, c", "Åsgerd\u0301", "-1", "\x00", "2027 winter", "✓", "..", "yes"} {
		f.Add(seed)
	}
	types := []Type{
		{Kind: Text}, {Kind: Number}, {Kind: Date}, {Kind: Month}, {Kind: Quarter}, {Kind: Week}, {Kind: Year}, {Kind: Term, Of: seasons},
		{Kind: Choice, Of: seasons}, {Kind: YesNo}, {Kind: List},
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, typ := range types {
			v, err := typ.Parse(s, now)
			if err != nil {
				continue
			}
			again, err := typ.Parse(v.String(), now)
			if err != nil || !again.Equal(v) && typ.Kind != List {
				t.Fatalf("%q as a %s is %q, which reads back as %q (%v)", s, typ.Kind, v, again, err)
			}
		}
	})
}

// A time covers another one if each of the days of that lies in it; days are counted one by
// one here, by the standard library.
func TestWhatATimeCoversIsWhatItsDaysSay(t *testing.T) {
	kinds := []Kind{Date, Month, Quarter, Week, Year}
	holds := func(v Value, day time.Time) bool { return (&Type{Kind: v.Kind}).covering(day).Equal(v) }
	rapid.Check(t, func(t *rapid.T) {
		day := time.Date(2026, time.Month(rapid.IntRange(1, 24).Draw(t, "month")), rapid.IntRange(1, 28).Draw(t, "day"), 0, 0, 0, 0, time.UTC)
		v := (&Type{Kind: rapid.SampledFrom(kinds).Draw(t, "outer")}).covering(day)
		near := day.AddDate(0, 0, rapid.IntRange(-40, 40).Draw(t, "away"))
		w := (&Type{Kind: rapid.SampledFrom(kinds).Draw(t, "inner")}).covering(near)
		all, any := true, false
		for d := near.AddDate(-1, 0, -8); d.Before(near.AddDate(1, 0, 8)); d = d.AddDate(0, 0, 1) {
			if holds(w, d) {
				any = true
				all = all && holds(v, d)
			}
		}
		require.True(t, any)
		covers, known := v.Covers(w)
		assert.True(t, known)
		assert.Equal(t, all, covers, "%s in %s", w, v)
	})
}

// A step forward is what [Value.Next] gives, and a step back takes it back.
func TestStepsGoBothWays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		typ := Type{Kind: rapid.SampledFrom([]Kind{Number, Date, Month, Quarter, Week, Year, Term}).Draw(t, "kind"), Of: seasons}
		var v Value
		switch day := time.Date(rapid.IntRange(1950, 2150).Draw(t, "year"), 1, rapid.IntRange(1, 366).Draw(t, "day"), 0, 0, 0, 0, time.UTC); typ.Kind {
		case Number:
			v = OfNumber(rapid.IntRange(0, 10_000).Draw(t, "n"))
		case Term:
			var err error
			v, err = typ.Parse(day.Format("2006 ")+rapid.SampledFrom(seasons).Draw(t, "season").Code, now)
			require.NoError(t, err)
		default:
			v = typ.covering(day)
		}
		n := rapid.IntRange(1, 400).Draw(t, "steps")
		ahead, ok := v.Shift(n, &typ)
		require.True(t, ok)
		back, ok := ahead.Shift(-n, &typ)
		require.True(t, ok)
		assert.True(t, back.Equal(v), "%s, %d steps to %s, and back to %s", v, n, ahead, back)
		assert.Positive(t, ahead.Compare(v))
		if typ.Kind != Term && typ.Kind != Number {
			one, _ := v.Shift(1, &typ)
			assert.True(t, one.Equal(v.Next()), "%s", v)
			assert.Equal(t, n, v.Distance(ahead))
			assert.Equal(t, v.Time().Before(ahead.Time()), v.Compare(ahead) < 0)
		}
	})
}

// Days that are told from now are found by looking at one day after the other.
func TestDaysInWordsAreThoseOfTheCalendar(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		today := time.Date(2027, 1, rapid.IntRange(1, 800).Draw(t, "day"), rapid.IntRange(0, 23).Draw(t, "hour"), 0, 0, 0, time.UTC)
		weekday := time.Weekday(rapid.IntRange(0, 6).Draw(t, "weekday"))
		name := weekday.String()
		if rapid.Bool().Draw(t, "short") {
			name = name[:3]
		}
		for word, step := range map[string]int{"next": 1, "last": -1} {
			want := today.AddDate(0, 0, step)
			for want.Weekday() != weekday {
				want = want.AddDate(0, 0, step)
			}
			got, err := (&Type{Kind: Date}).Parse(word+" "+strings.ToUpper(name), today)
			require.NoError(t, err)
			assert.Equal(t, want.Format(time.DateOnly), got.String(), "%s %s of %s", word, name, today.Format("Mon 2006-01-02"))
		}
	})
	for _, text := range []string{"next", "next fr", "friday", "next friday morning", "todays", "next next friday", "last 3"} {
		_, err := (&Type{Kind: Date}).Parse(text, now)
		assert.ErrorContains(t, err, "write it like 2027-03-09", text)
	}
	_, err := (&Type{Kind: Date}).Parse("tomorrow", time.Time{})
	assert.Error(t, err, "where nobody says what day it is, there is no tomorrow")
}

// Numbers are ordered by size, times by the calendar, and what is equal is neither.
func TestValuesAreOrdered(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := OfNumber(rapid.IntRange(0, 50).Draw(t, "a")), OfNumber(rapid.IntRange(0, 50).Draw(t, "b"))
		assert.Equal(t, a.Number < b.Number, a.Compare(b) < 0)
		assert.Equal(t, a.Compare(b) == 0, a.Equal(b))
		assert.Equal(t, a.Compare(b) < 0, b.Compare(a) > 0)
		list, err := (&Type{Kind: List}).Parse(strings.Join([]string{"x", a.String(), b.String()}, "; "), now)
		require.NoError(t, err)
		assert.Len(t, list.Items, 3)
		lines, err := (&Type{Kind: List}).Parse(strings.Join([]string{"x", a.String(), "", b.String()}, "\n"), now)
		require.NoError(t, err)
		assert.True(t, list.Equal(lines), "a list is the same in one line and in several")
	})
}
