package template

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/outline"
)

// describe writes a node on one line.
func describe(n *Node) string {
	switch n.Kind {
	case Sequence:
		parts := make([]string, len(n.List))
		for i, it := range n.List {
			parts[i] = describe(it)
		}
		return "[" + strings.Join(parts, " ") + "]"
	case Mapping:
		parts := make([]string, len(n.Pairs))
		for i, p := range n.Pairs {
			parts[i] = p.Key + ":" + describe(p.Value)
		}
		return "{" + strings.Join(parts, " ") + "}"
	case Null:
		return "-"
	}
	return strings.ReplaceAll(n.Text, "\n", "/")
}

func TestHeadersKeepWhatWasWritten(t *testing.T) {
	tests := map[string]string{
		"":                                     "{}",
		"# only a remark\n":                    "{}",
		"a: yes\nb: no\nc: on":                 "{a:yes b:no c:on}",
		"a: 007\nb: 1.50\nc: 2027-03-09":       "{a:007 b:1.50 c:2027-03-09}",
		"a: true\nb: null\nc:\nd: ~":           "{a:true b:- c:- d:-}",
		"a: \"x: y\"\nb: 'it''s'":              "{a:x: y b:it's}",
		"a: [x, 1, \"y z\"]":                   "{a:[x 1 y z]}",
		"a:\n  - x\n  - y":                     "{a:[x y]}",
		"a: { 90: Settled, BK: book }":         "{a:{90:Settled BK:book}}",
		"a: |\n  two\n  lines\n":               "{a:two/lines/}",
		"a: >\n  folded\n  lines\n":            "{a:folded lines/}",
		"a: Who is it for?  # a remark":        "{a:Who is it for?}",
		"is: \"<client:LT><received:yy>\"":     "{is:<client:LT><received:yy>}",
		"is: <client:LT><received:yy>":         "{is:<client:LT><received:yy>}",
		"größe: { example: Åsgerd Ölvane 日本 }": "{größe:{example:Åsgerd Ölvane 日本}}",
		"a: {b: {c: {d: [e, {f: g}]}}}":        "{a:{b:{c:{d:[e {f:g}]}}}}",
		"a: ''":                                "{a:}",
	}
	for text, want := range tests {
		n, errs := ParseYAML(text, 1)
		if assert.Empty(t, errs, text) {
			assert.Equal(t, want, describe(n), text)
		}
	}
}

func TestHeadersThatCannotBeReadSayWhere(t *testing.T) {
	tests := []struct {
		text, want string
		line       int
	}{
		{"a: b: c", "1:5: a text that holds a colon needs quotes (write a: \"b: c\")", 1},
		{"a: \"b\" or c: d", "1:7: something stands behind the second quotation mark", 1},
		{"a: x\na: y", "this key stands here a second time", 2},
		{"a: [x", "a bracket in this line is not closed", 1},
		{"b: {\n  c: d\na: x", "a bracket in this line is not closed", 1},
		{"a: \"x", "1:4: the quotation mark \" at the begin of this text has no second one (write a: \"x\")", 1},
		{"a: Who is it:", "1:13: a text that holds a colon needs quotes (write a: \"Who is it:\")", 1},
		{"a: @x", "1:4: a text that begins with @ needs quotes (write a: \"@x\")", 1},
		{"a: x\nb", "2:1: a colon is missing in this line", 2},
		{"f:\n  b Who is it?\n  c: x", "2:3: a colon is missing in this line (write b: Who is it?)", 2},
		{"b:Who?\nc: x", "1:1: a space is missing behind the colon (write b: Who?)", 1},
		{"f:\n\tb: x", "2:1: a tab stands at the begin of this line", 2},
		{"f:\n  b: x\n c: y", "3:1: this line is indented by 1 space, and its neighbours are not", 3},
		{"t: |\n  any: thing: here\nb: @", "3:4: a text that begins with @", 3},
		{"a: &x y\nb: *x", "this sign has a meaning of its own in YAML", 1},
		{"a: !!str 7", "this sign has a meaning of its own in YAML", 1},
		{"a: x\n---\nb: y", "this text has two halves", 3},
	}
	for _, tt := range tests {
		_, errs := ParseYAML(tt.text, 1)
		if assert.NotEmpty(t, errs, tt.text) {
			assert.Contains(t, errs[0].Error(), tt.want, tt.text)
			assert.Equal(t, tt.line, errs[0].Line, tt.text)
		}
	}
}

func TestFieldsAreReadFromTheHeader(t *testing.T) {
	tpl, err := Parse("t", `---
fields:
  client: Who is it for?
  bare:
  kind: { of: { BK: book, BX: box }, default: BK }
  size: { of: [small, large] }
  n: { type: number, min: 1, max: 30, example: 7 }
  short: { max: 10, default: "" }
  month: { type: month, months: [Jan, Feb, Mär, Apr, Mai, Jun, Jul, Aug, Sep, Okt, Nov, Dez] }
  ref: { is: "<client:LT><n:00>" }
---
<client> <bare> <kind> <size> <n> <short> <month:mmmm> <ref>
`, nil)
	require.NoError(t, err)
	var got []string
	for _, f := range tpl.Fields {
		line := f.Name + " " + f.Type.Kind.String() + " " + f.Ask
		if f.Optional {
			line += " optional"
		}
		if f.Made() {
			line += " made"
		}
		got = append(got, line)
	}
	assert.Equal(t, []string{
		"client text Who is it for?",
		"bare text Bare?",
		"kind choice Kind?",
		"size choice Size?",
		"n number N?",
		"short text Short? optional",
		"month month Month?",
		"ref text Ref? made",
	}, got)
	assert.Equal(t, "BK (book), BX (box)", tpl.Field("kind").Type.Allowed())
	var parts []string
	for _, f := range tpl.Ingredients(tpl.Field("ref")) {
		parts = append(parts, f.Name)
	}
	assert.Equal(t, []string{"client", "n"}, parts)
	values, errs := tpl.ParseValues(map[string]Raw{"client": {Text: "Åsgerd Ölvane"}, "n": {Text: "3"}}, now)
	require.Empty(t, errs)
	values, err = tpl.WithMade(values)
	require.NoError(t, err)
	assert.Equal(t, "AO03", values["ref"].String())
}

func TestHeadersWithMistakes(t *testing.T) {
	tests := map[string]string{
		"fields: [client]":                             "`fields` needs keys with values, not a list",
		"fields: { 1st: x }":                           "\"1st\" cannot name a field",
		"fields: { not: x }":                           "\"not\" cannot name a field",
		"fields: { a: [x] }":                           "`a` needs keys with values",
		"fields: { a: { type: [date] } }":              "`type` needs a text, not a list",
		"fields: { a: { of: 3 } }":                     "`of` needs a list of the values that are allowed",
		"fields: { a: { of: [x, X] } }":                "\"X\" stands here twice",
		"fields: { a: { of: [x/y] } }":                 "\"x/y\" cannot be part of a name",
		"fields: { a: { type: date, of: [x] } }":       "`of` goes with a choice or a term, not with a date",
		"fields: { a: { type: date, min: 3 } }":        "`min` goes with a number or a text, not with a date",
		"fields: { a: { type: number, max: many } }":   "\"many\" is not a whole number that can be used here",
		"fields: { a: { months: [Jan, Feb] } }":        "`months` needs the names of the twelve months",
		"fields: { a: { type: list, default: [..] } }": "the default of \"a\" has an item that",
		"fields: { a: { type: date, example: soon } }": "the example of \"a\" \"soon\" is not a date",
		"fields: { a: { is: \"<b>\" } }":               "there is no field named \"b\"",
		"fields: { a: { is: \"<a>\" } }":               "is made from it",
		"fields: { a: { is: x, type: date } }":         "so it is a text",
		"fields: { a: { type: term, of: [] } }":        "",
		"title: [x]":                                   "`title` needs a text, not a list",
		"fields: { a: { ask: Who, is it? } }":          "write ask: \"Who, is it?\"",
		"fields: { a: { of: x, y, z } }":               "write of: [x, y, z]",
		"fields: { a: { pattern: <x> } }":              "it belongs to a naming convention",
		"names: { a: { ask: x } }":                     "it belongs to a field",
		"rules: depth":                                 "`rules` needs keys with values, not a text",
		"ignore: { a: b }":                             "`ignore` needs a list, not keys with values",
		"names: x":                                     "`names` needs keys with values, not a text",
		"names: { 1: x }":                              "\"1\" cannot name a convention",
		"fields: { a: { type: date, without: x } }":    "`without` goes with a text, and \"a\" is a date",
		"fields: { a: { without: \"  \" } }":           "`without` needs a text",
		"fields: { a: { without: \" - \" } }":          "",
		"names: { x: { pattern: \"<n> <b>\", fields: { n: { type: number, next: yes, per: \"<c>\" } } } }": "name one of b",
		"names: { x: { pattern: \"<n> <b>\", fields: { n: { type: number, next: yes, per: \"<n>\" } } } }": "cannot count apart for itself",
	}
	for header, want := range tests {
		_, err := Parse("t", "---\n"+header+"\n---\nA <a>\n", nil)
		if want != "" {
			assert.ErrorContains(t, err, want, header)
		}
	}
}

// What follows from a header that cannot be read is not told beside it.
func TestAMistakeOfAHeaderIsToldOnce(t *testing.T) {
	for text, want := range map[string]string{
		"---\nfields:\n  a: b: c\nnames: { x: \"<a>\" }\n---\nA <a> | holds: x\n": "3:7: a text that holds a colon",
		"---\nfields:\n  a Who?\n---\nA <a>\n    <b> | when: a\n":                 "3:3: a colon is missing",
		"fields:\n  a: Who?\n---\nA <a>\n":                                        "1:1: a header begins with three hyphens",
		"A <a>\n---\nfields:\n  a: Who?\n---\n":                                   "2:1: a header stands at the top",
		"---\nfields:\n  a: Who?\nA <a>\n":                                        "4:1: this header has no end",
		"---\nfields:\n  first name: Who?\n---\nA <first name>\n":                 "3:3: \"first name\" cannot name a field",
		"---\nfields: { k: { of: A, B } }\n---\nA <k>\n":                          "2:20: between braces a comma ends a text",
	} {
		_, err := Parse("t", text, nil)
		var errs outline.Errors
		if assert.ErrorAs(t, err, &errs, text) && assert.Len(t, errs, 1, text) {
			assert.Contains(t, errs[0].Error(), want)
		}
	}
}

func TestYAMLHasABudget(t *testing.T) {
	for text, want := range map[string]string{
		strings.Repeat("x", MaxYAML+1):                  "larger than 256 KB",
		"a: " + strings.Repeat("[", 33):                 "brackets lie more than 32 deep",
		"a: {b: " + strings.Repeat("{", 33):             "brackets lie more than 32 deep",
		strings.Repeat("k: x\n", maxKeys+1):             "more than 2000 lines with a key",
		"a:\n" + strings.Repeat(" ", 201) + "b: x":      "indented by more than 200 columns",
		"fields:\n" + strings.Repeat("  f: x\n", 2_000): "more than 2000 lines with a key",
	} {
		_, errs := ParseYAML(text, 1)
		if assert.Len(t, errs, 1) {
			assert.Contains(t, errs[0].Message, want)
		}
	}
	_, errs := ParseYAML("a: "+strings.Repeat("[", 32)+strings.Repeat("]", 32)+"\nb: ']['\n", 1)
	assert.Empty(t, errs)
}

func TestPartsAreCountedBeforeTheyAreUsed(t *testing.T) {
	var text strings.Builder
	for i := range 40 {
		fmt.Fprintf(&text, "p%d:\n    a | use: p%d\n    b | use: p%d\n", i, i+1, i+1)
	}
	_, err := Parse("t.folders", text.String()+"p40:\n    x\nRoot | use: p0\n", nil)
	require.ErrorContains(t, err, "more than 200000 lines")
	var fields strings.Builder
	for i := range MaxFields + 1 {
		fmt.Fprintf(&fields, "  f%d: x\n", i)
	}
	_, err = Parse("t.folders", "---\nfields:\n"+fields.String()+"---\nA\n", nil)
	require.ErrorContains(t, err, "a template has at most 300 fields")
	_, err = Parse("t.folders", "---\nfields: { k: { of: ["+strings.Repeat("a, ", MaxOptions)+"b] } }\n---\nA <k>\n", nil)
	require.ErrorContains(t, err, "at most 1000 values can be listed")
	var names strings.Builder
	for i := range MaxConventions + 1 {
		fmt.Fprintf(&names, "  n%d: <x>\n", i)
	}
	_, err = Parse("t.folders", "---\nnames:\n"+names.String()+"---\nA\n", nil)
	require.ErrorContains(t, err, "at most 100 naming conventions")
	for _, loop := range []string{"0..<#>", "<#>..3", "<#:00>..<#:00>"} {
		_, err := Parse("t.folders", "C | each: x in "+loop+"\n", nil)
		require.ErrorContains(t, err, "<#> numbers what is repeated")
	}
}

func FuzzParseYAML(f *testing.F) {
	f.Add("a: [b, {c: d}]\ne: |\n  text\n")
	f.Add("fields:\n  n: { type: number, max: 3 }\n")
	f.Fuzz(func(t *testing.T, text string) {
		root, errs := ParseYAML(text, 1)
		if root == nil && len(errs) == 0 {
			t.Fatal("neither a node nor an error")
		}
		for _, e := range errs {
			if e.Line < 1 || e.Message == "" {
				t.Fatalf("an error without a place: %+v", e)
			}
		}
	})
}
