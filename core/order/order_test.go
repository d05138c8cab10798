package order

import (
	"bytes"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func lines(t *testing.T, file string) []string {
	t.Helper()
	text, err := os.ReadFile("testdata/" + file)
	require.NoError(t, err)
	return strings.Split(strings.TrimSuffix(string(text), "\n"), "\n")
}

// The golden lists are made by real programs: see testdata/make.sh. Awkward names stand as
// they have them, and of random texts, of all scripts and signs, nearly all pairs do.
func TestOrdersAgreeWithRealPrograms(t *testing.T) {
	all := lines(t, "names.txt")
	require.Greater(t, len(all), 500)
	for _, o := range All() {
		t.Run(o.String(), func(t *testing.T) {
			want := lines(t, "names/"+o.String()+".txt")
			got := slices.Clone(all)
			Sort(o, got, func(s string) string { return s })
			assert.Equal(t, want, got)
			c := o.Comparer()
			assert.True(t, slices.IsSortedFunc(want, c.Compare))

			random := lines(t, "random/"+o.String()+".txt")
			keys := make([][]byte, len(random))
			for i := range random {
				keys[i] = c.AppendKey(nil, random[i])
			}
			pairs, wrong := 0, 0
			for i := range random {
				for j := i + 1; j < len(random); j++ {
					pairs++
					if d := bytes.Compare(keys[i], keys[j]); d > 0 || d == 0 && random[i] > random[j] {
						wrong++
					}
				}
				if i > 0 {
					key := bytes.Compare(keys[i-1], keys[i])
					if key != 0 {
						assert.Equal(t, key < 0, c.Compare(random[i-1], random[i]) < 0, "%q and %q", random[i-1], random[i])
					}
				}
			}
			t.Logf("%d of %d pairs differ", wrong, pairs)
			assert.Less(t, wrong*10_000, pairs, "%d of %d pairs differ", wrong, pairs)
		})
	}
}
func TestLeadingSignsStandInDifferentPlaces(t *testing.T) {
	first := map[Order]string{}
	for _, o := range All() {
		list := []string{"_Archive", "01 Notes", "archive", "Archive", "Zebra", "10 Notes", "2 Notes"}
		Sort(o, list, func(s string) string { return s })
		first[o] = strings.Join(list, " | ")
	}
	assert.Equal(t, map[Order]string{
		CodePoint:    "01 Notes | 10 Notes | 2 Notes | Archive | Zebra | _Archive | archive",
		Alphabetical: "_Archive | 01 Notes | 10 Notes | 2 Notes | archive | Archive | Zebra",
		Natural:      "_Archive | 01 Notes | 2 Notes | 10 Notes | archive | Archive | Zebra",
		Dictionary:   "01 Notes | 10 Notes | 2 Notes | archive | _Archive | Archive | Zebra",
		Desktop:      "01 Notes | 2 Notes | 10 Notes | archive | _Archive | Archive | Zebra",
	}, first)
}
