package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestValuesComeFromTheCommandLineThenTheFileThenTheDefaults(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields:\n  a: { default: first }\n  b: { default: first }\n  c: { default: first }\n---\n<a> <b> <c>\n", "v.yaml", "b: second\nc: second\n")
	out, status := d.run("show", "t", "--values", "v.yaml", "c=third")
	assert.Zero(t, status)
	assert.Contains(t, out, "first second third/")
	for file, want := range map[string]string{
		"":                     "holds no values",
		"- a\n- b\n":           "holds no values",
		"a: { b: c }\n":        `v.yaml:1: "a" cannot be a value`,
		"d: x\n":               "d is not a field of this template, which has a, b, c",
		"a: [x, y]\n":          "a takes one value, not a list",
		"a: x\na: y\n":         "this key stands here a second time",
		"a: &x b\nc: *x\n":     "this sign has a meaning of its own",
		"a: \"x\n":             "has no second one",
		"\ta: x\n":             "v.yaml:1",
		"{\"a\": \"x\", \"b\"": "v.yaml:1",
	} {
		d.write("v.yaml", file)
		out, status := d.run("show", "t", "--values", "v.yaml")
		if file == "" {
			assert.Zero(t, status, "an empty file gives no values: %s", out)
			continue
		}
		assert.Equal(t, 2, status, file)
		assert.Contains(t, out, want, file)
	}
}

func TestShellsCompleteWhatIsThere(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who?, kind: { of: [BK, BX] } }\nnames: { scan: \"<client:like-this> <side> <n:00>\" }\n---\n<client> <kind>\n    Scans | holds: scan\n    Extra | later\n    Offer | due\n")
	d.run("build", "job", "--into", ".", "client=Ola", "kind=BK", "--yes")
	require.NoError(t, os.MkdirAll(filepath.Join(d.dir, "Old"), 0o777))
	d.run("build", "job", "--into", "Old", "client=Ida", "kind=BX", "--yes")
	for call, want := range map[string][]string{
		"upgrade|":                 {"Ola BK", "Old/Ida BX"},
		"upgrade|Old/":             {"Old/Ida BX"},
		"upgrade|Ola BK|":          {"client=", "kind="},
		"upgrade|Ola BK|kind=":     {"kind=BK", "kind=BX"},
		"next|":                    {"Ola BK"},
		"archive|":                 {"Ola BK"},
		"put|--into|":              {"Ola BK"},
		"add|Ola BK|":              {"Extra"},
		"tick|Ola BK|":             {"Offer"},
		"undo|":                    {"2\tbuild of Ida BX", "1\tbuild of Ola BK"},
		"history|--forget|":        {"2\tbuild of Ida BX"},
		"check|--only|":            {"sorting", "width"},
		"check|--only|sorting,":    {"sorting,width"},
		"check|--template|":        {"job", "commission"},
		"name|job|":                {"scan"},
		"name|job|scan|":           {"client=", "side=", "n="},
		"help|":                    {"build", "language", "places"},
		"show|job|--sorted|":       {"natural", "all"},
		"completion|":              {"fish"},
		"read|--convention|":       {},
		"projects|--template|":     {"job"},
		"rename|job|":              {"scan"},
		"draft|x|--like|":          {"ledger"},
		"check|--explain|":         {"sorting"},
		"check|--only|sorting,wid": {"sorting,width"},
	} {
		words := append([]string{"__complete"}, strings.Split(call, "|")...)
		out, _ := d.run(words...)
		for _, w := range want {
			assert.Contains(t, out, w+"\n", call)
		}
	}
	out, _ := d.run("__complete", "check", "--only", "sorting,")
	assert.NotContains(t, out, "sorting,sorting")
}

func TestUndoAndDoneAreToldToProgramsToo(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "<client>\n    Letters\n    Talk | due\n")
	d.write("job.folders", "---\nfields: { client: Who? }\n---\n"+d.read("job.folders"))
	d.run("build", "job", "--into", ".", "client=Ola", "--yes")
	var done struct {
		Of     struct{ Project, Item, Day string }
		Number int
	}
	out, status := d.run("tick", "Ola", "Talk", "2027-03-09", "--json")
	require.NoError(t, json.Unmarshal([]byte(out), &done), out)
	assert.Equal(t, []any{0, "Ola", "Talk", "2027-03-09", 2}, []any{status, done.Of.Project, done.Of.Item, done.Of.Day, done.Number})
	d.write("Ola/Letters/mine.txt", "mine")
	type undone struct {
		Number int
		Done   bool
		Steps  []struct{ Op, To string }
		Left   []struct{ Path, Why string }
		Of     struct{ Undoes int }
	}
	for _, c := range []struct {
		args   []string
		status int
		done   bool
	}{{[]string{"undo", "2", "--json"}, 1, false}, {[]string{"undo", "2", "--json", "--yes"}, 0, true}, {[]string{"undo", "1", "--json", "--preview"}, 0, false}} {
		out, status := d.run(c.args...)
		var u undone
		require.NoError(t, json.Unmarshal([]byte(out), &u), out)
		assert.Equal(t, []any{c.status, c.done, c.done}, []any{status, u.Done, u.Number > 0}, c.args)
		assert.NotEmpty(t, u.Steps)
		assert.Equal(t, c.args[1], fmt.Sprint(u.Of.Undoes))
		if c.args[1] == "1" {
			assert.Equal(t, "it holds “mine.txt”", u.Left[0].Why)
		}
	}
}

func TestAllThatIsMissingIsToldAtOnce(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", `---
fields:
  client: Who is it for?
  received: { ask: When?, type: date }
  kind: { ask: What is it?, of: { BK: book, BX: box } }
  people: { type: list }
  term: { ask: Which term?, type: term, of: [winter, spring] }
  hurry: { type: yes-no }
---
<client> <received> <kind> <term> <hurry>
    <p> | each: p in people
`)
	out, status := d.run("build", "t", "--into", ".", "--yes")
	assert.Equal(t, 2, status)
	assert.Equal(t, strings.Join([]string{
		"vestibula: t.folders needs 6 values that are missing:",
		"  client=…         Who is it for?",
		"  received=…       When? (a date such as 2027-03-09, or today, tomorrow, next friday)",
		"  kind=…           What is it? (one of BK (book), BX (box))",
		"  people=…         People? (a list: first; second; third)",
		"  term=…           Which term? (a year and one of winter, spring)",
		"  hurry=…          Hurry? (yes or no)",
		"",
	}, "\n"), out)
	out, status = d.run("build", "t", "--into", ".", "--yes", "client=..", "received=31.2.2027", "kind=tin", "people=a; ..", "term=winter", "hurry=perhaps")
	assert.Equal(t, 2, status)
	for _, want := range []string{"client \"..\" cannot be a name", "received \"31.2.2027\" is not a date", "kind \"tin\" is not one of BK", "people has an item that", "term \"winter\" is not a term", "hurry \"perhaps\" is neither"} {
		assert.Contains(t, out, want)
	}
}

// A label lies in the project's own folder, below what it shares with others.
func TestProjectsMeetInWhatTheyShare(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { country: Where?, town: Which town? }\n---\n<country>/<town>/\n    <#> Notes\n", "two.folders", "A\nB\n",
		"job.folders", "---\nfields: { client: Who?, job: What? }\n---\n<client>\n    Office\n    <job>    | project\n        Drafts\n", "out/x", "")
	for _, town := range []string{"Askel", "Birk", "Askel"} {
		out, status := d.run("build", "t", "--into", "out", "country=Norland", "town="+town, "--yes")
		assert.Zero(t, status, out)
	}
	assert.Equal(t, []string{"Askel/", "Askel/.vestibula.json", "Askel/01 Notes/", "Birk/", "Birk/.vestibula.json", "Birk/01 Notes/"}, d.has("out/Norland"))
	assert.Contains(t, d.read("out/Norland/Askel/.vestibula.json"), `"town": "Askel"`)
	for _, job := range []string{"Book", "Box"} {
		out, status := d.run("build", "job", "--into", "out", "client=Pask", "job="+job, "--yes")
		assert.Zero(t, status, out)
	}
	assert.Equal(t, []string{"Book/", "Book/.vestibula.json", "Book/Drafts/", "Box/", "Box/.vestibula.json", "Box/Drafts/", "Office/"}, d.has("out/Pask"))

	out, status := d.run("build", "two", "--into", "out", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("out"), ".vestibula.json", "with several top-level entries, the place itself is the project")

	d.write("out/Norland/Cale/.vestibula.json", "{")
	out, status = d.run("build", "t", "--into", "out", "country=Norland", "town=Cale", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "out/Norland/Cale: .vestibula.json is damaged: it was changed or cut off")
	assert.NotContains(t, d.has("out/Norland"), "Cale/01 Notes/")
	_, status = d.run("build", "t", "--into", "out", "country=Norland", "town=Cale", "--yes", "--no-label")
	assert.Zero(t, status)
	assert.Equal(t, "{", d.read("out/Norland/Cale/.vestibula.json"), "a damaged label is left alone")
	// A label of the first form is read, and the next change writes the second.
	d.write("out/Norland/Dor/.vestibula.json", `{"vestibula":1,"id":"dor","builds":[{"template":"t.folders","text":"Old","values":{"country":"Norland","town":"Dor"}}]}`)
	_, status = d.run("build", "t", "--into", "out", "country=Norland", "town=Dor", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, d.read("out/Norland/Dor/.vestibula.json"), "\"vestibula\": 2,\n  \"id\": \"dor\"")
}

func TestWhatIsNotBuiltAtOnceIsShownButNotMade(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nnames: { scan: \"<n:000>\" }\n---\nDesk\n    Scans     | holds: scan | note: from the glass\n    report.pdf    | due: 2027-04-01\n    Extra    | later\n        Deep\n    DCIM    | keep\n", "out/x", "")
	out, status := d.run("show", "t")
	assert.Zero(t, status)
	for _, want := range []string{"Scans/        holds scan · from the glass", "report.pdf    to be delivered by 2027-04-01", "Extra/        later, when it is needed"} {
		assert.Contains(t, out, want)
	}
	out, _ = d.run("show", "t", "--json")
	var got struct {
		Tree []struct{ Children []map[string]any }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	entries := got.Tree[0].Children
	assert.Equal(t, []any{"scan", "from the glass"}, []any{entries[0]["holds"], entries[0]["note"]})
	assert.Equal(t, []any{true, "2027-04-01"}, []any{entries[1]["due"], entries[1]["due-by"]})
	assert.Equal(t, []any{true, true}, []any{entries[2]["later"], entries[3]["keep"]})
	_, status = d.run("build", "t", "--into", "out", "--yes", "--no-label")
	assert.Zero(t, status)
	assert.Equal(t, []string{"Desk/", "Desk/DCIM/", "Desk/Scans/", "x"}, d.has("out"))
}

func TestANameOfTwoWordsIsProposedAsOneInBothPlaces(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields:\n  first name: Who?\n---\n<first name>\n")
	out, status := d.run("check", "t")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "write first-name: here, and <first-name> where it stands")
	assert.Contains(t, out, "1 error", "it is told once")
	d.write("t.folders", "---\nfields:\n  first-name: Who?\n---\n<first name>\n")
	out, _ = d.run("check", "t")
	assert.Contains(t, out, "did you mean <first-name>?")
}

func TestALimitCanBeRaised(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "Desk\n    <a> | each: a in 1..200\n        <b> | each: b in 1..150\n", "out/x", "")
	d.following = true // the advice is followed below
	out, status := d.run("build", "t", "--into", "out", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "This would make 30,201 folders and files; at most 20,000 are made unless you allow more.")
	assert.Contains(t, out, "--limit 30201")
	assert.Equal(t, []string{"x"}, d.has("out"))
	out, status = d.run("build", "t", "--into", "out", "--yes", "--limit", "30201")
	assert.Zero(t, status)
	assert.Contains(t, out, "Built 30,201 folders in out/Desk")
}

func TestReportsInJSONSayWhatWasDone(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	d.write("out/x/02 survey", "a file")
	build := func(args ...string) (report struct {
		Built                     bool
		New, There, Kept, Blocked int
		Steps                     []struct{ Path, Kind, State, Why string }
	}, status int) {
		out, status := d.run(append([]string{"build", "client", "--into", "out", "received=2027-03-09", "--json"}, args...)...)
		require.NoError(t, json.Unmarshal([]byte(out), &report), out)
		return report, status
	}
	report, status := build("client=x", "--yes")
	assert.Equal(t, 1, status)
	assert.Equal(t, []any{false, 1}, []any{report.Built, report.Blocked})
	report, status = build("client=y")
	assert.Equal(t, []any{false, 1, 6}, []any{report.Built, status, report.New}, "without a yes nothing is done")
	report, status = build("client=y", "--preview")
	assert.Equal(t, []any{false, 0}, []any{report.Built, status})
	report, status = build("client=y", "--yes")
	assert.Equal(t, []any{true, 0, 6}, []any{report.Built, status, report.New})
	assert.Equal(t, "y/01 Notes/hello.md", report.Steps[2].Path)
	report, _ = build("client=y", "--yes")
	assert.Equal(t, []any{0, 6}, []any{report.New, report.There})
}

func TestTemplatesCanBeNamedInManyWays(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "here.folders", "Here\n", "templates/there.folders", "There\n", ".data/vestibula/templates/mine.folders", "Mine\n", "list.txt", "List\n", "deep/er/path.folders", "Path\n", "templates/here.folders", "Not this\n")
	for arg, want := range map[string]string{
		"here":                 "Here/",
		"here.folders":         "Here/",
		"./here.folders":       "Here/",
		"there":                "There/",
		"mine":                 "Mine/",
		"list.txt":             "List/",
		"deep/er/path.folders": "Path/",
		"deep/er/path":         "Path/",
	} {
		out, status := d.run("show", arg, "--json")
		assert.Zero(t, status, out)
		assert.Contains(t, out, `"name": "`+strings.TrimSuffix(want, "/")+`"`, arg)
	}
	for _, arg := range []string{"ther", "deep/er/other", "nothing", "deep", ".folders"} {
		out, status := d.run("show", arg)
		assert.Equal(t, 2, status, arg)
		assert.Contains(t, out, "there is no template", arg)
	}
	require.NoError(t, os.Symlink(filepath.Join(d.dir, "here.folders"), filepath.Join(d.dir, "link.folders")))
	out, status := d.run("show", "link")
	assert.Zero(t, status, out)
}

func TestStartersStayInTheTemplatesOwnFolder(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "secret.txt", "secret", "t/ok.md", "fine", "out/x", "")
	require.NoError(t, os.Symlink("../secret.txt", filepath.Join(d.dir, "t", "away.md")))
	require.NoError(t, os.Symlink("ok.md", filepath.Join(d.dir, "t", "near.md")))
	require.NoError(t, os.MkdirAll(filepath.Join(d.dir, "t", "kit"), 0o777))
	require.NoError(t, os.Symlink("/etc", filepath.Join(d.dir, "t", "kit", "etc")))
	for clause, want := range map[string]string{
		"copy: away.md":       "is a link that leads out of the template's folder",
		"fill: away.md":       "is a link that leads out of the template's folder",
		"copy: ../secret.txt": `a path cannot hold ".."`,
		"copy: kit/../ok.md":  `a path cannot hold ".."`,
		"copy: /etc/passwd":   "does not begin in the template's own folder",
		`copy: kit\etc`:       "this path holds a backslash",
		"copy: kit/etc/hosts": "is a link that leads out",
	} {
		d.write("t/t.folders", "a.md | "+clause+"\n")
		out, status := d.run("build", "t/t.folders", "--into", "out", "--yes")
		assert.Equal(t, 2, status, clause)
		assert.Contains(t, out, want, clause)
	}
	d.write("t/t.folders", "K | copy: kit\n")
	out, status := d.run("build", "t/t.folders", "--into", "out", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, `"kit" holds "etc", which is a link or no ordinary file`)
	assert.Equal(t, []string{"x"}, d.has("out"))
	d.write("t/t.folders", "Desk\n    a.md | copy: near.md\n    <x>.md | copy: <x>.md | each: x in ok, near\n")
	out, status = d.run("build", "t/t.folders", "--into", "out", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "fine", d.read("out/Desk/near.md"))
}

func TestAFileOfTheUsersIsNeverTakenForOneOfTheTemplates(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "Desk\n    notes.md\n    list.md | fill: list.md\n", "list.md", "one\n", "out/Desk/notes.md", "mine", "out/Desk/list.md", "one\n")
	out, status := d.run("build", "t", "--into", "out", "--yes", "--no-label")
	assert.Zero(t, status)
	assert.Contains(t, out, "Nothing to do")
	assert.Contains(t, out, "kept as it is, though not what the template would write: Desk/notes.md")
	assert.NotContains(t, out, "list.md", "what is as it would be written needs no word")
	assert.Equal(t, "mine", d.read("out/Desk/notes.md"))
}

func TestChecksOfOneTemplateWithValues(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { weeks: { type: number, min: 1, max: 30, default: 3 }, client: { example: Bell } }\nrules: { width: 9, name-length: 12 }\n---\n<client>\n    Week <n:00> | each: n in 1..weeks\n")
	out, status := d.run("check", "t")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "3:17: error: `width: 9` and line 6 contradict each other: that line alone makes 30 folders")
	out, status = d.run("check", "t", "weeks=9")
	assert.Zero(t, status, "what is given is not tried in other sizes: %s", out)
	out, status = d.run("check", "t", "weeks=9", "client=A very long name")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "“A very long name” has 16 characters; at most 12 are allowed")
	out, status = d.run("check", "t", "weeks=31")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "weeks 31 is too large: at most 30")
}

func TestLaterFoldersAreAddedWhenTheirTimeHasCome(t *testing.T) {
	t.Parallel()
	text := "---\nfields: { who: Who? }\n---\n<who>\n    Bench\n        Trials    | later | note: gold leaf\n            <#> First\n            notes of <who>.md | fill: start.md\n            Deeper | later\n    Exhibition | later\n"
	d := newDesk(t, "t.folders", text, "start.md", "for <who>\n", "out/x", "")
	_, status := d.run("build", "t", "--into", "out", "who=Oriel", "--yes")
	require.Zero(t, status)
	assert.Equal(t, []string{"Oriel/", "Oriel/.vestibula.json", "Oriel/Bench/", "x"}, d.has("out"))
	out, status := d.run("add", "out/Oriel")
	assert.Zero(t, status)
	assert.Contains(t, out, "Bench/Trials/   gold leaf")
	assert.Contains(t, out, "Exhibition/")

	out, status = d.run("add", "out/Oriel", "Trials")
	assert.Equal(t, 1, status, "shown, but not made without a yes")
	assert.Contains(t, out, "+         Trials/")
	out, status = d.run("add", "out/Oriel", "Trials", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, []string{"01 First/", "notes of Oriel.md"}, d.has("out/Oriel/Bench/Trials"))
	assert.Equal(t, "for Oriel\n", d.read("out/Oriel/Bench/Trials/notes of Oriel.md"))
	out, _ = d.run("add", "out/Oriel")
	assert.NotContains(t, out, "Trials/   ")
	assert.Contains(t, out, "Bench/Trials/Deeper/")

	// A project that was renamed, whose template is gone, still knows what waits.
	require.NoError(t, os.Rename(filepath.Join(d.dir, "out/Oriel"), filepath.Join(d.dir, "out/Pask")))
	require.NoError(t, os.Remove(filepath.Join(d.dir, "t.folders")))
	out, status = d.run("add", "out/Pask", "Exhibition", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("out/Pask"), "Exhibition/")
	_, status = d.run("undo", "--yes")
	assert.Zero(t, status)
	assert.NotContains(t, d.has("out/Pask"), "Exhibition/")

	out, status = d.run("add", "out/Pask", "Exibition")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "did you mean Exhibition?")
	out, status = d.run("add", "out")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "holds projects, and is none")

	// Nobody remembers the number of a folder that is not there yet.
	d.write("n.folders", "---\nfields: { who: Who? }\n---\n<who>\n    <#> Drafts\n    <#> Portfolio | later\n")
	_, status = d.run("build", "n", "--into", "out", "who=Jun", "--yes")
	require.Zero(t, status)
	out, status = d.run("add", "out/Jun", "Portfolio", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Built 1 folder")
	assert.NotContains(t, out, "no row")
	assert.Contains(t, d.has("out/Jun"), "02 Portfolio/")
}
