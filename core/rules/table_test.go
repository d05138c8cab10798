package rules

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/template"
	"vestibula/core/tree"
)

// Each row is a setting, an outline, and what the rule says of it: nothing, or
// findings in the order of their lines.
var table = []struct {
	name    string
	setting string
	outline string
	want    []string
}{
	{
		"depth counts folders, not files",
		"depth: 2",
		"A\n    B\n        c.md\n",
		nil,
	},
	{
		"depth is counted from the place where it is built",
		"depth: 1",
		"A\n    B\n        C\n            D\n",
		[]string{"error depth 5 A/B: “B” lies 2 folders deep; at most 1 are allowed"},
	},
	{
		"width counts folders, not files",
		"width: 1",
		"A\n    B\n    c.md\n    d.md\n",
		nil,
	},
	{
		"loose files count files, not folders",
		"loose-files: 1",
		"A\n    B\n    C\n    d.md\n    e.md\n",
		[]string{"error loose-files 8 A: “A” would hold 2 files; at most 1 are allowed"},
	},
	{
		"a length is counted in characters, not in bytes",
		"name-length: 4",
		"Ärzt\nÄrzte\n",
		[]string{"error name-length 5 Ärzte: “Ärzte” has 5 characters; at most 4 are allowed"},
	},
	{
		"names that somebody else gave are passed by",
		"name-length: 4",
		"DCIM-100-from-the-camera | keep\n",
		nil,
	},
	{
		"words are counted without numbering and ending",
		"name-words: 2",
		"01 - Case binding\n2027-03-09 Case binding\nA.1 Case_binding.md\nNotes on case binding\n",
		[]string{"error name-words 7 Notes on case binding: “Notes on case binding” has 4 words"},
	},
	{
		"a style is asked of what stands behind the numbering",
		"name-style: like-this, sorting: off",
		"01-case-binding\n_02-leather\n2027-03-09-notes.md\nCase-binding\n",
		[]string{"error name-style 7 Case-binding: “Case-binding” is not written like-this"},
	},
	{
		"folders and files may have styles of their own",
		"name-style: { folders: Like This, files: like_this }",
		"Case Binding\n    first_draft.md\nleather\n    Second draft.md\n",
		[]string{
			"error name-style 6 leather: “leather” is not written Like This",
			"error name-style 7 leather/Second draft.md: “Second draft.md” is not written like_this",
		},
	},
	{
		"numbers alone have every style",
		"name-style: like-this",
		"2027\n    01\n    2027-03\n",
		nil,
	},
	{
		"a path is counted with its slashes",
		"path-length: 5",
		"ab\n    cd\n        x\n    def\n",
		[]string{
			"error path-length 6 ab/cd/x: the path of “x” has 7 characters; at most 5 are allowed",
			"error path-length 7 ab/def: the path of “def” has 6 characters",
		},
	},
	{
		"a path can lie under another",
		`path-length: { limit: 12, under: "D:\\Work" }`,
		"abcd\nabcde\n",
		[]string{"error path-length 5 abcde: the path of “abcde” has 13 characters"},
	},
	{
		"in an address a blank counts three",
		"path-length: { limit: 5, as: url }",
		"a b\na bc\n",
		[]string{"error path-length 5 a bc: the path of “a bc” has 6 characters"},
	},
	{
		"siblings may stand in any order if nothing is numbered",
		"",
		"Work\nAgreement\nZebra\n",
		nil,
	},
	{
		"folders are sorted among folders, files among files",
		"sorting: natural",
		"b\na.md\nc\nb.md\n",
		nil,
	},
	{
		"dates with two digits sort everywhere",
		"sorting: [code-point, alphabetical, natural, dictionary]",
		"<m:yyyy-mm> | each: m in 2026-11..2027-02\n",
		nil,
	},
	{
		"dates without do not",
		"",
		"<m:yyyy-m> | each: m in 2027-08..2027-11\n",
		[]string{"warning sorting 1 2027-10: “2027-10” would stand before “2027-8” in raw listings"},
	},
	{
		"letters sort until AA comes",
		"sorting: [natural]",
		"Shelf <n:A> | each: n in 1..28\n",
		[]string{"error sorting 4 Shelf AA: “Shelf AA” would stand before “Shelf B” in lists that take numbers by value (natural)"},
	},
	{
		"one width, no matter how many digits",
		"numbering: { gaps: yes }, sorting: off",
		"1 Plan\n02 Work\n5 Ship\n",
		[]string{
			"error numbering 4 1 Plan: “1 Plan” has 1 digit, and this series 2",
			"error numbering 6 5 Ship: “5 Ship” has 1 digit, and this series 2",
		},
	},
	{
		"so many digits",
		"numbering: { digits: 3 }",
		"01 Plan\n02 Work\n",
		[]string{"error numbering 4 01 Plan: “01 Plan” has 2 digits, and this series 3", "error numbering 5 02 Work"},
	},
	{
		"reserved numbers may leave a hole",
		"numbering: { gaps: no, reserved: { 90: Settled, 0: Arrivals } }",
		"00 Arrivals\n01 Plan\n02 Work\n90 Settled\n",
		nil,
	},
	{
		"dates are no numbering",
		"numbering: { digits: 2, gaps: no }",
		"2027-03-09 Notes\n2027-03-09 Letters\n2028 Books\n",
		nil,
	},
	{
		"a catch-all of its own needs none",
		"catch-all: Arrivals",
		"A\n    00 Arrivals\n        Old\n    B\n",
		nil,
	},
	{
		"the last may be numbered",
		"last: Settled",
		"A\n    01 Work\n    90 Settled\n    notes.md\n",
		nil,
	},
	{
		"the last anywhere in the tree",
		"last: Settled",
		"A\n    B\n        Settled\n        C\n",
		[]string{"error last 6 A/B/Settled: “Settled” is to be the last, but “C” comes after it"},
	},
	{
		"the last has to be so in every list",
		"last: zz Settled",
		"A\n    Work\n    zz Settled\n    Ähre\n",
		[]string{"error last 6 A/zz Settled: “zz Settled” is to be the last, but “Ähre” comes after it"},
	},
	{
		"capitals come first in some",
		"last: Settled",
		"A\n    01 Work\n    letters\n    Settled\n",
		[]string{"error last 7 A/Settled: “Settled” is to be the last, but “letters” comes after it in raw listings, servers and archives (code-point)"},
	},
	{
		"the first of its siblings",
		"first: 00 Arrivals, sorting: off",
		"A\n    01 Work\n    00 Arrivals\n    B\n        00 Arrivals\n        01 C\n",
		[]string{"error first 6 A/00 Arrivals: “00 Arrivals” is to be the first, but “01 Work” comes before it"},
	},
	{
		"a sign in front leads in some lists only",
		"first: _Arrivals, sorting: off",
		"A\n    _Arrivals\n    Work\n    agreement\n",
		[]string{"error first 5 A/_Arrivals: “_Arrivals” is to be the first, but “Work” comes before it in raw listings, servers and archives (code-point)"},
	},
	{
		"a list of vague names takes the place of the built-in one",
		"vague-names: [Zeug]",
		"Misc\nzeug 2\n",
		[]string{"warning vague-names 5 zeug 2: “zeug 2” says nothing about what it holds"},
	},
	{
		"a file beside the only folder is company",
		"single-child: warn",
		"A\n    B\n        C\n            D\n    notes.md\n",
		[]string{"warning single-child 5 A/B: “B/C/D”: each of these folders holds one folder only"},
	},
	{
		"what one line repeats is one thing",
		"repeats: warn",
		"<x> | each: x in a, b\n    Drafts\n",
		nil,
	},
	{
		"numbering aside, a repeated name is the same",
		"repeats: error",
		"A\n    01 Drafts\nB\n    02 drafts\n",
		[]string{"error repeats 7 B/02 drafts: “02 drafts” stands in two branches: here and as “A/01 Drafts”"},
	},
	{
		"levels may forbid folders",
		"levels: { 2: { folders: no } }",
		"Z\n    A\n        B\n        c.md\n    C\n",
		[]string{"error levels 6 Z/A/B: “B” is a folder, and level 2 is for files only"},
	},
	{
		"levels may ask for a pattern",
		`levels: { 1: { name: "<year:yyyy>" }, 2: { name: "<year:yyyy-mm>" } }`,
		"2027\n    2027-03\n    March\n2028\n",
		[]string{"error levels 6 2027/March: “March” must be a month, such as 2027-03, as names of level 2 are"},
	},
	{
		"accents do not make another letter",
		"levels: { 2: { initial: parent } }",
		"O\n    Ölvane\n    oriel\n",
		nil,
	},
}

func TestTheTableOfRules(t *testing.T) {
	for _, tt := range table {
		t.Run(tt.name, func(t *testing.T) {
			text := tt.outline
			if tt.setting != "" {
				text = rulesHeader(tt.setting) + text
			}
			got := judge(t, text)
			require.Len(t, got, len(tt.want), "%q", got)
			for i := range got {
				assert.Contains(t, got[i], tt.want[i])
			}
		})
	}
}

func TestSettingsOfTheWrongKindAreTold(t *testing.T) {
	tests := map[string]string{
		"loose-files: many":                      "`loose-files` needs a whole number from 0 on, or off",
		"name-length: 0":                         "`name-length` needs a whole number",
		"name-words: [3]":                        "`name-words` needs a whole number",
		"name-words: 0":                          "`name-words` needs a whole number from 1 on",
		"name-words: { in: { Work: some } }":     "`name-words` needs a whole number from 1 on",
		"name-style: like-that":                  "`name-style` knows no style \"like-that\"; did you mean like-this?",
		"name-style: LT":                         "`name-style` knows no style \"LT\"",
		"name-style: { drawers: like-this }":     "has styles for folders and for files, not for \"drawers\"",
		"path-length: { under: x }":              "`path-length` needs a limit",
		"path-length: { limit: 9, as: mail }":    "has no setting \"as: mail\"",
		"sorting: by-name":                       "`sorting` knows no order \"by-name\"",
		"sorting: [natural, code-piont]":         "did you mean code-point?",
		"numbering: yes":                         "`numbering` needs digits, gaps or reserved",
		"numbering: { digits: 4 }":               "takes 1, 2 or 3 digits",
		"numbering: { reserved: { last: x } }":   "reserves numbers for names",
		"numbering: { width: 2 }":                "has no setting \"width\"",
		"catch-all: [a]":                         "`catch-all` needs a name",
		"last: \"\"":                             "`last` needs a name",
		"levels: 3":                              "`levels` needs levels with what belongs there",
		"levels: { first: {} }":                  "needs numbers of levels from 1 on",
		"levels: { 1: { initial: child } }":      "knows only `initial: parent`",
		"levels: { 1: { names: x } }":            "has no setting \"names\" for a level",
		"levels: { 1: { name: \"<a\" } }":        "has a pattern \"<a\" that cannot be used: this slot is not closed",
		"vague-names: misc":                      "`vague-names` needs a list of names",
		"single-child: 3":                        "`single-child` needs warn, on or off",
		"repeats: often":                         "`repeats` needs warn, on or off",
		"holds: sometimes":                       "`holds` needs warn, on or off",
		"depth: 3, levels: { 9: { files: no } }": "level 9 is deeper than 3 folders",
		"last: Settled, catch-all: Settled, depth: 3, levels: { 9: { files: no } }": "level 9 is deeper than 3 folders",
	}
	for setting, want := range tests {
		tpl, err := template.Parse("t", rulesHeader(setting)+"A\n", nil)
		require.NoError(t, err, setting)
		_, errs := Configure(tpl)
		if assert.Len(t, errs, 1, setting) {
			assert.Contains(t, errs[0].Error(), want)
			assert.Equal(t, 2, errs[0].Line, "at the setting")
		}
	}
}

func TestProofsOfConventionsBecomeFindings(t *testing.T) {
	tests := []struct {
		names string
		want  []string
	}{
		{
			`  good: "<day:yyyy-mm-dd> <client:like-this> <n:000>"`,
			nil,
		},
		{
			`  loose: "<client> <topic>"`,
			[]string{"error 3:11 names of “loose” can be read in two ways", "write <client:like-this>"},
		},
		{
			`  tight: "<a:00><b:00>"`,
			[]string{"error 3:11 names of “tight” can be read in two ways", "give <a> a fixed width"},
		},
		{
			`  early: "<day:d.m.yyyy> <client:like-this>"`,
			[]string{"warning 3:11 <day> has days or months without a zero in front", "write <day:yyyy-mm-dd>"},
		},
		{
			`  later: "<client:like-this> <n:00>"`,
			[]string{"advice 3:11 a list of these names is sorted by <client> before <n>", "let it stand first"},
		},
		{
			`  wordy: "<a:like-this> <b:like-this> <c:like-this> <d:like-this>"`,
			[]string{"warning 3:11 a name of “wordy” can have 323 characters", "`max`"},
		},
	}
	for _, tt := range tests {
		tpl, err := template.Parse("t", "---\nnames:\n"+tt.names+"\n---\nA\n", nil)
		require.NoError(t, err, tt.names)
		found := Conventions(tpl)
		if len(tt.want) == 0 {
			assert.Empty(t, found, tt.names)
			continue
		}
		if assert.NotEmpty(t, found, tt.names) {
			f := found[0]
			assert.Contains(t, f.Severity.String()+fmt.Sprintf(" 3:%d ", f.Column)+f.Message.String(), tt.want[0])
			assert.Contains(t, f.Help, tt.want[1])
		}
	}
}

func TestConventionsOfOneFolderAreHeldApart(t *testing.T) {
	header := "---\nnames:\n  scan: { pattern: \"<n:000>\", for: [tif] }\n  page: { pattern: \"<m:000> <what:like-this>\", for: [tif, jpg] }\n  any:  \"<x:like-this>\"\n  bill: { pattern: \"<n:000>\", for: [pdf] }\n---\n"
	for outline, want := range map[string]int{
		"A | holds: scan, page":           0,
		"A | holds: scan, any":            1,
		"A | holds: page, any":            0,
		"A | holds: scan\nB | holds: any": 0,
		"A | holds: scan, bill":           0,
	} {
		tpl, err := template.Parse("t", header+outline+"\n", nil)
		require.NoError(t, err)
		found := 0
		for _, f := range Conventions(tpl) {
			if f.Severity == Error {
				found++
				assert.Contains(t, f.Message.String(), "fits both “scan” and “any”, which lie in one folder")
			}
		}
		assert.Equal(t, want, found, outline)
	}
}

func TestRealFoldersHaveNoOrderOfTheirOwn(t *testing.T) {
	tpl, err := template.Parse("t", rulesHeader("sorting: [code-point, natural], last: Settled")+"A\n", nil)
	require.NoError(t, err)
	set, errs := Configure(tpl)
	require.Empty(t, errs)
	check := func(names ...string) []string {
		root := &tree.Node{}
		for _, name := range names {
			root.Children = append(root.Children, &tree.Node{Name: name})
		}
		var got []string
		for _, f := range set.CheckReal(&Real{Root: root}) {
			got = append(got, f.Rule+": "+f.Message.String())
		}
		return got
	}
	assert.Empty(t, check("Zebra", "Agreement", "02 b", "01 a"), "only numbers say what is meant")
	assert.Equal(t, []string{"sorting: “10 c” stands before “2 b” in raw listings, servers and archives (code-point)"}, check("10 c", "1 a", "2 b"))
	assert.Equal(t, []string{"last: “Settled” is to be the last, but “Work” comes after it in every list"}, check("Work", "Settled"))
	root := &tree.Node{}
	for _, name := range []string{"_x", "01 Work", "90 Settled", "91 Old"} {
		root.Children = append(root.Children, &tree.Node{Name: name})
	}
	var help []string
	for _, f := range set.CheckReal(&Real{Root: root}) {
		if f.Rule == "last" {
			help = append(help, f.Help)
		}
	}
	assert.Equal(t, []string{"only digits stand in one place in every list: give “_x” a number too"}, help, "advice does not lead in a circle")
	assert.Empty(t, check("01 Work", "90 Settled"))
}

// Proofs have one budget for a whole check: what is over it is told as not decided, once, and not
// as an error of its own.
func TestProofsDoNotRunAway(t *testing.T) {
	words := strings.Fields("topic what who where why how when")
	header := func(conventions int) string {
		var b strings.Builder
		b.WriteString("---\nfields:\n")
		for _, w := range words {
			b.WriteString("  " + w + ": { type: text }\n")
		}
		b.WriteString("names:\n")
		for i := range conventions {
			var name []string
			for j := range words {
				name = append(name, "<"+words[(i+j)%len(words)]+":LikeThis>")
			}
			fmt.Fprintf(&b, "  c%d: \"x%d %s-<%s>\"\n", i, i, strings.Join(name, " "), strings.Join(words, ">-<"))
		}
		return b.String() + "---\nShop\n"
	}
	undecided := func(conventions int) (budget, all int) {
		tpl, err := template.Parse("t", header(conventions), nil)
		require.NoError(t, err)
		for _, f := range Conventions(tpl) {
			if strings.HasPrefix(f.Message.String(), "not decided") {
				budget++
			} else if strings.Contains(f.Message.String(), "is not decided") {
				all++
			}
		}
		return budget, all
	}
	few, each := undecided(1)
	assert.Zero(t, few, "one alone is within the budget")
	assert.Equal(t, 1, each)
	many, each := undecided(30)
	assert.Equal(t, 1, many)
	assert.Less(t, each, 15)
}
