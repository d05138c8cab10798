package order

import (
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// What is decided holds for whatever stands in the slots, as the lists themselves have it.
func TestWhatIsDecidedHoldsForAllValues(t *testing.T) {
	texts := []string{"a", "A", "b", "1", "01", "10", "2", "0", " ", "_", "-", ".", "x1", "é", "l", "·", "Z", "本", "a1", "!", "~", "part ", "\u0301"}
	piece := rapid.Custom(func(t *rapid.T) Piece {
		if rapid.IntRange(0, 2).Draw(t, "slot") == 0 {
			return Piece{Slot: rapid.IntRange(1, 3).Draw(t, "number")}
		}
		return Piece{Text: rapid.SampledFrom(texts).Draw(t, "text")}
	})
	value := rapid.OneOf(rapid.Map(rapid.SliceOfN(rapid.SampledFrom(texts), 1, 3), func(s []string) string { return strings.Join(s, "") }), rapid.StringN(1, 6, -1))
	decided, pairs := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		begin := rapid.SliceOfN(piece, 0, 2).Draw(t, "begin")
		a := append(begin[:len(begin):len(begin)], rapid.SliceOfN(piece, 0, 3).Draw(t, "a")...)
		b := append(begin[:len(begin):len(begin)], rapid.SliceOfN(piece, 0, 3).Draw(t, "b")...)
		verdicts := map[Order]Verdict{}
		for _, o := range All() {
			verdicts[o] = o.Decide(a, b)
			assert.Equal(t, verdicts[o].swapped(), o.Decide(b, a), "%s: the other way round: %v and %v", o, a, b)
			if pairs++; verdicts[o] != Undecided {
				decided++
			}
		}
		for range valuesTried() {
			values := []string{"", value.Draw(t, "1"), value.Draw(t, "2"), value.Draw(t, "3")}
			write := func(name []Piece) string {
				text := ""
				for _, p := range name {
					text += p.Text + values[p.Slot]
				}
				return text
			}
			x, y := write(a), write(b)
			if x == y {
				continue
			}
			for o, v := range verdicts {
				switch d := o.Comparer().Compare(x, y); {
				case v == Before:
					assert.Negative(t, d, "%s: %q is to stand before %q: %v and %v", o, x, y, a, b)
				case v == After:
					assert.Positive(t, d, "%s: %q is to stand before %q: %v and %v", o, y, x, a, b)
				}
			}
		}
	})
	t.Logf("%d of %d pairs are decided", decided, pairs)
}

func TestWhatIsDecided(t *testing.T) {
	slot := func(n int) Piece { return Piece{Slot: n} }
	text := func(s string) Piece { return Piece{Text: s} }
	for _, x := range []struct {
		a, b []Piece
		want string // b, a or - for each order
	}{
		{[]Piece{text("01 "), slot(1)}, []Piece{text("02 "), slot(1)}, "bbbbb"},
		{[]Piece{text("01"), slot(1)}, []Piece{text("02 Work")}, "bb-b-"},
		{[]Piece{slot(1), text(" A")}, []Piece{slot(1), text(" B")}, "bbbbb"},
		{[]Piece{slot(1)}, []Piece{text("Office")}, "-----"},
		{[]Piece{text("10 "), slot(1)}, []Piece{text("9 "), slot(2)}, "bbaba"},
		{[]Piece{text("Part 2 "), slot(1)}, []Piece{text("part 3 "), slot(1)}, "bbbba"},
		{[]Piece{slot(1)}, []Piece{slot(1), text(" "), slot(2)}, "bbbb-"},
		{[]Piece{text("_"), slot(1)}, []Piece{text("A"), slot(1)}, "abb--"},
		{[]Piece{slot(1), slot(2)}, []Piece{slot(2), slot(1)}, "-----"},
	} {
		got := ""
		for i, o := range All() {
			if x.want[i] == '?' {
				got += "?"
				continue
			}
			got += [...]string{"-", "b", "a"}[o.Decide(x.a, x.b)]
		}
		assert.Equal(t, x.want, got, "%v and %v", x.a, x.b)
	}
}

// valuesTried is how many values are put into the slots of each pair of names.
func valuesTried() int {
	if n, err := strconv.Atoi(os.Getenv("VESTIBULA_VALUES")); err == nil {
		return n
	}
	return 40
}
