package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/cli"
	"vestibula/core/outline"
)

const clientTemplate = `---
title: Client
fields:
  client: Who is it for?
  received: { ask: When?, type: date }
  stages: { type: list, default: [survey, repair] }
  gilding: { type: yes-no, default: no }
---
<client>
    <#> Notes
        hello.md | fill: forms/hello.md
    <#> <stage> | each: stage in stages
    <#> Gold | when: gilding | note: leaf
    form.bin | copy: forms/form.bin
`

func clientDesk(t *testing.T) *desk {
	return newDesk(t, "client.folders", clientTemplate, "forms/hello.md", "Dear <client>,\n<received:d mmmm yyyy> <b>\n", "forms/form.bin", "\x00\xff\n\r", "out/own.txt", "mine")
}

func TestAPastedListBuildsInOneCommand(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "Desktop/x", "")
	d.in = "  Commission\n      Agreement\n      Condition survey\n      Photographs\n"
	out, status := d.run("build", "-", "--into", "Desktop", "--yes", "--no-label")
	assert.Zero(t, status, out)
	assert.Equal(t, []string{"Commission/", "Commission/Agreement/", "Commission/Condition survey/", "Commission/Photographs/", "x"}, d.has("Desktop"))
	assert.Equal(t, "Built 4 folders in Desktop/Commission\n", out)
}

func TestBuildPreviewsBuildsAndLeavesALabel(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	args := []string{"build", "client", "--into", "out", "client=Åsgerd / Ölvane", "received=2027-03-09"}
	out, status := d.run(append(args, "--preview")...)
	assert.Zero(t, status)
	assert.Contains(t, out, "+     01 Notes/")
	assert.Contains(t, out, "A preview: nothing was changed.")
	out, status = d.run(args...)
	assert.Equal(t, 1, status, "without a terminal and without --yes nothing is changed")
	assert.Contains(t, out, "to build it: vestibula build")
	assert.Equal(t, []string{"own.txt"}, d.has("out"))

	out, status = d.run(append(args, "--yes")...)
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Built 4 folders and 2 files in out/Åsgerd - Ölvane")
	assert.Contains(t, out, "in names, the client “Åsgerd / Ölvane” is written “Åsgerd - Ölvane”")
	root := "out/Åsgerd - Ölvane/"
	assert.Equal(t, "Dear Åsgerd / Ölvane,\n9 March 2027 <b>\n", d.read(root+"01 Notes/hello.md"))
	assert.Equal(t, "\x00\xff\n\r", d.read(root+"form.bin"))
	var label struct {
		Vestibula int
		Text      string
		Values    map[string]any
	}
	require.NoError(t, json.Unmarshal([]byte(d.read(root+".vestibula.json")), &label))
	assert.Equal(t, clientTemplate, label.Text)
	assert.Equal(t, map[string]any{"client": "Åsgerd / Ölvane", "received": "2027-03-09", "stages": []any{"survey", "repair"}, "gilding": "no"}, label.Values)

	d.write(root+"01 Notes/hello.md", "edited")
	require.NoError(t, os.Remove(filepath.Join(d.dir, root, "form.bin")))
	out, status = d.run(append(args, "--yes")...)
	assert.Zero(t, status)
	assert.Contains(t, out, "Built 0 folders and 1 file")
	assert.Contains(t, out, "kept as it is, though not what the template would write: Åsgerd - Ölvane/01 Notes/hello.md")
	assert.Equal(t, "edited", d.read(root+"01 Notes/hello.md"))
	out, _ = d.run(append(args, "--yes")...)
	assert.Contains(t, out, "Nothing to do: all of it is there already")
}

func TestValuesFromAFile(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	d.write("v.yaml", "client: Oriel\nreceived: 2027-03-09\nstages: [one, two]\ngilding: yes\n")
	d.write("v.json", `{"client": "Oriel", "received": "2027-03-09", "stages": ["one", "two"], "gilding": true}`)
	for _, file := range []string{"v.yaml", "v.json"} {
		out, status := d.run("show", "client", "--values", file, "client=Jun")
		assert.Zero(t, status, out)
		for _, want := range []string{"Jun/", "02 one/", "03 two/", "04 Gold/        leaf"} {
			assert.Contains(t, out, want)
		}
	}
	d.write("bad.yaml", "client: {a: b}\n")
	out, status := d.run("show", "client", "--values", "bad.yaml")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, `bad.yaml:1: "client" cannot be a value`)
}

func TestJSONOfEachCommandThatReports(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	for _, tt := range []struct {
		args []string
		keys []string
	}{
		{[]string{"show", "client", "--json"}, []string{"template", "title", "values", "facts", "tree"}},
		{[]string{"check", "client", "--json"}, []string{"subject", "findings", "errors", "warnings", "advice", "checked", "sets", "proven"}},
		{[]string{"build", "client", "--into", "out", "client=x", "received=today", "--preview", "--json"}, []string{"template", "into", "built", "new", "there", "kept", "blocked", "steps"}},
	} {
		out, status := d.run(tt.args...)
		assert.Zero(t, status, out)
		var got map[string]any
		require.NoError(t, json.Unmarshal([]byte(out), &got), out)
		var keys []string
		for k := range got {
			keys = append(keys, k)
		}
		assert.ElementsMatch(t, tt.keys, keys)
	}
	out, _ := d.run("templates", "--json")
	var list []map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &list))
	assert.Len(t, list, 4)
}

func TestBadInputIsToldAndNothingChanges(t *testing.T) {
	t.Parallel()
	long := strings.Repeat("x", 300)
	with := func(more ...string) []string {
		return append([]string{"build", "client", "--into", "out", "--yes", "received=2027-03-09"}, more...)
	}
	tests := []struct {
		args   []string
		status int
		want   string
	}{
		{[]string{"show", "comission"}, 2, "did you mean commission?"},
		{[]string{"show", "a/b"}, 2, `there is no template "a/b"`},
		{[]string{"show"}, 2, "which template?"},
		{[]string{"shwo"}, 2, "there is no command \"shwo\"\n  did you mean show?"},
		{[]string{"help", "bild"}, 2, "did you mean build?"},
		{[]string{"create"}, 2, "did you mean build?"},
		{[]string{"xyzzy"}, 2, "the commands: vestibula --help"},
		{[]string{"client.folders"}, 2, "to look at it: vestibula show client.folders"},
		{[]string{"ledger"}, 2, "to look at it: vestibula show ledger"},
		{[]string{"show", "client", "--frob"}, 2, "there is no option --frob\n  what there is: vestibula show --help"},
		{[]string{"show", "client", "--sort"}, 2, "did you mean --sorted?"},
		{[]string{"build", "client", "--privew"}, 2, "did you mean --preview?"},
		{[]string{"show", "client", "-x"}, 2, "there is no option -x"},
		{[]string{"build", "client", "--into"}, 2, "--into needs something behind it"},
		{[]string{"show", "client", "--limit", "many"}, 2, "\"many\" is no whole number"},
		{[]string{"show", "client", "--json=perhaps"}, 2, "it stands alone"},
		{[]string{"templates", "all"}, 2, "\"all\" is one word too many"},
		{[]string{"completion", "fisch"}, 2, "for which shell?"},
		{[]string{"show", "client", "clint=x"}, 2, `clint is not a field of this template: did you mean "client"?`},
		{[]string{"show", "client", "oops"}, 2, `"oops" is no value for a field`},
		{[]string{"build", "client", "--into", "out", "--yes"}, 2, "needs 2 values that are missing"},
		{[]string{"build", "client", "--yes"}, 2, "into which folder?"},
		{[]string{"build", "client", "--into", "nowhere", "client=x", "received=today"}, 1, "there is no folder"},
		{[]string{"build", "client", "--into", "nowhere", "client=x", "--yes"}, 2, "needs one value that is missing"},
		{[]string{"build", "tabs", "--into", "nowhere", "--yes"}, 2, "tab"},
		{[]string{"build", "client", "--into", "out/own.txt", "client=x", "received=today", "--yes"}, 2, "is a file"},
		{with("client="), 2, "client is empty"},
		{with("client=   "), 2, "client is empty"},
		{with("client=.."), 2, "only dots"},
		{with("client=a\nb"), 2, "line break"},
		{with("client=\x1b[2J"), 2, "control character U+001B"},
		{with("client=" + long), 1, "this name would have 300 characters"},
		{with("client=Wren."), 1, "ends in a dot"},
		{with("client=x", "gilding=perhaps"), 2, "neither yes nor no"},
		{[]string{"show", "big"}, 1, "would make 10,000,000 folders and files; at most 20,000"},
		{[]string{"build", "twice", "--into", "out", "--yes"}, 1, "would be made twice in one place"},
		{[]string{"check", "twice"}, 1, "twice.folders:2:1: error: “A” would be made twice"},
		{[]string{"check", "tabs"}, 1, "indented with spaces, but the lines above with tabs"},
		{[]string{"show", "tabs"}, 2, "indented with spaces, but the lines above with tabs"},
		{[]string{"check", "link"}, 1, "leads out of the template's folder"},
		{[]string{"check", "empty"}, 1, "this template has no folders"},
	}
	d := clientDesk(t)
	d.write("big.folders", "<n> | each: n in 1..10000000\n")
	d.write("twice.folders", "A\nA\n")
	d.write("tabs.folders", "A\n\tB\n    C\n")
	d.write("empty.folders", "\n")
	d.write("link.folders", "a.md | copy: away.md\n")
	d.write("case.folders", "A\n")
	require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(d.dir, "away.md")))
	before := d.has(".")
	for _, tt := range tests {
		out, status := d.run(tt.args...)
		assert.Equal(t, tt.status, status, "%q\n%s", tt.args, out)
		assert.Contains(t, out, tt.want, "%q", tt.args)
		assert.NotContains(t, out, "\x1b", "%q", tt.args)
	}
	assert.Equal(t, before, d.has("."))
}

func TestConflictsAreToldAllAtOnce(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	d.write("out/x/01 notes/own.md", "")
	d.write("out/x/02 survey", "a file")
	out, status := d.run("build", "client", "--into", "out", "client=x", "received=today", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "“x/01 notes” stands there for “01 Notes”, and gets that name")
	assert.Contains(t, out, "a file of that name is there, where a folder must be")
	assert.Contains(t, out, "Nothing was built: 1 thing is in the way.")
	assert.Contains(t, d.has("out"), "x/01 notes/own.md")
	assert.NotContains(t, strings.Join(d.has("out"), " "), "03 repair")
}

func TestTemplatesAreFoundInTheirOrder(t *testing.T) {
	d := newDesk(t, "templates/own.folders", "---\ntitle: First\n---\nA", "shelf/own.folders", "B", "shelf/ledger.folders", "---\ntitle: Mine\n---\nB", "shelf/broken.folders", "A*")
	t.Setenv("VESTIBULA_TEMPLATES", filepath.Join(d.dir, "shelf"))
	out, status := d.run("templates")
	assert.Zero(t, status)
	for _, want := range []string{"own             First", "ledger          Mine", "to see what is wrong: vestibula check broken", "commission      Bookbinding commission"} {
		assert.Contains(t, out, want)
	}
}

func TestTheDemoRunsTheMainJob(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	out, status := d.run("demo", "bindery")
	assert.Zero(t, status, out)
	last := 0
	for _, want := range []string{"$ vestibula check list.txt", "“10 Bills” would stand before “2 Work”", "Fixed 2 lines", "Built 4 folders in Clients/Commission", "Undone", "$ vestibula show binding client=\"Åsgerd Ölvane\"", "Built 5 folders in Clients/2027-03 Åsgerd Ölvane",
		"Built 2 rows", "| was: Work", "Upgraded 3 projects", "a name that says the client would tell", "Put 3 files", "Renamed 3 files", "Put 6 files", "Carried forward to 2027-04 Office", "Undo 11", "All is well with 3 projects", "Where to look next"} {
		at := strings.Index(out, want)
		assert.Greater(t, at, last, "%q comes in its turn", want)
		last = at
	}
	made := d.has("bindery")
	for _, want := range []string{"Clients/2027-03 Åsgerd Ölvane/03 Stages of work/", "Clients/2027-03 Åsgerd Ölvane/10 Bills/2027-04-02 asgerd-olvane bill 01.pdf", "2027-03 Office/Sheets/2027-03 rent.csv", "Arrivals/notes.txt", "Drifted/2027-04-13 oriel-pask bill 01.pdf"} {
		assert.Contains(t, made, want)
	}
	assert.NotContains(t, made, "2027-04 Office/")
	out, _ = d.run("history")
	assert.Contains(t, out, "Nothing was done yet", "the history of the person is left alone")
	cmd := exec.Command(program, "history")
	cmd.Dir, cmd.Env = filepath.Join(d.dir, "bindery"), d.environment()
	told, err := cmd.CombinedOutput()
	require.NoError(t, err)
	assert.Contains(t, string(told), "3 projects", "the folder of the demo has its own")
	out, status = d.run("demo", "bindery")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "bindery is there already, and holds something")
}

func TestHelpBeginsWithOneSentenceAndShowsExamples(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	whole, _ := d.run("--help")
	for _, c := range cli.Command().Commands() {
		name := c.Name()
		assert.Len(t, regexp.MustCompile(`(?m)(^  | {6,}|   )`+name+` {2,}[a-z]`).FindAllString(whole, -1), 1, "%s stands under one job", name)
		help, status := d.run(name, "--help")
		assert.Zero(t, status)
		same, _ := d.run("help", name)
		assert.Equal(t, help, same)
		first, _, _ := strings.Cut(help, "\n")
		assert.Regexp(t, `^[A-Z]`, first, name)
		assert.GreaterOrEqual(t, strings.Count(help, "vestibula "+name), 3, "%s has examples", name)
		// What libraries say by themselves is not how this program speaks.
		page, err := os.ReadFile("docs/man/vestibula-" + name + ".1")
		require.NoError(t, err)
		assert.NotRegexp(t, `Usage:|Flags|help for|more information|\[flags\]|Available|--\S+ (int|string|strings|stringArray)\b|\[=|default `, help+string(page), name)
		assert.Equal(t, 1, strings.Count(help, "--no-color"), name)
		if !slices.Contains([]string{"demo", "help", "completion"}, name) {
			assert.Contains(t, help, "--json", name)
			forms, err := os.ReadFile("docs/json.md")
			require.NoError(t, err)
			assert.Regexp(t, `(?m)^## (.*[ ,])?`+name+`\b`, string(forms), "the form of its JSON is documented")
		}
		for line := range strings.Lines(help) {
			assert.True(t, len([]rune(line)) <= 110 || strings.HasPrefix(line, "  vestibula "), line)
		}
	}
	language, _ := d.run("help", "language")
	for _, clause := range outline.Words() {
		assert.Regexp(t, `\b`+clause+`\b`, language, "help language has each clause")
	}
	out, _ := d.run("--version")
	assert.Regexp(t, `^vestibula \d+\.\d+\.\d+\n$`, out)
	out, _ = d.run("__complete", "show", "commission", "k")
	assert.Contains(t, out, "kind=")
	out, _ = d.run("__complete", "show", "commission", "kind=")
	assert.Contains(t, out, "kind=BX")
	out, _ = d.run("__complete", "show", "")
	assert.Contains(t, out, "evening-course")
}

func TestACopyOfAProjectIsOneOfItsOwn(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n", "copies.folders", "---\nfields: { day: { type: date } }\n---\nCopies\n    <day:yyyy-mm-dd> | copy: Ola\n")
	d.run("build", "job", "--into", ".", "client=Ola", "--yes")
	d.write("Ola/Letters/mine.txt", "mine")
	for _, day := range []string{"2027-03-09", "2027-03-10"} {
		out, status := d.run("build", "copies", "--into", ".", "day="+day, "--yes")
		assert.Zero(t, status, out)
		assert.Equal(t, "mine", d.read("Copies/"+day+"/Letters/mine.txt"))
		assert.Contains(t, d.read("Copies/"+day+"/.vestibula.json"), "copies.folders", "its label is not that of what was copied")
	}
}

// Whatever variable the program reads is written down in one place.
func TestAllVariablesAreDocumented(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	shells, _ := d.run("help", "shells")
	assert.Contains(t, shells, `client="Oriel Pask"`)
	places, _ := d.run("help", "places")
	man, err := os.ReadFile("docs/man/vestibula.1")
	require.NoError(t, err)
	files, err := filepath.Glob("cli/*.go")
	require.NoError(t, err)
	files, found := append(files, "cli/term/palette.go"), 0
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, m := range regexp.MustCompile(`(?:getenv\(|known\[)"([A-Z_]+)"`).FindAllStringSubmatch(string(text), -1) {
			found++
			assert.Contains(t, places, m[1])
			assert.Contains(t, string(man), m[1])
		}
	}
	assert.NotZero(t, found)
}
