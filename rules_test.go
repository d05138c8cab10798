package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/rules"
)

// What people do by hand and find out late, each found before anything is built.
func TestMistakesThatPeopleFindOutLateAreFoundBefore(t *testing.T) {
	t.Parallel()
	tests := []struct {
		what, text string
		want       []string
	}{
		{"the tenth part lands before the second", "Book\n    Part <n:0> | each: n in 1..12\n",
			[]string{"“Part 10” would stand before “Part 2” in raw listings", "write :00 behind the slot's name"}},
		{"the same, written by hand", "Book\n    1 Plan\n    2 Sew\n    10 Ship\n", []string{"“10 Ship” would stand before “2 Sew”", "as in 02 Sew, or write <#>"}},
		{"a series that may grow", "---\nfields: { weeks: { type: number, max: 30, default: 3 } }\n---\nBook\n    Week <n:0> | each: n in 1..weeks\n", []string{"“Week 10” would stand before “Week 2”"}},
		{"a sign that leads in one list only", "---\nrules: { sorting: [code-point, alphabetical, natural, dictionary] }\n---\nBook\n    _Arrivals\n    Agreement\n",
			[]string{"“Agreement” would stand before “_Arrivals” in raw listings, servers and archives (code-point) and lists on Linux (dictionary)", "only digits lead everywhere"}},
		{"capitals first, but not everywhere", "---\nrules: { sorting: [code-point, natural] }\n---\nBook\n    Agreement\n    archive\n    Book\n", []string{"“Book” would stand before “archive” in raw listings"}},
		{"an order that depends on the values", "---\nfields: { client: { example: Bell } }\nrules: { sorting: [natural] }\n---\nDesk\n    Settled\n    <client>\n",
			[]string{"whether “Settled” stands before “<client>” depends on the values: with <client> = “Aa” it does not"}},
		{"numbers with a hole, or twice", "---\nrules: { numbering: { digits: 2, gaps: no, reserved: { 90: Settled } } }\n---\nBook\n    01 Plan\n    01 Sew\n    04 Ship\n    90 Settled\n",
			[]string{"the number 01 stands twice: “01 Plan” and “01 Sew”", "02 to 03 is missing between “01 Plan” and “04 Ship”"}},
		{"what is settled is to be last", "---\nrules: { last: 90 Settled }\n---\nBook\n    90 Settled\n    Zebra\n", []string{"“90 Settled” is to be the last, but “Zebra” comes after it"}},
		{"90 taken by another", "---\nrules: { numbering: { reserved: { 90: Settled } } }\n---\nBook\n    89 Settled\n    90 Letters\n", []string{"takes the number 90, which is reserved for “Settled”", "“Settled” has the number 90 reserved for it"}},
		{"more than five levels", "---\nrules: { depth: 5 }\n---\na/b/c/d/e/f\n", []string{"“f” lies 6 folders deep; at most 5 are allowed"}},
		{"letter, then folder, files at the bottom", "---\nrules: { levels: { 1: { files: no, name: \"<letter:A>\" }, 2: { initial: parent }, 3: { folders: no } } }\n---\nP\n    Pask\n        deep/\n    Wren\nnotes.md\nxx/\n",
			[]string{"“deep” is a folder, and level 3 is for files only", "“Wren” lies in “P”, but begins with another letter", "move it into the folder of the letter W", "“notes.md” is a file, and level 1 is for folders only", "“xx” must be one capital letter, as names of level 1 are"}},
		{"seven loose files", "---\nrules: { loose-files: 7 }\n---\nBook\n    <n:0> page.md | each: n in 1..6\n    a.md\n    b.md\n", []string{"“Book” would hold 8 files; at most 7 are allowed"}},
		{"a web folder", "---\nrules: { systems: [web], name-style: like-this, name-words: 4, path-length: { limit: 40, as: url } }\n---\nthistlewick\n    Case Binding\n    notes-on-the-first-long-evening\n    straße-nach-überall-und-zurück\n",
			[]string{"“Case Binding” is not written like-this", "write case-binding", "“Case Binding” holds a space", "has 6 words; at most 4", "the path of “straße-nach-überall-und-zurück” has 57 characters; at most 40"}},
		{"a date with slashes", "---\nfields: { day: { type: date, example: 2027-03-09 } }\n---\nNotes <day:dd/mm/yyyy>\n", []string{"a name cannot hold /", "write - instead: dd-mm-yyyy"}},
		{"a place for what fits nowhere else", "---\nrules: { catch-all: Arrivals }\n---\nBook\n    Arrivals\n    Work\n        Sewing\n", []string{"“Work” has subfolders, but none called “Arrivals”"}},
		{"a name that says nothing", "Book\n    Misc\n    New folder (2)\n", []string{"“Misc” says nothing", "“New folder (2)” is a name that a device or a program gave"}},
		{"clicks that decide nothing", "---\nrules: { single-child: warn, repeats: warn }\n---\nBook\n    A\n        B\n            C\n    D\n        C\n        E\n",
			[]string{"“A/B/C”: each of these folders holds one folder only", "“C” stands in two branches"}},
		{"rules that contradict each other", "---\nrules:\n  width: 20\n  last: 90 Settled\n  numbering: { reserved: { 90: Old } }\n---\nBook\n    <l> | each: l in A..Z\n",
			[]string{"3:10: error: `width: 20` and line 8 contradict each other: that line alone makes 26 folders", "4:3: error: `last` and `numbering` contradict each other: the number 90 is reserved for “Old”"}},
	}
	for _, tt := range tests {
		t.Run(tt.what, func(t *testing.T) {
			d := newDesk(t, "t.folders", tt.text)
			out, _ := d.run("check", "t")
			for _, want := range tt.want {
				assert.Contains(t, out, want)
			}
			assert.LessOrEqual(t, strings.Count(out, "t.folders:"), len(tt.want)+3, "no flood of findings\n%s", out)
		})
	}
}

func TestNoFalseAlarmOnTheExamplesOrAGoodTemplate(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "good.folders", `---
fields: { client: { example: Bell }, weeks: { type: number, max: 99, default: 5 }, stages: { type: list, default: [survey, repair] } }
rules:
  depth: 3
  width: 99
  sorting: [code-point, alphabetical, natural, dictionary]
  numbering: { gaps: no, reserved: { 90: Settled } }
  last: 90 Settled
  systems: [windows, mac, linux]
  vague-names: on
  single-child: warn
  repeats: warn
---
<client>
    <#> Agreement
    <#> Work
        <#> <stage> | each: stage in stages
    <#> Evenings
        Evening <n:00> | each: n in 1..weeks
    <#> Settled | number: 90
`)
	for _, name := range []string{"commission", "evening-course", "ledger", "good"} {
		out, status := d.run("check", name, "--strict")
		assert.Zero(t, status, out)
		assert.Contains(t, out, "All is well")
	}
}

func TestEachRuleHasAPageWhoseExamplesAreTrue(t *testing.T) {
	t.Parallel()
	for _, name := range rules.Names() {
		page, _ := rules.Explain(name)
		d := newDesk(t, "bad.folders", page.Bad+"\n", "good.folders", page.Good+"\n")
		out, status := "", 0
		switch {
		case !page.Real:
			out, _ = d.run("check", "bad", "--only", name)
			assert.Contains(t, out, "["+name+"]", "the bad example of %s", name)
		case !rules.NeedsDisk(name): // the bad example is a folder
			d.run("build", "bad", "--into", ".", "--yes", "--no-label")
			top, _, _ := strings.Cut(page.Bad, "\n")
			out, _ = d.run("check", top, "--template", "good", "--only", name)
			assert.Contains(t, out, "["+name+"]", "the bad example of %s", name)
		}
		out, status = d.run("check", "good", "--only", name, "--strict")
		assert.Zero(t, status, "the good example of %s: %s", name, out)
		for line := range strings.SplitSeq(page.Setting, "\n") {
			d.write("set.folders", "---\nrules:\n  "+line+"\n---\nA\n")
			out, _ = d.run("check", "set", "--only", "language")
			assert.NotContains(t, out, "error", "the setting %q", line)
		}
		out, status = d.run("check", "--explain", name)
		assert.Zero(t, status)
		assert.Contains(t, out, page.About)
	}
	for _, name := range []string{"names", "same-name", "language"} {
		page, ok := rules.Explain(name)
		require.True(t, ok)
		d := newDesk(t, "bad.folders", page.Bad+"\n", "good.folders", page.Good+"\n")
		_, status := d.run("check", "bad", "--only", name)
		assert.Equal(t, 1, status, name)
		out, status := d.run("check", "good", "--only", name, "--strict")
		assert.Zero(t, status, out)
	}
	out, status := newDesk(t).run("check", "--explain", "sortin")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "did you mean sorting?")
}

func TestRealFoldersAreHeldToTheRules(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "c.folders", `---
fields: { client: Who? }
names: { scan: "<day:yyyy-mm-dd> <n:000>" }
ignore: ["*.tmp", "Old/"]
rules: { depth: 3, holds: on, sorting: [code-point], numbering: { gaps: no }, vague-names: on, systems: [windows], catch-all: Arrivals }
---
<client>
    Arrivals
    Scans | holds: scan
    Part <n:0> | each: n in 1..3
`)
	for _, path := range []string{"Oriel/Arrivals/x.md", "Oriel/Scans/2027-03-09 001.tif", "Oriel/Scans/2027-3-9 002.tif", "Oriel/Scans/x.tmp", "Oriel/Part 1/a.md", "Oriel/Part 2/a.md", "Oriel/Part 10/a.md",
		"Oriel/Old/Misc/x.md", "Oriel/Stuff/deep/er/x.md", "Oriel/Stuff/con.txt"} {
		d.write(path, "")
	}
	require.NoError(t, os.Symlink("..", filepath.Join(d.dir, "Oriel", "circle")))
	require.NoError(t, os.WriteFile(filepath.Join(d.dir, "Oriel", "bad\xff.txt"), nil, 0o666))
	out, status := d.run("check", "Oriel", "--template", "c", "--ignore", "er/")
	assert.Equal(t, 1, status)
	for _, want := range []string{"Part 10 stands before “Part 2” in raw listings", "03 to 09 is missing between “Part 2” and “Part 10”", "Scans/2027-3-9 002.tif should be “2027-03-09 002.tif”: names there have that shape",
		"warning Stuff is not one of the folders that belong in the project's own folder", "error Stuff/con.txt cannot exist on Windows", "1 link not followed, such as circle", "holds bytes that are no text", "error Stuff has subfolders, but none called “Arrivals”"} {
		assert.Contains(t, flat(out), want)
	}
	for _, not := range []string{"x.tmp", "Misc", "Oriel/Stuff/deep/er", "\xff"} {
		assert.NotContains(t, out, not)
	}
	d.run("build", "commission", "--into", ".", "client=x", "received=2027-03-09", "--yes")
	out, status = d.run("check", "2027-03 x BK")
	assert.Zero(t, status, "a fresh build follows its own template: %s", out)
	out, status = d.run("check", "Oriel")
	assert.Equal(t, 1, status, "without a template the defaults hold")
	assert.Contains(t, flat(out), "Stuff/con.txt cannot exist on Windows")
	assert.Contains(t, out, "Checked against the default rules: no template is known")
}

func TestFindingsForOtherPrograms(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { a: x }\n---\nBook\n    Part <n:0> | each: n in 1..12\n    Aux\n")
	out, status := d.run("check", "t", "--json")
	assert.Equal(t, 1, status)
	var report struct {
		Findings []struct{ Rule, Severity, Message string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &report))
	assert.Len(t, report.Findings, 3)

	_, status = d.run("check", "t", "--only", "sorting")
	assert.Zero(t, status, "warnings alone")
	_, status = d.run("check", "t", "--only", "sorting", "--strict")
	assert.Equal(t, 1, status)
	out, status = d.run("check", "t", "--only", "sorting,sistems")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "did you mean systems?")
}

func TestFixingKeepsAllElse(t *testing.T) {
	t.Parallel()
	text := "---\nrules:\n  numbering: { gaps: no, reserved: { 90: Settled } }\n  sorting: [natural, code-point]\n  name-style: { folders: like-this }\n---\n// a remark\nthistlewick   \r\n\n    1 Plan    | note: first  things\n    2 work\n    2 photographs/\n    10  ship\n    90 settled\n    part <n:0>-x  | each: n in 1..12\n    notes.v2/ | keep\n"
	d := newDesk(t, "t.folders", text)
	require.NoError(t, os.Chmod(filepath.Join(d.dir, "t.folders"), 0o640))
	out, status := d.run("check", "--fix", "t")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "  10 -     1 Plan    | note: first  things\n     +     01 plan    | note: first  things\n")
	assert.Equal(t, text, d.read("t.folders"), "nothing is written without a yes")
	out, status = d.run("check", "--fix", "t", "--yes")
	assert.Equal(t, 1, status, "errors are left for a person")
	assert.Contains(t, out, "left, for which a person is needed: vestibula check t.folders")
	assert.Equal(t, "---\nrules:\n  numbering: { gaps: no, reserved: { 90: Settled } }\n  sorting: [natural, code-point]\n  name-style: { folders: like-this }\n---\n// a remark\nthistlewick\r\n\n    01 plan    | note: first  things\n    02 work\n    03 photographs/\n    04 ship\n    90 settled\n    part <n:00>-x  | each: n in 1..12\n    notes.v2/ | keep\n", d.read("t.folders"))
	info, err := os.Stat(filepath.Join(d.dir, "t.folders"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
	assert.NotContains(t, strings.Join(d.has("."), " "), ".vestibula-", "no other file is left behind")
	out, _ = d.run("check", "--fix", "t", "--yes")
	assert.Contains(t, out, "Nothing to fix")
	out, status = d.run("check", "--fix", "commission")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "to make a copy of your own: vestibula draft my-commission --like commission")
}

func TestListsAndArrangementsSideBySide(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "Studio\n    _Arrivals\n    Part <n:0> | each: n in 1..11\n", "k.folders", "<k> | each: k in Invoices, Letters\n    <c> | each: c in Oriel, Jun\n", "c.folders", "<c> | each: c in Oriel, Jun\n    <k> | each: k in Invoices, Letters\n    Notes\n")
	out, status := d.run("show", "t", "--sorted", "all")
	assert.Zero(t, status)
	assert.Contains(t, out, "  as written\n  numbers by value")
	assert.Contains(t, out, "  Linux desktop       ")
	assert.Contains(t, out, "▲ Part 10/")
	assert.Contains(t, out, "▼ _Arrivals/")
	out, _ = d.run("show", "t", "--sorted", "code-point")
	assert.Regexp(t, `(?s)Part 1/.*Part 10/.*Part 11/.*Part 2/.*_Arrivals/`, out)
	out, _ = d.run("show", "ledger", "--sorted", "all")
	assert.Contains(t, out, "Every list shows it in the order in which it is written.")
	out, status = d.run("show", "t", "--sorted", "naturally")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "the orders are code-point")

	out, status = d.run("compare", "k", "c")
	assert.Zero(t, status)
	for _, want := range []string{"folders              6 folders", "“Invoices” lies in   1 place", "clicks, on average   2.0", "»     Oriel/", "+     Notes/"} {
		assert.Contains(t, out, want)
	}
	out, _ = d.run("compare", "k", "c", "--json")
	var got struct {
		Sides []struct {
			Folders int
			Things  []struct{ Path, Fate string }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.Equal(t, 8, got.Sides[1].Folders)
	assert.Equal(t, "moves", got.Sides[0].Things[1].Fate)
	out, status = d.run("compare", "k", "c", "who=x")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, `neither template has a field "who"`)
}

// Whoever reads only what is printed can tell what was proven, what was looked at, and
// what was not.
func TestWhatWasProvenAndLookedAtIsSaid(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, tt := range []struct{ fields, names, outline, want string }{
		{"client: Who?, gilding: { type: yes-no, default: no }", "", "01 <client>\n02 Work\n", "3 folders and 0 files, with 2 sets of values, looked at.\nLooked at by these rules, with values that stand for all sizes and choices: same-name"},
		{"client: Who?", "", "01 <client>\n02 Work\n", "Proven for all values that there can be: sorting. What"},
		{"client: Who?", "a: \"<client> <n:00>\"", "01 <client>\n02 Work\n", "Proven for all values that there can be: sorting, names. What"},
		{"client: Who?", "a: \"<client> <topic>\"", "01 <client>\n02 Work\n", "Proven for all values that there can be: sorting. What"},
		{"client: Who?", "", "01<client>\n02 Work\n", ""}, // it depends on the value
		{"n: { type: number }", "", "<n>\n", "Not looked at: <n> above 99"},
	} {
		d.write("t.folders", "---\nfields: { "+tt.fields+" }\nnames: { "+tt.names+" }\n---\nA\n    "+strings.ReplaceAll(strings.TrimSpace(tt.outline), "\n", "\n    ")+"\n")
		out, _ := d.run("check", "t", "--explain")
		if tt.want == "" {
			assert.NotContains(t, out, "Proven")
			continue
		}
		assert.Contains(t, out, tt.want, out)
	}
}
