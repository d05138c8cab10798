package template

import (
	"io"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/tree"
)

var now = time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC)

var starters = fstest.MapFS{
	"forms/a.md":          {Data: []byte("<client> & <b> <client:LT>\n<when:yyyy> <client:nonsense> <stage>")},
	"forms/survey.docx":   {Data: []byte{0, 1, 0xff}},
	"kit/read.txt":        {Data: []byte("x")},
	"kit/inner/empty.txt": {},
	"latin1.txt":          {Data: []byte("caf\xe9")},
}

// outlineOf writes a tree as paths, folders with a slash at the end.
func outlineOf(root *tree.Node) string {
	var lines []string
	for path, n := range root.All() {
		if n.Kind == tree.Folder {
			path += "/"
		}
		lines = append(lines, path)
	}
	return strings.Join(lines, "\n")
}

// grow makes the tree of a template with values given as "field=value".
func grow(t *testing.T, text string, args ...string) (*Expansion, error) {
	t.Helper()
	tpl, err := Parse("test.folders", text, starters)
	require.NoError(t, err)
	raw := map[string]Raw{}
	for _, arg := range args {
		name, v, _ := strings.Cut(arg, "=")
		raw[name] = Raw{Text: v}
	}
	values, errs := tpl.ParseValues(raw, now)
	require.Empty(t, errs)
	return tpl.Tree(tpl.Complete(values, now), DefaultLimit)
}

func TestTreesThatTemplatesMake(t *testing.T) {
	fields := "---\nfields:\n  client: Who?\n  stages: {type: list, default: [a, b]}\n  n: {type: number, default: 2}\n" +
		"  gilding: {type: yes-no, default: no}\n  kind: {of: {BK: book, BX: box}, default: BK}\n  extra: {default: \"\"}\n  year: {type: year, default: 2027}\n---\n"
	tests := map[string]struct{ text, args, want string }{
		"plain list":            {"A\n    B\n    c.txt\n", "", "A/ A/B/ A/c.txt"},
		"parts in place":        {"work:\n    W\n        V\nend:\n    E\nA\n    <#> B\n    | use: work, end\n", "", "A/ A/01_B/ A/W/ A/W/V/ A/E/"},
		"what is a file":        {"x/\nnotes.md\n1. Notes\nv1.2\n.hidden\nterms.docx/\nx.y | later\nLICENSE | blank\nx .md\na.b c\n", "", "x/ notes.md 1._Notes/ v1.2/ .hidden/ terms.docx/ x.y/ LICENSE x_.md a.b_c/"},
		"number field as end":   {fields + "E<i> | each: i in 1..n", "n=3", "E1/ E2/ E3/"},
		"none at all":           {fields + "E\n  E<i> | each: i in 1..n", "n=0", "E/"},
		"letters":               {"<l> <l:a> <l:00> | each: l in Y..Z", "", "Y_y_25/ Z_z_26/"},
		"dates with fields":     {fields + "<m:mm> | each: m in <year>-11..<year>-12", "", "11/ 12/"},
		"weeks over new year":   {"<w> | each: w in 2026-W52..2027-W01", "", "2026-W52/ 2026-W53/ 2027-W01/"},
		"list written out":      {"<s:LIKE-THIS> | each: s in drawing, hand sewing", "", "DRAWING/ HAND-SEWING/"},
		"when":                  {fields + "A | when: gilding\nB | when: not gilding and kind is BK\nC | when: kind is not BX or gilding\nD | when: extra", "", "B/ C/"},
		"one or the other":      {fields + "P\n    A | when: gilding | was: O\n    B | when: not gilding | was: O\n", "", "P/ P/B/"},
		"own numbers":           {fields + "<#> A\n<#> B | when: gilding\n<#> <s> | each: s in stages\n<#> Z | number: 99\n<#> Y", "", "001_A/ 003_a/ 004_b/ 099_Z/ 100_Y/"},
		"numbers by what leads": {"A.<#:00> X\nB.<#:00> Y\nA.<#:00> Z\n<#:000> Q\n<#:A> R", "", "A.01_X/ B.01_Y/ A.02_Z/ 001_Q/ B_R/"},
		"chains meet":           {"A/B/\nA/C\n    D\nE/F/g.txt", "", "A/ A/B/ A/C/ A/C/D/ E/ E/F/ E/F/g.txt"},
		"parts":                 {"w:\n    D\n    E | use: v\nv:\n    F\nA | use: w", "", "A/ A/D/ A/E/ A/E/F/"},
		"optional left out":     {fields + "<client> <extra> x", "client=Oriel", "Oriel_x/"},
		"choice and yes-no":     {fields + "<kind:like-this> <gilding:Like This>", "kind=box", "bx_No/"},
		"copied folder":         {"K | copy: kit\n    mine", "", "K/ K/inner/ K/inner/empty.txt K/read.txt K/mine/"},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			x, err := grow(t, tt.text, strings.Fields(tt.args)...)
			require.NoError(t, err)
			got := strings.ReplaceAll(strings.ReplaceAll(outlineOf(x.Root), " ", "_"), "\n", " ")
			assert.Equal(t, tt.want, got)
		})
	}
}

func TestThreeDeepRepetitionInTenLines(t *testing.T) {
	x, err := grow(t, "Term <t>  | each: t in 1..4\n    <c>  | each: c in Case Binding, Leather, Boxes\n        <#> Handouts\n        <#> Drafts\n        <#> Finished\n        <#> Settled\n")
	require.NoError(t, err)
	assert.Equal(t, tree.Facts{Folders: 4 + 12 + 48, Levels: 3, Longest: "Term 1/Case Binding/01 Handouts", Length: 31}, tree.Measure(x.Root))
}

func TestErrorsOfTheWholeTemplate(t *testing.T) {
	header := func(s string) string { return "---\n" + s + "\n---\nA <client>\n" }
	tests := map[string]struct{ text, want string }{
		"empty":             {"// nothing\n\n", "1:1: this template has no folders"},
		"bad header":        {header("title: a: b"), "2:9: a text that holds a colon needs quotes"},
		"unknown key":       {header("tilte: a"), "2:1: there is no key \"tilte\" in a header (did you mean title?)"},
		"unknown field key": {header("fields: {client: {aks: Who?}}"), "2:19: there is no key \"aks\" in a field (did you mean ask?)"},
		"default in braces": {header("fields: {a: {type: list, default: x, y}}"), "between braces a comma ends a text (write default: [x, y])"},
		"example in braces": {header("fields: {a: {example: x, y}}"), "between braces a comma ends a text (write example: [x, y])"},
		"unknown type":      {header("fields:\n  client: {type: dat}"), "3:18: there is no type \"dat\" (did you mean date?)"},
		"default misfit":    {header("fields:\n  client: {type: number, max: 3, default: 4}"), "3:43: the default of \"client\" 4 is too large: at most 3"},
		"min over max":      {header("fields: {client: {type: number, min: 3, max: 2}}"), "`min` is larger than `max`"},
		"alias":             {header("title: &a x\nabout: *a"), "this sign has a meaning of its own in YAML"},
		"circle of is":      {header(`fields: {client: {is: "<b>"}, b: {is: "<client>"}}`), "is made from it"},
		"list of a choice":  {header("fields: {client: {type: choice}}"), "a choice needs the values that are allowed"},
		"unknown slot":      {"A <clint>", "1:3: there is no field named \"clint\" (what is asked stands in a header; write these lines at the top of the file:\n---\nfields:\n  clint: Which clint?\n---)"},
		"slot of the loop":  {"A <itm> | each: item in a, b", "1:3: there is no field named \"itm\" (this line repeats for each \"item\": write <item>)"},
		"slot of a list":    {"---\nfields: {l: {type: list}}\n---\nA <l>", "4:3: \"l\" is a list, and a name holds one value"},
		"loop item outside": {"A\n    <x> | each: x in 1..2\nB <x>", "3:3: there is no field named \"x\""},
		"unclosed":          {"A <b", "1:3: this slot is not closed (write <b>)"},
		"reserved":          {"A*", "1:2: a name cannot hold * (a hyphen works everywhere)"},
		"backwards":         {"A<x> | each: x in 9..1", "1:19: this range runs backwards: 9 comes after 1 (write 1..9)"},
		"mixed range":       {"A<x> | each: x in 1..B", "the ends of this range are of two kinds"},
		"no list":           {"---\nfields: {people: {type: list}}\n---\n<x> | each: x in peple", "4:18: there is no list called \"peple\" (did you mean people?)"},
		"when of a text":    {"---\nfields: {client: Who?}\n---\nA <client> | when: client", "\"client\" is a text: it is neither true nor false"},
		"when never":        {"---\nfields: {k: {of: [a, b]}}\n---\nA <k> | when: k is c", "this can never hold"},
		"one becomes two":   {"P\n    A | was: O\n    B | was: o\n", "3:14: line 2 says so as well"},
		"one path, two":     {"P\n    A\n        X | was: O/x\n    B\n        Y | was: O/x", "line 3 says so as well"},
		"part circle":       {"a:\n    X | use: b\nb:\n    Y | use: a\nZ | use: a", "the part \"a\" would lie in itself: a → b → a"},
		"part unknown":      {"wrok:\n    X\nZ | use: work\nA | use: wrok", "there is no part called \"work\" (did you mean wrok?)"},
		"fill of a folder":  {"A/ | fill: forms/a.md", "`fill` goes with a file"},
		"holds of a file":   {"a.md | blank | holds: x", "`holds` goes with a folder"},
		"copy climbs":       {"a.md | copy: ../secret.md", "1:14: a path cannot hold \"..\""},
		"copy absolute":     {"a.md | copy: /etc/passwd", "does not begin in the template's own folder"},
		"copy drive":        {"a.md | copy: C:/x.md", "does not begin in the template's own folder"},
		"copy missing":      {"a.md | copy: forms/b.md", "there is no \"forms/b.md\" beside the template"},
		"copy a folder":     {"a.md | copy: forms", "\"forms\" is a folder, and this line is a file"},
		"fill no text":      {"a.md | fill: latin1.txt", "is not a text in UTF-8"},
		"due when":          {"a.md | due: soon", "1:13: \"soon\" is no date"},
		"huge header":       {header("title: " + strings.Repeat("[", 3000)), "brackets lie more than 32 deep"},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			_, err := Parse("test.folders", tt.text, starters)
			require.Error(t, err)
			assert.Contains(t, err.Error(), tt.want)
		})
	}
	_, err := Parse("t", "A <x>\nB | eech: 1\nC*\n    D\n  E", nil)
	assert.Len(t, err, 4, "all errors of a file are told in one run: %v", err)
}

func TestErrorsOfOneTree(t *testing.T) {
	fields := "---\nfields: {a: {type: text}, y: {type: month}, z: {type: month}, n: {type: number}}\n---\n"
	for _, tt := range []struct{ line, args, want string }{
		{"<a:like-this>", "a=!!!", `4:1: a "!!!" holds no letter or digit`},
		{"<a>", "a=" + strings.Repeat("x", 300), "this name would have 300 characters (300 bytes)"},
		{"<m> | each: m in y..z", "y=2027-05 z=2027-01", "4:18: this range runs backwards: 2027-05 comes after 2027-01"},
		{"<n:A>", "n=0", `n "0" has no letter`},
		{"x.md | copy: forms/<a>.docx", "a=repair", `there is no "forms/repair.docx"`},
		{"<i> | each: i in 1..n", "n=10000000", "this would make 10000000 folders and files; at most 20000"},
		{"<i>\u0020| each: i in 1..n\n    <j> | each: j in 1..999999999999\n        <k> | each: k in 1..999999999999", "n=999", "more than can be counted"},
	} {
		_, err := grow(t, fields+tt.line, strings.Fields(tt.args)...)
		if assert.Error(t, err, tt.line) {
			assert.Contains(t, err.Error(), tt.want)
		}
	}
}

func TestWarnings(t *testing.T) {
	tpl, err := Parse("t", "---\nfields: {unused: x}\n---\nw:\n    A\nNotes.vol2\nempty.docx\nB | number: 3\nC.tmpl/\n", starters)
	require.NoError(t, err)
	var got []string
	for _, w := range tpl.Warnings {
		got = append(got, w.Error())
	}
	assert.Equal(t, []string{
		`2:10: the field "unused" is asked for but never used (write <unused> in a name, or remove the field)`,
		"4:1: the part \"w\" is never used (write `| use: w` behind a folder, or remove it)",
		`6:1: this line is read as a file, because its name ends in .vol2 (if it is a folder, write Notes.vol2/)`,
		"7:1: this file would be empty, and an empty .docx cannot be opened (begin it with `| copy: PATH` from a file of yours)",
		"8:5: this number is shown nowhere: the name has no <#> (write <#> where the number is to stand)",
	}, got)
}

func TestFillAndCopy(t *testing.T) {
	text := "---\nfields: {client: Who?, when: {type: date}}\n---\n<client:LT>\n    <stage> | each: stage in survey, survey 2\n        <client>.md | fill: forms/a.md\nx.docx | copy: forms/survey.docx\n"
	x, err := grow(t, text, "client=Pask / Wren", "when=today")
	require.NoError(t, err)
	read := func(path string) string {
		for p, n := range x.Root.All() {
			if p == path {
				r, err := n.Content.Open()
				require.NoError(t, err)
				data, err := io.ReadAll(r)
				require.NoError(t, err)
				return string(data)
			}
		}
		t.Fatalf("no %s in\n%s", path, outlineOf(x.Root))
		return ""
	}
	assert.Equal(t, "Pask / Wren & <b> PW\n2027 <client:nonsense> survey 2", read("PW/survey 2/Pask - Wren.md"))
	assert.Equal(t, "\x00\x01\xff", read("x.docx"))
	assert.Equal(t, []Change{{"client", "Pask / Wren", "Pask - Wren"}}, x.Changes)
}

func TestValuesAreCompletedFromDefaultsThenExamples(t *testing.T) {
	tpl, err := Parse("t", "---\nfields:\n  a: {example: x}\n  b: {default: y, example: z}\n  c: Which?\n  d: {is: \"<a:LT><b>\"}\n---\n<a> <b> <c> <d>", nil)
	require.NoError(t, err)
	x, err := tpl.Tree(tpl.Sample(nil, now), DefaultLimit)
	require.NoError(t, err)
	assert.Equal(t, "x y <c> Xy/", outlineOf(x.Root))
	var lacking []string
	for _, f := range tpl.Missing(nil) {
		lacking = append(lacking, f.Name)
	}
	assert.Equal(t, []string{"a", "c"}, lacking)
	_, errs := tpl.ParseValues(map[string]Raw{"d": {Text: "1"}, "e": {}, "a": {Items: []string{"x"}, List: true}, "b": {Text: " "}}, now)
	assert.Len(t, errs, 4)
}

func FuzzParse(f *testing.F) {
	f.Add("---\nfields:\n  a: {type: list, default: [x]}\n  n: {is: \"<y:yy>\"}\n  y: {type: term, of: [w, s]}\nrules: {depth: 3}\n---\nw:\n  D\n<#> <x:like-this> | each: x in a | when: n is 3 | use: w\n")
	f.Add("<d:yyyy> | each: d in 2027-01-01..2027-01-05\nA/B/c.md | fill: forms/a.md\n")
	f.Add("---\na: [}\n---\n")
	f.Fuzz(func(t *testing.T, text string) {
		tpl, err := Parse("t", text, starters)
		if err == nil {
			_, _ = tpl.Tree(tpl.Sample(nil, now), 200)
		}
	})
}

func TestWhatIsNotBuiltAtOnce(t *testing.T) {
	x, err := grow(t, "---\nfields: {begun: {type: date}}\n---\nA\n    <i> report.pdf | due: begun | each: i in 1..2\n    essay.md | due: <begun:yyyy>-12-24\n    Later | later\n        B\n    c.txt\n", "begun=2027-03-09")
	require.NoError(t, err)
	var due []string
	for _, n := range x.Root.Children[0].Children {
		if v, ok := x.Due[n]; ok {
			due = append(due, n.Name+" "+v.String())
		}
	}
	assert.Equal(t, []string{"1 report.pdf 2027-03-09", "2 report.pdf 2027-03-09", "essay.md 2027-12-24"}, due)
	assert.Equal(t, "A/\nA/c.txt", outlineOf(x.Root.Built()))
	assert.Len(t, x.Root.Children[0].Children, 5, "the whole tree stays as it was")
}

func TestAGuideIsAFileOfItsOwn(t *testing.T) {
	tpl, err := Parse("t", "fine\n    Guide | guide\n", nil)
	require.NoError(t, err)
	x, err := tpl.Tree(nil, 100)
	require.NoError(t, err)
	assert.Equal(t, tree.File, x.Root.Children[0].Child("Guide").Kind, "a clause that only files take makes a file of a leaf")
	for text, want := range map[string]string{"A\n    g.md | guide | blank\n": "either a `guide` or `blank`", "A\n    g.md | guide | fill: x\n": "a file that is `guide` does not `fill`", "A\n    g/ | guide\n": "`guide` goes with a file"} {
		_, err := Parse("t", text, nil)
		assert.ErrorContains(t, err, want)
	}
}
