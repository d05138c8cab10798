package match

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/tree"
	"vestibula/core/treetest"
)

// What lies elsewhere under the name of something missing is that only where it says enough:
// by the number in front, or by what is to lie in it.
func TestTheSameNameElsewhere(t *testing.T) {
	for text, cases := range map[string]map[string]string{
		"Desk\n    Plans\n        Inks\n            Red\n            Blue\n    Letters\n": {
			"Plans/;Letters/Inks/Red/;Letters/Inks/Blue/": "misnamed Letters/Inks > Plans/Inks (name) ?",
			"Letters/Inks/": "missing Plans",
		},
		"Desk\n    Plans\n        Inks\n    Letters\n": {
			"Plans/;Letters/Inks/": "missing Plans/Inks",
		},
		"Desk\n    Plans\n        <#> Inks\n    Letters\n": {
			"Plans/;Letters/01 Inks/": "misnamed Letters/01 Inks > Plans/01 Inks (name)",
		},
	} {
		for real, want := range cases {
			w, err := Of(parse(t, text), nil, 1000, now)
			require.NoError(t, err)
			got := said(Compare(w, treetest.Of(strings.Split(real, ";")...)))
			slices.Sort(got)
			assert.Equal(t, want, strings.Join(got, "; "), "%s\n%s", text, real)
		}
	}
}

// What an earlier match knows to be the same thing is found wherever it lies, if it is one
// thing, and wanted once.
func TestWhatIsKnownIsFollowedElsewhere(t *testing.T) {
	tpl := parse(t, "Desk\n    Plans\n        Inks\n    Letters\n        Dyes\n    Scans\n        Maps\n")
	w, err := Of(tpl, nil, 1000, now)
	require.NoError(t, err)
	is := map[string]string{"Colours": "Inks", "Stains": "Inks", "Sheets": "Maps"}
	w.Follows = func(want, real *tree.Node) Following {
		if is[real.Name] == want.Name {
			return JustThis
		}
		return Unsaid
	}
	follow := func(paths ...string) string {
		root := treetest.Of(paths...)
		for _, n := range root.All() {
			n.From = 1
		}
		got := said(Compare(w, root))
		slices.Sort(got)
		return strings.Join(got, "; ")
	}
	assert.Equal(t, "misnamed Letters/Colours > Plans/Inks (followed)", follow("Plans/", "Letters/Dyes/", "Letters/Colours/", "Scans/Maps/"))
	assert.Equal(t, "missing Plans/Inks; stray Letters/Colours; stray Letters/Stains", follow("Plans/", "Letters/Dyes/", "Letters/Colours/", "Letters/Stains/", "Scans/Maps/"), "one of two")
	assert.Equal(t, "stray Letters/Colours", follow("Plans/Inks/", "Letters/Dyes/", "Letters/Colours/", "Scans/Maps/"))
}
