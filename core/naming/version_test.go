package naming

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestVersionsOfOneThing(t *testing.T) {
	for _, list := range [][]string{ // from the oldest to the newest
		{"Offer", "Offer v1", "Offer v2", "Offer v10", "offer_v11"},
		{"Plan (1)", "Plan (2)", "plan 3"},
		{"2027-03-09 notes", "2027-03-10 notes", "2027-03-10 notes v2", "2027-04-01 notes"},
		{"Minutes 9.3.2027", "minutes 10.3.2027", "Minutes 20270401"},
		{"text 1.2", "text 1.10", "text 2"},
		{"Survey rev 2", "Survey version 3", "Survey-04"},
	} {
		first := VersionOf(list[0])
		for i, name := range list[1:] {
			v := VersionOf(name)
			assert.Equal(t, first.Of, v.Of, "%q and %q", list[0], name)
			assert.True(t, v.Said())
			assert.Positive(t, v.Compare(VersionOf(list[i])), "%q is newer than %q", name, list[i])
		}
	}
	for _, pair := range [][2]string{{"Offer v1", "Order v2"}, {"Offer final", "Offer v2"}, {"2027-03-09 a", "2027-03-09 b"}, {"mp3", "mp4"}, {"Room 12a", "Room 12b"}, {"12", "13"}, {"2027-19-77 a", "2027-18-77 a"}} {
		assert.NotEqual(t, VersionOf(pair[0]).Of, VersionOf(pair[1]).Of, pair)
	}
	assert.False(t, VersionOf("Offer").Said())
	assert.Zero(t, VersionOf("Plan 02").Compare(VersionOf("plan_2")), "their names do not tell")
}

// Any name has a version, which is that of the same thing however it is spelled, and a
// larger number behind it is a newer one.
func FuzzVersionOf(f *testing.F) {
	for _, seed := range []string{"Offer v2", "2027-03-09 notes (3)", "a.1.2", "9.3.2027", "v", "((1)", "é_02"} {
		f.Add(seed, 3)
	}
	f.Fuzz(func(t *testing.T, stem string, n int) {
		v := VersionOf(stem)
		if v.Compare(v) != 0 || VersionOf(stem).Of != v.Of {
			t.Fatal(stem)
		}
		if n < 0 || n > 99_999 || v.Of == "" {
			return
		}
		a, b := VersionOf(fmt.Sprintf("%s x v%d", stem, n)), VersionOf(fmt.Sprintf("%s x v%d", stem, n+1))
		if a.Of != b.Of || a.Compare(b) >= 0 {
			t.Fatalf("%q: %v and %v", stem, a, b)
		}
	})
}
