//go:build unix

package main

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestQuestionsAreAskedOnATerminal(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	w := d.window(100, nil, "build", "client", "--into", "out")
	w.answer("Who is it for?", "Oriel Pask\r")
	w.answer("When?", "31.2.2027\r")
	w.waitFor("is not a date")
	w.answer("is not a date", strings.Repeat("\x7f", 9)+"2027-03-09\r")
	w.answer("without an answer: survey; repair", "\x1b[Z") // back to the day
	w.answer("without an answer: 2027-03-09", "\r")
	w.answer("an empty line ends", "\r")
	w.answer("Gilding?", "y")
	w.answer("change an answer", "c")
	w.answer("without an answer: Oriel Pask", "\x15Jun Teague\r")
	w.answer("without an answer: 2027-03-09", "\r")
	w.answer("without an answer: survey; repair", "\r")
	w.answer("Gilding?", "\r")
	w.answer("Build 5 folders and 2 files in out?", "y")
	out, status := w.end()
	assert.Zero(t, status, "%q", out)
	assert.Contains(t, d.has("out"), "Jun Teague/04 Gold/")
	assert.NotContains(t, d.has("out"), "Oriel Pask/")
	assert.Contains(t, out, `vestibula build client --into out client="Jun Teague" received=2027-03-09 stages="survey; repair" gilding=yes --yes`, "the same without questions")
	assert.Contains(t, out, "├─ ", "lines lead from folders to what lies in them")
	assert.Contains(t, d.read("out/Jun Teague/01 Notes/hello.md"), "9 March 2027")
}

func TestTheDemoWaitsForItsReader(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	w := d.window(100, d.environment(), "demo", "bindery")
	for range 16 {
		w.answer("Return goes on", "\r")
	}
	out, status := w.end()
	assert.Zero(t, status)
	assert.Contains(t, out, "Where to look next")
	w = d.window(100, d.environment(), "demo", "stopped")
	w.answer("Return goes on", "\x03")
	out, status = w.end()
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Stopped. What was done until then is whole, and stays")
	w = d.window(100, d.environment(), "draft", "x", "-")
	w.answer("", "\x03")
	out, _ = w.end()
	assert.NotContains(t, out, "panic")
	out, _ = d.window(100, d.environment(), "demo", "other", "--fast").end()
	assert.NotContains(t, out, "Return goes on")
}

func TestANoChangesNothing(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	w := d.window(100, nil, "build", "client", "--into", "out", "client=x", "received=today", "stages=a", "gilding=no")
	w.answer("Build 3 folders and 2 files in out?", "n")
	out, status := w.end()
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Nothing was changed.")
	w = d.window(100, nil, "build", "client", "--into", "out")
	w.answer("Who is it for?", "\x03")
	out, status = w.end()
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Stopped. Nothing was changed.")
	assert.Equal(t, []string{"own.txt"}, d.has("out"))
}

func TestFixingAsksFirst(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "A\n    1 x\n    10 y\n")
	w := d.window(100, nil, "check", "--fix", "t")
	w.answer("Change 1 line in t.folders?", "y")
	_, status := w.end()
	assert.Zero(t, status)
	assert.Equal(t, "A\n    01 x\n    10 y\n", d.read("t.folders"))
}

func TestColoursAndWidthsFollowTheTerminal(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "Thistlewick\n    Condition survey    | note: "+strings.Repeat("long ", 40)+"\n    日本語の名前の長いフォルダー\n")
	show := func(columns int, env []string, args ...string) string {
		out, status := d.window(columns, env, append([]string{"show", "t"}, args...)...).end()
		assert.Zero(t, status)
		return out
	}
	assert.Contains(t, show(100, nil), "\x1b[", "colours on a terminal")
	for _, plain := range []string{show(100, []string{"NO_COLOR=1"}), show(100, nil, "--no-color")} {
		assert.NotContains(t, plain, "\x1b[38", "no colours where none are wanted")
	}
	narrow := show(30, []string{"NO_COLOR=1"})
	assert.Contains(t, narrow, "…", "long lines are cut")
	assert.NotContains(t, narrow, "フォルダー", "wide characters count twice")
	out, _ := d.run("show", "t")
	assert.NotContains(t, out, "\x1b", "and none of it where no terminal is")
	assert.Contains(t, out, strings.Repeat("long ", 39))
}

func TestValuesFromADiskAreNeverSentRaw(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "Desk\n")
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "Desk"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(d.dir, "Desk", "evil\x1b]0;owned\x07.txt"), nil, 0o666))
	out, status := d.window(100, []string{"NO_COLOR=1"}, "check", "Desk", "--template", "t").end()
	assert.Equal(t, 1, status)
	assert.NotContains(t, out, "\x1b]0;owned")
	assert.Contains(t, out, "‹U+001B›")
}

func TestOneFolderIsAskedAbout(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.write("C/2027-03 Oriel Pask/Letters/oriel-pask.md", "x")
	w := d.window(100, nil, "draft", "clients", "C/2027-03 Oriel Pask")
	w.answer("What is “Oriel Pask”?", "client\r")
	out, status := w.end()
	assert.Zero(t, status, "%q", out)
	assert.Contains(t, d.read("clients.folders"), "<month> <client>")
	assert.Contains(t, d.read("clients.folders"), "<client:like-this>.md")
	w = d.window(100, nil, "draft", "same", "C/2027-03 Oriel Pask")
	w.answer("What is “Oriel Pask”?", "\x03")
	_, status = w.end()
	assert.Equal(t, 1, status)
	assert.NoFileExists(t, filepath.Join(d.dir, "same.folders"))
}

func TestEachKindIsAskedInItsOwnWay(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", `---
fields:
  who:    { ask: Who is it for? }
  kind:   { ask: What is it?, of: { BK: book, BX: box, MP: map } }
  people: { ask: Who takes part?, type: list }
  weeks:  { ask: How many weeks?, type: number, min: 1, max: 9 }
  remark: { ask: Anything else?, default: "" }
  gilt:   { ask: Is it gilded?, type: yes-no, default: no }
---
<who> <kind>
    <person> | each: person in people
    Week <n> | each: n in 1..weeks
    <remark>
    Gold | when: gilt
`)
	w := d.window(100, d.environment(), "build", "t", "--into", ".")
	w.answer("Who is it for?", "\r") // nothing was answered, and there is no default
	w.answer("an answer is needed", "Wren\r")
	w.answer("BX  box", "\x1b[B\r")
	w.answer("one on each line", "\r")
	w.answer("an answer is needed", "Ann Lee\rBo\r\r")
	w.answer("How many weeks?", "12\r")
	w.answer("at most 9", "\x7f\x7f2\r")
	w.answer("may stay empty", "\r")
	w.answer("  yes", "\x1b[Z") // back, over what was left out
	w.answer("may stay empty", "Notes\r")
	w.answer("  yes", "n")
	w.answer("nothing is changed", "\r") // what Return takes loses nothing
	out, status := w.end()
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Nothing was changed.")
	assert.Equal(t, []string{"t.folders"}, d.has("."))
	for _, want := range []string{"Ann Lee", "Week 2", "Notes"} {
		assert.Contains(t, out, want)
	}
	assert.NotContains(t, out, "The same without questions", "nothing was done that could be done again")
}

func TestDefaultsAreShownBeforeTheyAreTaken(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields:\n  year: { ask: Which year?, type: year, default: 2027 }\n---\nBooks <year>\n    Bills\n")
	w := d.window(100, d.environment(), "build", "t", "--into", ".")
	w.waitFor("if you name nothing else")
	w.answer("change an answer", "c")
	w.answer("without an answer: 2027", "\x152028\r")
	w.answer("Build 2 folders in this folder?", "y")
	out, status := w.end()
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("."), "Books 2028/Bills/")
	assert.Contains(t, out, "vestibula build t --into . year=2028 --yes")

	// The call that is told does the same.
	d.run("undo", "--yes")
	_, status = d.run("build", "t", "--into", ".", "year=2028", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, d.has("."), "Books 2028/Bills/")
}

// What is asked for several projects is asked for each: by its name, and without the answer
// that another one got.
func TestEachProjectIsAskedForItself(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n")
	for _, client := range []string{"Ida", "Ola"} {
		d.run("build", "job", "--into", ".", "client="+client, "--yes")
	}
	d.write("job.folders", "---\nfields: { client: Who?, shelf: On which shelf? }\n---\n<client>\n    Letters\n    Shelf <shelf>\n")
	w := d.window(100, d.environment(), "upgrade", "Ida", "Ola")
	w.answer("On which shelf?", "3\r")
	w.after("Ola")
	w.answer("On which shelf?", "\r")
	w.answer("an answer is needed", "7\r")
	w.answer("Make 2 changes in 2 projects?", "y")
	out, status := w.end()
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("."), "Ida/Shelf 3/")
	assert.Contains(t, d.has("."), "Ola/Shelf 7/")
	assert.NotContains(t, out, "without an answer: 3")
	assert.NotContains(t, out, "The same without questions", "no one call says two answers")

	// Of one project, the call that is told does the same.
	d.run("undo", "--yes")
	w = d.window(100, d.environment(), "upgrade", "Ida")
	w.answer("On which shelf?", "3\r")
	w.answer("Make 1 change in 1 project?", "y")
	out, status = w.end()
	assert.Zero(t, status, out)
	assert.Contains(t, out, "vestibula upgrade Ida shelf=3 --yes")
}

// Whatever is typed wrong, of each question one line is left in the end.
func TestQuestionsLeaveOneLineEach(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields:\n  who: Who is it for?\n  day: { ask: When?, type: date }\n  parts: { ask: Which parts?, type: list, default: [a] }\n---\n<who> <day>\n    <part> | each: part in parts\n")
	w := d.window(100, d.environment(), "build", "t", "--into", ".")
	w.answer("Who is it for?", "\r")
	w.answer("an answer is needed", "Wren\r")
	w.answer("When?", "soon\r")
	w.answer("is not a date", strings.Repeat("\x7f", 4)+"2027-02-31\r")
	w.answer("that month has 28 days", strings.Repeat("\x7f", 10)+"2027-03-09\r")
	w.answer("Which parts?", "x\ry\r\r")
	w.answer("nothing is changed", "\r")
	out, _ := w.end()
	var left []string
	for _, line := range screen(out) {
		if strings.Contains(line, "?") {
			left = append(left, line)
		}
		assert.NotContains(t, line, "┃", "no part of a question stays")
		assert.NotContains(t, line, "is not a date")
	}
	assert.Equal(t, []string{"Who is it for?  Wren", "When?  2027-03-09", "Which parts?  x; y"}, left)
}

// In a window of any width no line is wider than it, and what decides is all there.
func TestNarrowWindowsKeepWhatDecides(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: { ask: Who is the commission for?, example: Oriel Pask } }\nnames: { bill: { pattern: \"<day:yyyy-mm-dd> <client:like-this> bill <n:00>\", for: [pdf] } }\n---\n<client>\n    <#> Letters and what else was written | holds: documents\n    <#> Bills | holds: bill\n    <#> Settled | number: 90\n")
	d.write("other.folders", strings.Replace(d.read("job.folders"), "Letters and what else was written", "Letters", 1))
	for _, client := range []string{"Oriel Pask and Daughters", "Jun Teague"} {
		d.run("build", "job", "--into", ".", "client="+client, "--yes")
	}
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Jun Teague/90 Settled"), filepath.Join(d.dir, "Jun Teague/80 Settled")))
	d.write("Oriel Pask and Daughters/02 Bills/bill of some day.pdf", "x")
	d.write("In/2027-03-09 oriel-pask-and-daughters bill 01.pdf", "one")
	d.write("In/A letter that says nothing about whom it is for.docx", "two")
	d.write("In/talk.wav", "three")
	d.run("build", "job", "--into", ".", "client=Ida", "--yes")
	d.write("Ida/01 Letters and what else was written/mine.odt", "mine")
	for call, decides := range map[string][]string{
		"check|Jun Teague":                     {"error", "80 Settled", "it should be “90 Settled”", "[misnamed]", "can be fixed", "--fix"},
		"check|.":                              {"Jun Teague", "1 misnamed", "Oriel Pask and Daughters", "well"},
		"check|Oriel Pask and Daughters":       {"bill of some day.pdf", "is not named as files in", "they look like"},
		"put|In|--into|.|--preview":            {"its name reads as bill", "a name that says the client would tell", "nothing holds files that end in .wav"},
		"undo|3|--preview":                     {"stays: it holds “mine.odt”", "90 Settled"},
		"history":                              {"1", "2", "3", "build", "done"},
		"upgrade|.|--template|other|--preview": {"01 Letters"},
		"projects|.":                           {"Jun Teague", "1 misnamed"},
		"show|job":                             {"01 Letters", "90 Settled"},
		"show|job|--sorted|all":                {"Every list"},
		"compare|job|other":                    {"folders", "4 folders"},
		"compare|Jun Teague|Ida":               {"80 Settled", "90 Settled"},
		"guide|job":                            {"Bills", "named as below"},
		"templates":                            {"job", "commission"},
		"--help":                               {"draft", "undo"},
		"help|language":                        {"each: n in 1..12"},
		"build|job|--into|.|client=Ola|--preview": {"+ Ola", "4 new"},
		"draft|x|Ida|Jun Teague|--preview":        {"Proven"},
	} {
		for _, columns := range []int{40, 60, 80, 141} {
			out, _ := d.window(columns, d.environment(), strings.Split(call, "|")...).end()
			flat := strings.Join(strings.Fields(strings.Join(screen(out), " ")), " ")
			for _, want := range decides {
				assert.Contains(t, flat, want, "%s in %d columns", call, columns)
			}
			for _, line := range screen(out) {
				if strings.HasPrefix(line, "  vestibula ") || strings.HasPrefix(line, "vestibula: ") {
					continue // a call is one line, to be copied
				}
				assert.LessOrEqual(t, ansi.StringWidth(line), columns, "%s in %d columns: %q", call, columns, line)
			}
		}
	}
}

// The program alone says what is here, and what comes next, in a dozen lines; each of them can be typed.
func TestTheFirstScreenSaysWhatIsHere(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	screen := func() string {
		out, status := d.window(80, append(d.environment(), "HOME="+filepath.Dir(d.dir))).end() // in a home it does not look through everything
		assert.Zero(t, status)
		assert.LessOrEqual(t, strings.Count(strings.TrimSpace(out), "\n")+1, 12, out)
		return strings.Join(strings.Fields(regexp.MustCompile("\x1b\\[[0-9;]*m").ReplaceAllString(out, "")), " ")
	}
	out := screen()
	for _, want := range []string{"There is no template here, and no project", "vestibula demo", "vestibula build list.txt"} {
		assert.Contains(t, out, want)
	}
	d.write("t.folders", "---\nfields: { client: Who? }\nrules: { waiting: { Arrivals: 14 } }\n---\n<client>\n    Arrivals\n    Letters | holds: documents\n")
	assert.Contains(t, screen(), "vestibula build t --into .")
	for _, client := range []string{"Oriel Pask", "Jun Teague"} {
		d.must("build", "t", "client="+client, "--into", ".", "--yes")
	}
	out = screen()
	assert.Contains(t, out, "2 projects")
	assert.Contains(t, out, "all is well")
	d.write("Oriel Pask/Arrivals/letter.odt", "x")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Jun Teague/Letters")))
	out = screen()
	for _, want := range []string{"1 needs a look: Jun Teague (1 missing)", "1 thing", "Oriel Pask/Arrivals waits to be put where it belongs", "vestibula check . --fix", `vestibula put "Oriel Pask/Arrivals" --into "Oriel Pask"`} {
		assert.Contains(t, out, want)
	}
	d.must("put", "Oriel Pask/Arrivals", "--into", "Oriel Pask", "--yes")
	assert.Equal(t, []string{"letter.odt"}, d.has("Oriel Pask/Letters"))
	whole, _ := d.run()
	assert.Contains(t, whole, "vestibula help build", "elsewhere than at a terminal it is the help")
	assert.LessOrEqual(t, strings.Count(whole, "\n"), 24)
}

// A terminal that knows no more than lines is asked in plain ones.
func TestPlainTerminalsAreAskedInLines(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "list.txt", "Job\n    <client>\n    Work\n")
	w := d.window(80, append(d.environment(), "TERM=dumb"), "build", "list.txt")
	w.answer("Where is it to be built?", "\n")
	w.answer("has no header yet", "y\n")
	w.answer("Which client?", "Oriel Pask\n")
	w.answer("Build 3 folders", "x\ny\n")
	out, status := w.end()
	assert.Zero(t, status, out)
	assert.NotContains(t, out, "\x1b", "no escapes")
	assert.DirExists(t, filepath.Join(d.dir, "Job/Oriel Pask"))
	assert.Equal(t, "---\nfields:\n  client: Which client?\n---\nJob\n    <client>\n    Work\n", d.read("list.txt"))
	assert.Contains(t, out, `vestibula build list.txt --into . client="Oriel Pask" --yes`)
}

// What is pasted is text: lines where there may be several, and no answer to a question of letters.
func TestWhatIsPastedAnswersNothing(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { people: { ask: Who takes part?, type: list } }\n---\nA\n    <person> | each: person in people\n")
	w := d.window(100, d.environment(), "build", "t", "--into", ".")
	w.answer("Who takes part?", "\x1b[200~Ann\nBo\nCy\n\x1b[201~")
	w.answer("Cy", "\r\r")
	w.answer("Build 4 folders", "\x1b[200~y\n\x1b[201~n")
	out, status := w.end()
	assert.Equal(t, 1, status, out)
	assert.Contains(t, out, "Nothing was changed.")
	assert.Equal(t, []string{"t.folders"}, d.has("."))
}

// On a terminal what is missing is asked for, and what was answered is not lost with a no.
func TestWhatIsMissingIsAsked(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "list.txt", "Botany <term>\n    1 Plans\n    10 Notes\n    <last name> | project\n", "class.csv", "Last name\nAbbott\nHolm\n")
	w := d.window(80, d.environment(), "build", "list.txt", "--into", ".")
	w.answer("has no header yet", "y")
	w.answer("Which term?", "2027\r")
	w.answer("Which last name?", "Vik\r")
	w.answer("Build 4 folders", "n")
	out, status := w.end()
	assert.Equal(t, 1, status)
	flat := strings.Join(screen(out), "\n")
	assert.Contains(t, flat, "note: 1 warning about this template", "before anything is built it is told where it will go wrong")
	assert.Contains(t, flat, "  vestibula build list.txt --into . term=2027 last-name=Vik")
	assert.Contains(t, d.read("list.txt"), "  last-name: Which last name?\n---\nBotany <term>\n    1 Plans\n    10 Notes\n    <last-name> | project\n")
	w = d.window(80, d.environment(), "build", "list.txt", "--into", ".", "--table", "class.csv")
	w.answer("Which term?", "2027\r")
	w.answer("Build 5 folders", "y")
	_, status = w.end()
	assert.Zero(t, status)
	assert.ElementsMatch(t, []string{"1 Plans/", "10 Notes/", "Abbott/", "Abbott/.vestibula.json", "Holm/", "Holm/.vestibula.json"}, d.has("Botany 2027"))
}
