package rules

import (
	"fmt"
	"os"
	"regexp"
	"slices"
	"strconv"
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
		text := "---\nrules: { sorting: [" + strings.Join(order.Names(), ", ") + "], systems: off }\n---\n"
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

// What is said to hold for all values holds for random ones; what is said never to hold
// never does; and an example that is shown is one that the fields take, in just the lists
// that are named with it.
func TestOrderWithSlotsIsDecidedForAllValues(t *testing.T) {
	example := regexp.MustCompile(`<([a-c])> = “([^”]*)”`)
	rapid.Check(t, func(t *rapid.T) {
		line := rapid.Custom(func(t *rapid.T) string {
			slot := rapid.SampledFrom([]string{"<a>", "<a:like-this>", "<b>", "<c>", "<b:LT>", "Notes", "notes", "z"})
			return rapid.SampledFrom([]string{"", "01 ", "02 ", "01", "2 ", "10 ", "_", "A "}).Draw(t, "front") + slot.Draw(t, "middle") +
				rapid.SampledFrom([]string{"", " ", "-", ". "}).Draw(t, "joint") + slot.Draw(t, "end") + rapid.SampledFrom([]string{"", " a", " <c>", "1", "10"}).Draw(t, "tail")
		})
		lines := rapid.SliceOfNDistinct(line, 2, 2, func(s string) string { return s }).Draw(t, "lines")
		text := fmt.Sprintf("---\nfields: { a: A?, b: { ask: B?, max: 6 }, c: C? }\nrules: { sorting: [%s], systems: off }\n---\n%s/\n%s/\n", strings.Join(order.Names(), ", "), lines[0], lines[1])
		tpl, err := template.Parse("t", text, nil)
		require.NoError(t, err)
		set, errs := Configure(tpl)
		require.Empty(t, errs)
		marked, err := tpl.Tree(tpl.Marked(nil, nil, time.Time{}), 100)
		if err != nil {
			return // both lines are one
		}
		found := set.Select(func(rule string) bool { return rule == "sorting" }).Check(marked.Root)
		message := ""
		if len(found) > 0 {
			message = found[0].Message.String()
		}
		// order returns the two names with values, and in which lists they stand otherwise.
		turned := func(raw map[string]template.Raw) (wrong []string, ok bool) {
			values, bad := tpl.ParseValues(raw, time.Time{})
			if len(bad) > 0 {
				return nil, false
			}
			x, err := tpl.Tree(values, 100)
			if err != nil {
				return nil, false // a text that a form cannot write
			}
			a, b := x.Root.Children[0].Name, x.Root.Children[1].Name
			for _, o := range order.All() {
				if o.Comparer().Compare(a, b) > 0 {
					wrong = append(wrong, o.String())
				}
			}
			return wrong, true
		}
		named := func(o string) bool {
			return strings.Contains(message, "("+o+")") || strings.HasSuffix(message, "every list") || strings.Contains(message, "every list,")
		}
		if shown := example.FindAllStringSubmatch(message, -1); len(shown) > 0 {
			raw := map[string]template.Raw{"a": {Text: "x"}, "b": {Text: "x"}, "c": {Text: "x"}}
			for _, m := range shown {
				raw[m[1]] = template.Raw{Text: m[2]}
			}
			wrong, ok := turned(raw)
			require.True(t, ok, "the fields do not take %s", message)
			for _, o := range order.All() {
				assert.Equal(t, slices.Contains(wrong, o.String()), named(o.String()), "%s: %s", o, message)
			}
		}
		for range valuesTried() {
			raw := map[string]template.Raw{}
			for _, name := range []string{"a", "b", "c"} {
				raw[name] = template.Raw{Text: rapid.StringMatching(`[a-zA-Z0-9_ÅéЖ本.]{1,3}( [a-z0-9]{1,3})?`).Draw(t, name)}
			}
			wrong, ok := turned(raw)
			if !ok {
				continue
			}
			switch {
			case message == "":
				assert.Empty(t, wrong, "said to hold: %v with %v", lines, raw)
			case strings.Contains(message, "whatever the values are"):
				for _, o := range order.All() {
					if named(o.String()) {
						assert.Contains(t, wrong, o.String(), "%s with %v", message, raw)
					}
				}
			}
		}
	})
}

// A number that counts by itself grows as wide as it has to be: it is not written out.
func TestFixingLeavesWhatWidensByItself(t *testing.T) {
	for text, want := range map[string]string{
		"Desk\n    1 Notes\n    <#> Letters | number: 2\n    10 Settled\n":   "Desk\n    01 Notes\n    <#> Letters | number: 2\n    10 Settled\n",
		"Desk\n    1 Notes\n    <#:0> Letters | number: 2\n    10 Settled\n": "Desk\n    01 Notes\n    <#:00> Letters | number: 2\n    10 Settled\n",
	} {
		tpl, err := template.Parse("t", text, nil)
		require.NoError(t, err)
		out, _, err := FixText(tpl, time.Time{})
		require.NoError(t, err)
		assert.Equal(t, want, out)
	}
}

// Fixing comes to an end, and what it leaves can be read.
func TestFixingTwiceChangesNothingMore(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := rapid.SliceOfNDistinct(names, 2, 8, func(s string) string { return s }).Draw(t, "names")
		text := "---\nrules: { sorting: [natural, code-point], numbering: { gaps: no }, name-style: { folders: like-this } }\n---\nx\n"
		for _, name := range list {
			text += "    " + name + "/   \n"
		}
		fix := func(text string) (string, []Fixed) {
			tpl, err := template.Parse("t", text, nil)
			require.NoError(t, err)
			out, fixed, err := FixText(tpl, time.Time{})
			require.NoError(t, err)
			return out, fixed
		}
		once, _ := fix(text)
		assert.Equal(t, strings.Count(text, "\n"), strings.Count(once, "\n"), "no line is lost")
		twice, again := fix(once)
		assert.Equal(t, once, twice, "%v", again)
	})
}

// valuesTried is how many values are put into the slots of each pair of names.
func valuesTried() int {
	if n, err := strconv.Atoi(os.Getenv("VESTIBULA_VALUES")); err == nil {
		return n
	}
	return 20
}
