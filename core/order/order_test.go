package order

import (
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

// The golden lists were made by testdata/make.js with another implementation.
func TestOrdersAgreeWithIndependentImplementations(t *testing.T) {
	all := lines(t, "names.txt")
	require.Greater(t, len(all), 500)
	for _, o := range All() {
		t.Run(o.String(), func(t *testing.T) {
			want := lines(t, o.String()+".txt")
			got := slices.Clone(all)
			Sort(o, got, func(s string) string { return s })
			assert.Equal(t, want, got)
			c := o.Comparer()
			assert.True(t, slices.IsSortedFunc(want, c.Compare))
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
		Dictionary:   "01 Notes | 10 Notes | 2 Notes | archive | Archive | _Archive | Zebra",
	}, first)
}
