package naming

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/template"
	"vestibula/core/value"
)

var now = time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC)

const header = `---
fields:
  client: Who?
  received: { type: date }
  term: { type: term, of: [spring, autumn] }
names:
  scan:
    pattern: "<received:yyyy-mm-dd> <client:like-this> <side> <n:000>"
    fields: { side: { of: { R: recto, V: verso } }, n: { next: yes, max: 12 } }
    for: [tif, .JPG]
  note: "<day:yyyy-mm> <term> <topic>"
  plain: "<client:LT>-<k:00>"
---
A
`

func parse(t *testing.T) *template.Template {
	t.Helper()
	tpl, err := template.Parse("t", header, nil)
	require.NoError(t, err)
	return tpl
}

func TestFileNamesAreReadByTheConventionTheyFit(t *testing.T) {
	r := NewReader(parse(t).Names)
	for name, want := range map[string]string{
		"2027-03-09 oriel-pask R 007.TIF":    "scan: 2027-03-09 | oriel pask | R | 7",
		"2027-03 2027 autumn Gold leaf.docx": "note: 2027-03 | 2027 autumn | Gold leaf",
		"OP-07":                              "plain: OP | 7",
		"2027-03-09 oriel-pask R 007.tar.gz": "! 27 the name should end here",
		"2027-03-09 oriel-pask R 007.pdf":    "! 27 the ending must be .tif or .jpg",
		"2027-03-09 oriel-pask V 13.tif":     "! 24 <n> needs three digits",
		".hidden":                            "! 0 the year needs four digits",
	} {
		c, values, misfit := r.Read(name)
		if misfit != nil {
			assert.Equal(t, want, "! "+value.OfNumber(misfit.At).String()+" "+misfit.Message, name)
			continue
		}
		texts := make([]string, len(values))
		for i, v := range values {
			texts[i] = v.String()
		}
		assert.Equal(t, want, c.Name+": "+strings.Join(texts, " | "), name)
	}
}

// What reads a name is held against a count in the text of the patterns and against
// each convention alone.
func TestTheConventionWithTheFewestFreeTextsReads(t *testing.T) {
	parts := []string{"<a:like-this>", "<b>", "<n:00>", "<d:yyyy-mm>", "<s>", "oak", "Ölé", "rope"}
	free := map[string]bool{"<a:like-this>": true, "<b>": true}
	words := []string{"oak", "Ölé", "rope", "chair", "07", "2027-03", "recto"}
	tied, read := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		var header strings.Builder
		patterns := map[string][]string{}
		for _, name := range []string{"one", "two", "three"}[:rapid.IntRange(2, 3).Draw(t, "conventions")] {
			patterns[name] = append(rapid.SliceOfNDistinct(rapid.SampledFrom(parts[5:]), 0, 1, rapid.ID).Draw(t, "words"),
				rapid.SliceOfNDistinct(rapid.SampledFrom(parts[:5]), 1, 2, rapid.ID).Draw(t, "slots")...)
			text := strings.Join(patterns[name], " ")
			fmt.Fprintf(&header, "  %s: { pattern: %q", name, text)
			if strings.Contains(text, "<s>") {
				header.WriteString(", fields: { s: { of: [recto, verso] } }")
			}
			header.WriteString(" }\n")
		}
		tpl, err := template.Parse("t", "---\nnames:\n"+header.String()+"---\nA\n", nil)
		require.NoError(t, err)
		name := strings.Join(rapid.SliceOfN(rapid.SampledFrom(words), 1, 4).Draw(t, "name"), " ")

		var best []string
		least := math.MaxInt
		for _, c := range tpl.Names {
			if _, _, misfit := NewReader([]*template.Convention{c}).Read(name); misfit != nil {
				continue
			}
			rank := -(len(patterns[c.Name]) - 1) // the blanks between the parts
			for _, part := range patterns[c.Name] {
				switch {
				case free[part]:
					rank += 1000
				case part[0] != '<':
					rank -= utf8.RuneCountInString(part)
				}
			}
			switch {
			case rank < least:
				best, least = []string{c.Name}, rank
			case rank == least:
				best = append(best, c.Name)
			}
		}
		c, _, misfit := NewReader(tpl.Names).Read(name)
		switch len(best) {
		case 0:
			require.NotNil(t, misfit)
			require.False(t, misfit.Tied)
		case 1:
			read++
			require.Nil(t, misfit, "%v", patterns)
			require.Equal(t, best[0], c.Name)
		default:
			tied++
			require.NotNil(t, misfit, "%v", patterns)
			require.True(t, misfit.Tied)
			require.Contains(t, misfit.Message, "both “"+best[0]+"” and “"+best[1]+"”")
		}
	})
	assert.NotZero(t, read)
	t.Logf("%d read, %d tied", read, tied)

	tpl, err := template.Parse("t", "---\nnames: { one: \"Ölé <b>\", two: \"<b> rope\" }\n---\nA\n", nil)
	require.NoError(t, err)
	c, _, _ := NewReader(tpl.Names).Read("Ölé rope")
	assert.Equal(t, "two", c.Name, "characters count, not bytes")
}

func TestTheFolderAroundAFileSaysWhichConventionsReadIt(t *testing.T) {
	tpl, err := template.Parse("t", `---
fields: { client: Who? }
names: { letter: "<to:like-this> <n:00>", invoice: "<due:like-this> <n:00>", rope: "rope <n:00>" }
---
<client>
  01 Letters | holds: letter
  02 Invoices | holds: invoice
  03 All | holds: letter, invoice
`, nil)
	require.NoError(t, err)
	f := NewFolders(tpl)
	for _, tt := range []struct{ folder, name, want string }{
		{"01 Letters", "jun 07.pdf", "letter"}, {"02 Invoices", "jun 07.pdf", "invoice"}, {"02 Invoices", "rope 07", "invoice"},
		{"elsewhere", "rope 07", "rope"}, {"elsewhere", "jun 07", "!it fits both “letter” and “invoice”, and neither better"},
		{"03 All", "rope 07", "!it fits both “letter” and “invoice”, and neither better"}, {"01 Letters", "jun", "!the name ends too early: “ ” belongs here"},
	} {
		c, _, misfit := f.Read(tt.folder, tt.name)
		if misfit != nil {
			assert.Equal(t, tt.want, "!"+misfit.Message, tt)
		} else {
			assert.Equal(t, tt.want, c.Name, tt)
		}
	}
}

func TestANameIsReadAsItWasWritten(t *testing.T) {
	tpl, err := template.Parse("t", "---\nfields: { client: { max: 10 } }\nnames: { note: \"<day:yyyy-mm> <client:like-this> <what>\" }\n---\nA\n", nil)
	require.NoError(t, err)
	c := tpl.Names[0]
	values := func(what string) template.Values {
		return template.Values{"day": value.Value{Kind: value.Date, Year: 2027, Part: 3, Day: 9}, "client": value.Of("Åsgerd Ölvane"), "what": value.Of(what)}
	}
	assert.NoError(t, Check(c, "2027-03 asgerd first draft.md", values("first draft")))
	assert.ErrorContains(t, Check(c, "2027-03 asgerd v1.draft", values("v1.draft")), "read back with what \"v1\", not \"v1.draft\"")
	assert.ErrorContains(t, Check(c, "2027-3 asgerd x", values("x")), "could not be read back")
}

func TestFilters(t *testing.T) {
	tpl := parse(t)
	scan := []string{"2027-03-09 asgerd-olvane R 007.tif", "2027-04-01 jun-teague V 008.tif", "2028-01-01 jun-teague R 012.jpg"}
	for _, tt := range []struct{ filter, want string }{
		{"client=Åsgerd Ölvane", "7"}, {"client=JUN_TEAGUE", "8 12"}, {"received=2027-03", "7"}, {"received=2027-Q1", "7"}, {"received=2027", "7 8"}, {"received=2027-W14", ""},
		{"received=2027-W13", "8"}, {"received=2027-03-10..2028-01", "8 12"}, {"received=..2027-04-01", "7 8"}, {"received=2027-04..", "8 12"}, {"n=8..", "8 12"}, {"n=..8", "7 8"}, {"n=12", "12"},
		{"side=recto", "7 12"}, {"side=V", "8"}, {"received=soon", "! no date"}, {"n=a..b", "! whole number"}, {"side=X", "! not one of"}, {"client=a..b", "! a range goes with"}, {"client", "! write field=value"},
	} {
		f, err := NewFilter(tt.filter, now)
		var keep func([]value.Value) bool
		if err == nil {
			keep, err = prepared(f, tpl.Convention("scan"))
		}
		if reason, bad := strings.CutPrefix(tt.want, "! "); bad {
			assert.ErrorContains(t, err, reason, tt.filter)
			continue
		}
		require.NoError(t, err)
		var got []string
		r := NewReader(tpl.Names)
		for _, name := range scan {
			if _, values, _ := r.Read(name); keep(values) {
				got = append(got, values[3].String())
			}
		}
		assert.Equal(t, tt.want, strings.Join(got, " "), tt.filter)
	}
	f, err := NewFilter("nobody=x", now)
	require.NoError(t, err)
	keep, err := prepared(f, tpl.Convention("plain"))
	assert.True(t, keep == nil && err == nil)
}

func TestConventionsThatCannotBe(t *testing.T) {
	names := func(s string) string {
		return "---\nfields: {client: Who?, l: {type: list}}\nnames:\n" + s + "\n---\nA <client>\n"
	}
	for text, want := range map[string]string{
		names(`  a: "no slot"`):                        "4:7: this convention has no slot",
		names(`  a: "<x:00"`):                          "this slot is not closed",
		names(`  a: "<x:lik-this>"`):                   "4:10: the form \"lik-this\" does not suit a text",
		names(`  a: "<client:00>"`):                    "the form \"00\" does not suit a text",
		names(`  a: "<l> <n:00>"`):                     "\"l\" is a list",
		names(`  a: {fields: {n: x}}`):                 "the convention \"a\" has no pattern",
		names(`  a: {pattern: "<n>", feilds: {n: x}}`): "no key \"feilds\" in a convention (did you mean fields?)",
		names(`  a: {pattern: "<n><m>", fields: {n: {next: yes}, m: {next: yes}}}`): "\"n\" and \"m\" cannot both be the next number",
		names(`  a: {pattern: "<n>", fields: {n: {type: date, next: yes}}}`):        "`next` goes with a number",
		names(`  a: {pattern: "<client>", fields: {client: x}}`):                    "\"client\" is a field of the template already",
		names(`  a: "<#> <n>"`):                                      "<#> is for folders",
		names(`  a: "<d:yyyy-mm> <d:00>"`):                           "does not suit a text",
		"---\nnames: {scan: \"<n:00>\"}\n---\nA | holds: scam, scan": "4:12: there is no naming convention \"scam\" (did you mean scan?)",
	} {
		_, err := template.Parse("t", text, nil)
		if assert.Error(t, err, text) {
			assert.Contains(t, err.Error(), want)
		}
	}
	tpl, err := template.Parse("t", names(`  a: "<clint> <d:mm-dd> <d:yyyy> <e:yyyy-Qq> <f:a>"`), nil)
	require.NoError(t, err)
	require.Len(t, tpl.Warnings, 2)
	assert.Equal(t, "the slot \"clint\" is new here, and one letter beside the field \"client\"", tpl.Warnings[1].Message)
	var kinds []string
	for _, f := range tpl.Names[0].Fields {
		kinds = append(kinds, f.Type.Kind.String())
	}
	assert.Equal(t, []string{"text", "date", "quarter", "number"}, kinds)
}

func FuzzFiltersNeverPanic(f *testing.F) {
	for _, seed := range []string{"client=x", "received=2027-01..", "n=..7", "n=a..b", "side=R", "==", "received=2027-W54"} {
		f.Add(seed)
	}
	tpl, err := template.Parse("t", header, nil)
	require.NoError(f, err)
	r := NewReader(tpl.Names)
	f.Fuzz(func(t *testing.T, text string) {
		filter, err := NewFilter(text, now)
		if err != nil {
			return
		}
		for _, c := range tpl.Names {
			keep, err := prepared(filter, c)
			if err == nil && keep != nil {
				_, values, misfit := r.Read("2027-03-09 oriel-pask R 007.tif")
				if misfit == nil && c.Name == "scan" {
					keep(values)
				}
			}
		}
	})
}

// prepared is what a filter means for the names of a convention; nil where that has no such field.
func prepared(f Filter, c *template.Convention) (func([]value.Value) bool, error) {
	for i, field := range c.Fields {
		if field.Name == f.Field {
			holds, err := f.Test(&field.Type)
			return func(values []value.Value) bool { return err == nil && holds(values[i]) }, err
		}
	}
	return nil, nil
}
