package template

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/tree"
)

// A modelLine is a line of a random outline, and what a simple model makes of
// it.
type modelLine struct {
	name     string // with %s where the item goes
	items    []string
	when     bool
	number   int // -1 where it has no <#>
	fixed    bool
	children []modelLine
}

func drawLines(t *rapid.T, depth int, used *int) []modelLine {
	var lines []modelLine
	for range rapid.IntRange(1, 3).Draw(t, "lines") {
		*used++
		l := modelLine{name: fmt.Sprintf("line %d", *used), when: true, number: -1}
		if rapid.IntRange(0, 2).Draw(t, "repeats") == 0 {
			n := rapid.IntRange(1, 3).Draw(t, "items")
			for i := 1; i <= n; i++ {
				l.items = append(l.items, fmt.Sprint(i))
			}
			l.name += " %s"
		}
		if rapid.IntRange(0, 2).Draw(t, "numbered") == 0 {
			l.number = 0
			if rapid.IntRange(0, 3).Draw(t, "fixed") == 0 {
				l.number, l.fixed = 10**used+rapid.IntRange(0, 6).Draw(t, "number"), true // beyond those of earlier lines
			}
		}
		l.when = rapid.IntRange(0, 3).Draw(t, "when") > 0
		if depth < 3 && rapid.Bool().Draw(t, "deeper") {
			l.children = drawLines(t, depth+1, used)
		}
		lines = append(lines, l)
	}
	return lines
}

// outlineText writes the lines as a template.
func outlineText(lines []modelLine, indent string) string {
	var b strings.Builder
	for _, l := range lines {
		b.WriteString(indent)
		if l.number >= 0 {
			b.WriteString("<#:000> ")
		}
		slot := fmt.Sprintf("<x%d>", len(indent))
		b.WriteString(strings.ReplaceAll(l.name, "%s", slot) + "/")
		if l.items != nil {
			fmt.Fprintf(&b, " | each: x%d in 1..%d", len(indent), len(l.items))
		}
		if !l.when {
			b.WriteString(" | when: off")
		}
		if l.fixed {
			fmt.Fprintf(&b, " | number: %d", l.number)
		}
		b.WriteString("\n" + outlineText(l.children, indent+"  "))
	}
	return b.String()
}

// modelPaths are the paths that the lines make.
func modelPaths(lines []modelLine, above string) []string {
	var paths []string
	next := 1
	for _, l := range lines {
		items := l.items
		if items == nil {
			items = []string{""}
		}
		for i, item := range items {
			name := strings.ReplaceAll(l.name, "%s", item)
			if l.number >= 0 {
				if l.fixed && i == 0 {
					next = l.number
				}
				name = fmt.Sprintf("%03d %s", next, name)
				next++
			}
			if l.when {
				paths = append(paths, above+name)
				paths = append(paths, modelPaths(l.children, above+name+"/")...)
			}
		}
	}
	return paths
}

func TestTreesAreWhatASimpleModelMakes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		used := 0
		lines := drawLines(t, 0, &used)
		text := "---\nfields: { off: { type: yes-no, default: no } }\n---\n" + outlineText(lines, "")
		tpl, err := Parse("t", text, nil)
		require.NoError(t, err, text)
		x, err := tpl.Tree(tpl.Complete(nil, now), DefaultLimit)
		require.NoError(t, err, text)
		var got []string
		for path := range x.Root.All() {
			got = append(got, path)
		}
		assert.Equal(t, modelPaths(lines, ""), got, text)
		assert.Equal(t, len(got), tree.Measure(x.Root).Folders)
	})
}

func TestConditions(t *testing.T) {
	header := `---
fields:
  yes:  { type: yes-no, default: yes }
  no:   { type: yes-no, default: no }
  kind: { of: { BK: book, "large box": box }, default: BK }
  n:    { type: number, default: 7 }
  day:  { type: date, default: 2027-03-09 }
  note: { default: "" }
  word: { default: gold leaf }
---
`
	tests := map[string]bool{
		"yes":                            true,
		"no":                             false,
		"not yes":                        false,
		"not no":                         true,
		"kind is BK":                     true,
		"kind is book":                   true,
		"kind is not BK":                 false,
		"kind is large box":              false,
		"kind is not large box":          true,
		"n is 7":                         true,
		"n is not 007":                   false,
		"day is 2027-03-09":              true,
		"word is gold leaf":              true,
		"note":                           false,
		"not note":                       true,
		"yes and no":                     false,
		"yes or no":                      true,
		"no and no or yes":               true,
		"yes or no and no":               true,
		"no or no and yes":               false,
		"yes and kind is BK and n is 7":  true,
		"no or kind is box or n is 8":    false,
		"not no and kind is not box":     true,
		"yes   and   kind   is   BK":     true,
		"word is gold leaf and not note": true,
		"n + 1 is 8":                     true,
		"day - 9 is 2027-02-28":          true,
		"day + 1 is not 2027-03-10":      false,
	}
	for condition, want := range tests {
		tpl, err := Parse("t", header+"A | when: "+condition+"\nB\n", nil)
		if !assert.NoError(t, err, condition) {
			continue
		}
		x, err := tpl.Tree(tpl.Complete(nil, now), 10)
		require.NoError(t, err)
		assert.Equal(t, want, x.Root.Child("A") != nil, condition)

		written := tpl.Lines[0].When.String()
		again, err := Parse("t", header+"A | when: "+written+"\nB\n", nil)
		require.NoError(t, err, "%s is written %s", condition, written)
		assert.Equal(t, written, again.Lines[0].When.String())
		x, err = again.Tree(again.Complete(nil, now), 10)
		require.NoError(t, err)
		assert.Equal(t, want, x.Root.Child("A") != nil, "%s is written %s", condition, written)
	}
	for condition, at := range map[string]string{
		"yes and nope":       "11:19: there is no field named \"nope\"",
		"yes and kind is X":  "11:19: this can never hold: \"kind\" \"X\" is not one of BK (book), large box (box)",
		"kind":               "11:11: \"kind\" is a choice: it is neither true nor false (write `kind is …`)",
		"n is seven":         "11:11: this can never hold: \"n\" \"seven\" is not a whole number",
		"yes and not n is 7": "11:19: there is no field named \"not n\" (write `n is not 7`)",
	} {
		_, err := Parse("t", header+"A | when: "+condition+"\n", nil)
		assert.ErrorContains(t, err, at, condition)
	}
}

func TestRanges(t *testing.T) {
	header := "---\nfields:\n  n: { type: number, default: 3 }\n  y: { type: year, default: 2027 }\n  from: { type: month, default: 2027-11 }\n  to: { type: month, default: 2028-02 }\n  d: { type: date, default: 2028-02-28 }\n---\n"
	tests := map[string]string{
		"1..3":                     "1 2 3",
		"08..11":                   "8 9 10 11",
		"n..5":                     "3 4 5",
		"1..n":                     "1 2 3",
		"A..D":                     "A B C D",
		"x..z":                     "x y z",
		"2027-11..2028-02":         "2027-11 2027-12 2028-01 2028-02",
		"from..to":                 "2027-11 2027-12 2028-01 2028-02",
		"2027-Q3..2028-Q1":         "2027-Q3 2027-Q4 2028-Q1",
		"2026-W52..2027-W02":       "2026-W52 2026-W53 2027-W01 2027-W02",
		"2028-02-28..2028-03-01":   "2028-02-28 2028-02-29 2028-03-01",
		"d..<y>-12-31":             "!runs backwards",
		"<y>-Q1..<y>-Q4":           "2027-Q1 2027-Q2 2027-Q3 2027-Q4",
		"<y>-12-31..2028-01-01":    "2027-12-31 2028-01-01",
		"2025..y":                  "2025 2026 2027",
		"drawing, sound , film":    "drawing sound film",
		"1...3":                    "!a range has two dots",
		"1..":                      "!one end of this range is missing",
		"A..z":                     "!the ends of this range are of two kinds",
		"2027-01..2027-02-01":      "!the ends of this range are of two kinds",
		"5..1":                     "!this range runs backwards: 5 comes after 1 (write 1..5)",
		"1..nn":                    "!\"nn\" is no end for a range",
		"a,,b":                     "!an item is missing between two commas",
		"n":                        "!\"n\" is a number, not a list (write 1..n)",
		"y":                        "!\"y\" is a year, not a list",
		"nothing":                  "!there is no list called \"nothing\"",
		"2027-02-30..2027-03-01":   "!is no end for a range",
		"<y>-02-28..<y>-02-29":     "2027-02-28",
		"<zz>-01..<zz>-12":         "!there is no field named \"zz\"",
		"999999999999999..9999999": "!is no end for a range",
	}
	for source, want := range tests {
		tpl, err := Parse("t", header+"<x>/ | each: x in "+source+"\n", nil)
		var x *Expansion
		if err == nil {
			x, err = tpl.Tree(tpl.Complete(nil, now), 100)
		}
		if reason, bad := strings.CutPrefix(want, "!"); bad {
			assert.ErrorContains(t, err, reason, source)
			continue
		}
		require.NoError(t, err, source)
		var names []string
		for _, n := range x.Root.Children {
			names = append(names, n.Name)
		}
		assert.Equal(t, want, strings.Join(names, " "), source)
	}
}

func TestScenariosShowATemplateInAllItsSizes(t *testing.T) {
	tpl, err := Parse("t", `---
fields:
  weeks: { type: number, min: 2, max: 30, default: 5 }
  free:  { type: number, default: 4 }
  hurry: { type: yes-no, default: no }
  kind:  { of: [BK, BX, MP], default: BX }
  who:   { example: Oriel }
---
<who> <weeks> <free> <kind> <hurry>
`, nil)
	require.NoError(t, err)
	describe := func(given Values) []string {
		var list []string
		scenarios, _ := tpl.Scenarios(given, now)
		for _, v := range scenarios {
			list = append(list, strings.Join([]string{v["weeks"].String(), v["free"].String(), v["hurry"].String(), v["kind"].String(), v["who"].String()}, " "))
		}
		return list
	}
	assert.Equal(t, []string{"5 4 no BX Oriel", "30 4 yes BK Oriel", "2 4 no BK Oriel", "30 4 yes BX Oriel", "30 4 yes MP Oriel", "5 99 no BX Oriel"}, describe(nil))
	given, errs := tpl.ParseValues(map[string]Raw{"weeks": {Text: "9"}, "kind": {Text: "MP"}, "hurry": {Text: "yes"}}, now)
	require.Empty(t, errs)
	assert.Equal(t, []string{"9 4 yes MP Oriel", "9 99 yes MP Oriel"}, describe(given), "what is given stays as it is")
}

// Each option, each combination of what is on and off, what may be left out, and years of
// all kinds come up; what does not is named.
func TestScenariosLeaveNothingOutWithoutSayingSo(t *testing.T) {
	tpl, err := Parse("t", `---
fields:
  a: { type: yes-no }
  b: { type: yes-no }
  c: { type: yes-no }
  k: { of: [A, B, C, D, E, F, G, H, I, J, K, L, M, N] }
  o: { default: "", example: Oriel }
  y: { type: year }
  n: { type: number }
---
<a> <b> <c> <k> <o> <y> <n>
`, nil)
	require.NoError(t, err)
	list, left := tpl.Scenarios(nil, now)
	assert.Equal(t, []string{"<n> above 99"}, left)
	seen := map[string]bool{}
	for _, v := range list {
		for _, name := range tpl.FieldNames() {
			seen[name+" "+v[name].String()] = true
		}
		seen[v["a"].String()+" "+v["b"].String()+" "+v["c"].String()] = true
	}
	for _, want := range []string{"yes yes no", "yes no no", "no yes no", "no no yes", "k A", "k M", "k N", "o ", "o Oriel", "y 2028", "y 2026", "n 99"} {
		assert.True(t, seen[want], want)
	}
	many := "---\nfields:\n"
	for i := range 8 {
		many += fmt.Sprintf("  f%d: { type: yes-no }\n", i)
	}
	tpl, err = Parse("t", many+"---\n<f0> <f1> <f2> <f3> <f4> <f5> <f6> <f7>\n", nil)
	require.NoError(t, err)
	_, left = tpl.Scenarios(nil, now)
	assert.Equal(t, []string{"combinations of more than two of the 8 yes-no fields"}, left)
}

func TestMarkersTellTheFieldAndTheForm(t *testing.T) {
	tpl, err := Parse("t", "---\nfields: { a: x, l: { type: list }, b: { max: 30 } }\n---\n<a> - <a:like-this> <b:LT> + <b:LIKETHIS>\n    <i:Like_This> | each: i in l\n", nil)
	require.NoError(t, err)
	m := tpl.Markers()
	x, err := tpl.Tree(tpl.Marked(nil, nil, now), 100)
	require.NoError(t, err)
	top := x.Root.Children[0]
	require.Len(t, top.Children, 2, "two items of a list")
	assert.Equal(t, "<a> - <a:like-this> <b:LT> + <b:LIKETHIS>", m.Show(top.Name))
	assert.Equal(t, "<l:Like_This>", m.Show(top.Children[1].Name))
	assert.Equal(t, []int{0, 3}, m.Of(top.Name))
	assert.Equal(t, "Åsgerd / Ölvane - asgerd-olvane CL + CALFLEATHER", strings.ReplaceAll(m.Fill(top.Name, map[int]string{0: "Åsgerd / Ölvane", 3: "calf leather"}), "Åsgerd - Ölvane -", "Åsgerd / Ölvane -"))
	assert.Equal(t, "x - x X + X", m.Fill(top.Name, nil))
	assert.True(t, m.In(top.Name))
	assert.False(t, m.In("Åsgerd 日本"))
}

func TestStartersAreListedOnce(t *testing.T) {
	tpl, err := Parse("t", "---\nfields: { client: x, b: y }\n---\n<client> <b>\n    a.md | fill: forms/a.md\n    b.md | copy: forms/a.md\n    K | copy: kit\n", starters)
	require.NoError(t, err)
	got := tpl.Starters()
	slices.Sort(got)
	assert.Equal(t, []string{"forms/a.md", "kit/inner/empty.txt", "kit/read.txt"}, got)
}

func TestAPartUsedInSeveralPlacesSeesTheLoopsAroundIt(t *testing.T) {
	x, err := grow(t, `work:
    Drafts of <person>
    Deeper | use: leaf
leaf:
    <#> One
    <#> Two
Course
    <person> | each: person in Oriel, Jun | use: work
    Shared   | use: leaf
`)
	require.NoError(t, err)
	assert.Equal(t, strings.Join([]string{
		"Course/",
		"Course/Oriel/",
		"Course/Oriel/Drafts of Oriel/",
		"Course/Oriel/Deeper/",
		"Course/Oriel/Deeper/01 One/",
		"Course/Oriel/Deeper/02 Two/",
		"Course/Jun/",
		"Course/Jun/Drafts of Jun/",
		"Course/Jun/Deeper/",
		"Course/Jun/Deeper/01 One/",
		"Course/Jun/Deeper/02 Two/",
		"Course/Shared/",
		"Course/Shared/01 One/",
		"Course/Shared/02 Two/",
	}, "\n"), outlineOf(x.Root))
}
