package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A step is what somebody does who is new to the program: they write a file, or call a
// command, and what they read then has to lead on.
type step struct {
	write, text string // a file, and what is in it
	call        string // a command, its words apart by |
	status      int
	says        []string // all of it, in this order
	not         []string
}

func (d *desk) walk(steps []step) {
	d.t.Helper()
	for i, s := range steps {
		if s.write != "" {
			d.write(s.write, s.text)
			continue
		}
		out, status := d.run(strings.Split(s.call, "|")...)
		require.Equal(d.t, s.status, status, "step %d, %s:\n%s", i, s.call, out)
		rest := out
		for _, want := range s.says {
			at := strings.Index(rest, want)
			require.GreaterOrEqual(d.t, at, 0, "step %d, %s: %q in\n%s", i, s.call, want, out)
			rest = rest[at+len(want):]
		}
		for _, not := range s.not {
			require.NotContains(d.t, out, not, "step %d, %s", i, s.call)
		}
	}
}

// Somebody who designs gardens has a list in a mail, and has never programmed.
func TestAGardenDesignerComesToATemplateOfHerOwn(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "garden.txt", "- Garden\n  - Site visit\n    - photos\n  - Design\n  - Quotes\n")
	d.walk([]step{
		{call: "garden.txt", status: 2, says: []string{"what is to be done with \"garden.txt\"?", "vestibula show garden.txt"}},
		{call: "draft|garden|garden.txt", says: []string{"Wrote garden.folders", "vestibula show garden.folders"}},
		{write: "garden.folders", text: "<client name>\n  <#> Site visit\n    photos\n  <#> Design\n  <#> Quotes\n"},
		// What is missing is shown whole, so that it can be copied.
		{call: "check|garden", status: 1, says: []string{"write <client-name> here", "at the top of the file:", "---\n", "fields:\n", "client-name: Which client name?\n", "---\n", "1 error"}},
		{write: "garden.folders", text: "fields:\n  client-name: Which client name?\n---\n<client-name>\n  <#> Site visit\n    photos\n  <#> Design\n  <#> Quotes\n"},
		{call: "check|garden", status: 1, says: []string{"garden.folders:1:1", "a header begins with three hyphens", "above this line", "1 error"}, not: []string{"there is no field"}},
		{write: "garden.folders", text: "---\nfields:\n  client-name: Which client name?\n---\n<client-name>\n  <#> Site visit\n    photos\n  <#> Design\n  <#> Quotes\n"},
		{call: "check|garden", says: []string{"All is well with garden.folders"}},
		{call: "build|garden", status: 2, says: []string{"into which folder?", "--into ."}},
		{call: "build|garden|--into|Clients", status: 2, says: []string{"client-name=…"}},
		{call: "build|garden|--into|.", status: 2, says: []string{"client-name=…", "Which client name?"}},
		{call: "build|garden|--into|.|client=Rowan Ash", status: 2, says: []string{"client is not a field of this template, which has client-name"}},
		{call: "build|garden|--into|.|client-name=Rowan Ash", status: 1, says: []string{"+ Rowan Ash/", "Nothing was changed yet.", "to build it: vestibula build garden --into . client-name=\"Rowan Ash\" --yes"}},
		{call: "build|garden|--into|.|client-name=Rowan Ash|--yes", says: []string{"Built 5 folders in Rowan Ash"}},
		{call: "check|Rowan Ash", says: []string{"All is well with Rowan Ash"}},
		{write: "Rowan Ash/03 Quotes/first quote.odt", text: "mine"},
		{write: "garden.folders", text: "---\nfields:\n  client-name: Which client name?\n---\n<client-name>\n  <#> Site visit\n    photos\n  <#> Survey\n  <#> Design\n  <#> Quotes and bills | was: Quotes\n"},
		{call: "upgrade|Rowan Ash", status: 1, says: []string{"» 02 Design/ → 03 Design/", "» 03 Quotes/ → 04 Quotes and bills/", "Nothing was changed yet."}},
		{call: "upgrade|Rowan Ash|--yes", says: []string{"Upgraded Rowan Ash: 3 changes", "To take it back: vestibula undo"}},
		{call: "check|Rowan Ash", says: []string{"All is well"}},
		{call: "undo|--yes", says: []string{"Undone: 2 moved, 1 removed"}},
		{call: "history", says: []string{"build", "upgrade", "undone by"}},
	})
	assert.Equal(t, "mine", d.read("Rowan Ash/03 Quotes/first quote.odt"))
}

// A teacher has a class list, and numbers that sort wrongly.
func TestATeacherBuildsForAClass(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "class.csv", "First name,Last name,Group\nWren,Abbott,A\nJun,Teague,B\nOla,Marrow,C\n")
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "School"), 0o777))
	header := "---\nfields:\n  first-name: First name?\n  last-name: Last name?\n  group: { of: [A, B] }\n---\n"
	d.walk([]step{
		{call: "draft|class|class.csv", status: 2, says: []string{"class.csv is a table", "<first-name>, <last-name>, <group>", "--table class.csv"}},
		{write: "class.folders", text: "---\nfields:\n  first name: First name?\n  last-name: Last name?\n  group: { of: A, B }\n---\n<group>\n    <last-name>, <first name>\n        Week 1\n        Week 2\n        Week 10\n"},
		{call: "check|class", status: 1, says: []string{"write first-name: here, and <first-name>", "between braces a comma ends a text", "write of: [A, B]", "2 errors"}},
		{write: "class.folders", text: header + "<group>\n    <last-name>, <first-name>\n        Week 1\n        Week 2\n        Week 10\n"},
		{call: "check|class", says: []string{"warning", "“Week 10” would stand before “Week 2”", "1 warning"}},
		{call: "check|class|--fix|--yes", says: []string{"Week 01", "Fixed 2 lines"}},
		{call: "check|class", says: []string{"All is well"}},
		{call: "build|class|--into|School|--table|class.csv|--yes", status: 1, says: []string{"row 4", "\"C\" is not one of A, B", "Nothing was built: 1 row cannot be built", "--only-good"}},
		{call: "build|class|--into|School|--table|class.csv|--only-good|--mark|--yes", says: []string{"Built 2 rows: 10 folders in School", "left out: row 4, which cannot be built", "Marked 2 rows"}},
		{call: "check|School", says: []string{"✓ A/Abbott, Wren", "✓ B/Teague, Jun", "All is well with 2 projects"}},
		{call: "undo|--yes", says: []string{"Undone"}},
	})
	assert.NotContains(t, d.read("class.csv"), "yes", "the marks go with what they stand for")
}

// A clerk has a shared drive of months that nobody built from anything.
func TestAClerkBringsASharedDriveIntoOrder(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, month := range []string{"2027-01", "2027-02", "2027-03"} {
		for _, day := range []string{"03", "17"} {
			d.write("Shared/"+month+"/Invoices/"+month+"-"+day+" paper mill.pdf", "made up "+month+day)
		}
		d.write("Shared/"+month+"/Letters/.keep", "")
	}
	d.write("Shared/2027-02/Letters/CON.txt", "a letter")
	d.write("In/2027-03-29 glue works.pdf", "late")
	d.walk([]step{
		{call: "check|Shared", status: 1, says: []string{"error    2027-02/Letters/CON.txt", "CON is the name of a device there [systems]", "Checked against the default rules: no template is known"}},
		{call: "next|Shared/2027-03", status: 2, says: []string{"\"Shared/2027-03\" was not built from a template", "check Shared/2027-03 --template NAME"}},
		{call: "draft|office|Shared/2027-01|Shared/2027-03", says: []string{"month", "Proven", "Wrote office.folders"}},
		{call: "check|Shared|--template|office", status: 1, says: []string{"✓ 2027-01", "✗ 2027-02", "✓ 2027-03", "CON.txt"}, not: []string{"<#>"}},
		{call: "read|office|--in|Shared/2027-03", says: []string{"2 names of 2 read"}},
		{call: "put|In|--into|Shared", status: 2},
	})
	assert.Equal(t, "a letter", d.read("Shared/2027-02/Letters/CON.txt"))
}

// Whatever is said of a real folder never speaks of a template's text, and the other way
// round.
func TestAdviceFitsWhatItIsAbout(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "Studio\n    1 a\n    10 b\n    2 c\n    _Old\n    new folder\n    Aux\n    Report.\n    a  b\n")
	for _, name := range []string{"1 a", "10 b", "2 c", "_Old", "new folder", "Aux", "Report.", "05 x", "05 y"} {
		require.NoError(t, os.MkdirAll(filepath.Join(d.dir, "Studio", name), 0o777))
	}
	out, _ := d.run("check", "Studio", "--template", "t")
	for _, word := range []string{"<#>", "| number", "its line", "header", "write :0"} {
		assert.NotContains(t, out, word)
	}
	out, _ = d.run("check", "t")
	for _, word := range []string{"rename it", "move it", "look for what is gone"} {
		assert.NotContains(t, out, word)
	}
}
