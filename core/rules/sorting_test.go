package rules

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/order"
	"vestibula/core/template"
)

var names = rapid.Custom(func(t *rapid.T) string {
	front := rapid.SampledFrom([]string{"", "", "_", "Part ", "A.", "z_"}).Draw(t, "front")
	number := fmt.Sprintf(rapid.SampledFrom([]string{"", "%d", "%02d", "%03d"}).Draw(t, "form"), rapid.IntRange(0, 120).Draw(t, "number"))
	if strings.HasPrefix(number, "%!") {
		number = ""
	}
	return strings.TrimSpace(front + number + " " + rapid.SampledFrom([]string{"work", "Work", "öl", "a b", "a-b", "a1", "本"}).Draw(t, "word"))
})

// The rule is silent exactly where every list shows the siblings as written.
func TestSortingIsSilentExactlyWhereEveryListAgrees(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := rapid.SliceOfNDistinct(names, 2, 8, func(s string) string { return s }).Draw(t, "names")
		if rapid.Bool().Draw(t, "sorted") {
			order.Sort(order.Natural, list, func(s string) string { return s })
		}
		text := "---\nrules: { sorting: [code-point, alphabetical, natural, dictionary], systems: off }\n---\n"
		for _, name := range list {
			text += name + "/\n"
		}
		tpl, err := template.Parse("t", text, nil)
		require.NoError(t, err)
		set, errs := Configure(tpl)
		require.Empty(t, errs)
		x, err := tpl.Tree(nil, 100)
		require.NoError(t, err)
		agree := true
		for _, o := range order.All() {
			agree = agree && slices.IsSortedFunc(list, o.Comparer().Compare)
		}
		found := set.Select(func(rule string) bool { return rule == "sorting" }).Check(x.Root)
		assert.Equal(t, agree, len(found) == 0, "%q: %v", list, found)
	})
}

// What is said to hold for all values holds for random ones, and where it is
// said to depend, the values that are shown do break it.
func TestOrderWithSlotsIsDecidedForAllValues(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		line := rapid.Custom(func(t *rapid.T) string {
			return rapid.SampledFrom([]string{"", "01 ", "02 ", "2 ", "10 ", "_", "A "}).Draw(t, "front") +
				rapid.SampledFrom([]string{"<client>", "<client:like-this>", "Notes", "notes"}).Draw(t, "middle") +
				rapid.SampledFrom([]string{"", " a", " b", "1", "10"}).Draw(t, "end")
		})
		lines := rapid.SliceOfNDistinct(line, 2, 2, func(s string) string { return s }).Draw(t, "lines")
		o := rapid.SampledFrom(order.All()).Draw(t, "order")
		text := fmt.Sprintf("---\nfields: { client: Who? }\nrules: { sorting: [%s], systems: off }\n---\n%s/\n%s/\n", o, lines[0], lines[1])
		tpl, err := template.Parse("t", text, nil)
		require.NoError(t, err)
		set, errs := Configure(tpl)
		require.Empty(t, errs)
		marked, err := tpl.Tree(tpl.Marked(nil, nil, time.Time{}), 100)
		require.NoError(t, err)
		found := set.Select(func(rule string) bool { return rule == "sorting" }).Check(marked.Root)
		for range 20 {
			client := rapid.StringMatching(`[a-zA-Z0-9_ÅéЖ本]{1,3}( [a-z0-9]{1,3})?`).Draw(t, "client")
			values, bad := tpl.ParseValues(map[string]template.Raw{"client": {Text: client}}, time.Time{})
			require.Empty(t, bad)
			x, err := tpl.Tree(values, 100)
			if err != nil {
				continue // a text that the picture cannot write
			}
			a, b := x.Root.Children[0].Name, x.Root.Children[1].Name
			d := o.Comparer().Compare(a, b)
			switch {
			case len(found) == 0:
				assert.LessOrEqual(t, d, 0, "said to hold: %q before %q", a, b)
			case strings.Contains(found[0].Message, "whatever the values are"):
				assert.GreaterOrEqual(t, d, 0, "said never to hold: %q before %q", a, b)
			}
		}
	})
}

// Mending comes to an end, and what it leaves can be read.
func TestMendingTwiceChangesNothingMore(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := rapid.SliceOfNDistinct(names, 2, 8, func(s string) string { return s }).Draw(t, "names")
		text := "---\nrules: { sorting: [natural, code-point], numbering: { gaps: no }, name-style: { folders: like-this } }\n---\nx\n"
		for _, name := range list {
			text += "    " + name + "/   \n"
		}
		mend := func(text string) (string, []Mended) {
			tpl, err := template.Parse("t", text, nil)
			require.NoError(t, err)
			out, mended, err := Mend(tpl, time.Time{})
			require.NoError(t, err)
			return out, mended
		}
		once, _ := mend(text)
		assert.Equal(t, strings.Count(text, "\n"), strings.Count(once, "\n"), "no line is lost")
		twice, again := mend(once)
		assert.Equal(t, once, twice, "%v", again)
	})
}

func TestIgnoredPaths(t *testing.T) {
	ignored, err := Ignore([]string{"*.tmp", "drafts/", "/old/**", "a/*/c", "!keep.tmp"})
	require.NoError(t, err)
	for path, want := range map[string]bool{"x.tmp": true, "a/b/x.tmp": true, "keep.tmp": false, "a/keep.tmp": false, "drafts/": true, "a/drafts/": true, "drafts": false, "old/x": true, "a/old/x": false,
		"a/b/c": true, "a/b/b/c": false, ".vestibula.json": true, ".git/": true, "Thumbs.db": true, "notes.md": false} {
		at, folder := strings.CutSuffix(path, "/")
		dir, name := "", at
		if i := strings.LastIndexByte(at, '/'); i >= 0 {
			dir, name = at[:i], at[i+1:]
		}
		assert.Equal(t, want, ignored.passes(dir, name, folder), path)
	}
	for _, bad := range []string{"", "/", "[a", "!"} {
		_, err := Ignore([]string{bad})
		assert.Error(t, err, bad)
	}
}
