//go:build unix

package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What stands in a cell behind the last heading is the person's: the row is told,
// and nothing is written over it or above it, where it could be read as a mark.
func TestSurplusCellsAreKept(t *testing.T) {
	t.Parallel()
	for text, marked := range map[string]bool{
		"client,received,remark\nOriel Pask,2027-03-09,x\nJun Teague,2027-03-09,hurry, call first\n":     false,
		"client,received\nOriel Pask,2027-03-09\nJun Teague,2027-03-09,yes\n":                            false,
		"client,received\nOriel Pask,2027-03-09\n,,a lost note\n":                                        false,
		"client,received,built,built on,built in\nOriel Pask,2027-03-09\nJun Teague,2027-03-09,,,,yes\n": true,
	} {
		d := newDesk(t, "c.csv", text, "out/x", "")
		for range 2 {
			out, _ := d.run("build", "commission", "--into", "out", "--table", "c.csv", "--mark", "--only-good", "--yes")
			assert.Contains(t, out, "row 3: the row has ")
			assert.Contains(t, d.read("c.csv"), strings.Split(text, "\n")[2]+"\n", "the row is as it was")
		}
		assert.Equal(t, marked, d.read("c.csv") != text)
		assert.Equal(t, marked, strings.Contains(strings.Join(d.has("out"), " "), "Oriel Pask"))
		assert.NotContains(t, strings.Join(d.has("out"), " "), "Jun Teague")
	}
}

// While a question stands, somebody goes on working: what they have changed is not
// removed, and nothing else is either.
func TestWhatIsEditedWhileAQuestionStandsStays(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	d.write("list.csv", "client,received\nx,2027-03-09\n")
	_, status := d.run("build", "client", "--into", "out", "--table", "list.csv", "--mark", "--yes")
	require.Zero(t, status)
	for file, text := range map[string]string{"out/x/01 Notes/hello.md": "an afternoon of work", "list.csv": d.read("list.csv") + "y,2027-03-10,,,\n"} {
		before := d.has("out")
		w := d.window(120, d.environment(), "undo")
		w.waitFor("Undo the build of")
		d.write(file, text)
		w.answer("Undo the build of", "y")
		out, status := w.end()
		assert.Equal(t, 1, status)
		assert.Regexp(t, "somebody has changed it meanwhile|has changed meanwhile", out)
		assert.Equal(t, text, d.read(file))
		assert.Equal(t, before, d.has("out"), "all that had been done is taken back")
	}
	out, status := d.run("undo", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "client,received,built,built on,built in,built as\nx,2027-03-09,,,,\ny,2027-03-10,,,\n", d.read("list.csv"), "only the marks go")
	assert.Equal(t, "an afternoon of work", d.read("out/x/01 Notes/hello.md"))
}

// Whatever bears a name that looks like one of the program's own is a person's.
func TestNothingElseIsCleanedUp(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	d.write("own.csv", "client,received\nx,2027-03-09\n")
	require.NoError(t, os.MkdirAll(filepath.Join(d.dir, "out/x"), 0o777))
	require.NoError(t, os.Symlink(filepath.Join(d.dir, "own.csv"), filepath.Join(d.dir, "out/x/.vestibula.part0")))
	require.NoError(t, os.Link(filepath.Join(d.dir, "own.csv"), filepath.Join(d.dir, "out/.vestibula.part0")))
	d.write("out/x/.vestibula.part1", "mine")
	d.write("own.csv.vestibula.part", "mine")
	require.NoError(t, syscall.Mkfifo(filepath.Join(d.dir, "out/x/.vestibula.part2"), 0o666))
	d.write("out/.vestibula-part/mine", "mine")
	before := d.has(".")
	out, status := d.run("build", "client", "--into", "out", "--table", "own.csv", "--mark", "--yes")
	require.Zero(t, status, out)
	require.Contains(t, d.has("out"), "x/form.bin")
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, slices.DeleteFunc(d.has("."), func(p string) bool { return strings.HasPrefix(p, ".state") }))
	assert.Equal(t, "client,received\nx,2027-03-09\n", d.read("own.csv"))
}

// However a place is spelled, runs that reach it do not mix: each client's folder
// is whole and its own, or not there.
func TestRunsThatSpellAPlaceDifferentlyDoNotMix(t *testing.T) {
	t.Parallel()
	for _, runs := range []int{2, 4, 8} {
		for _, more := range [][]string{nil, {"--no-journal"}} {
			d := newDesk(t, "t.folders", "---\nfields: { who: Who? }\n---\nDesk\n    Part <n:000> | each: n in 1..40\n        owner.md | fill: owner.md\n", "owner.md", "<who>\n", "real/out/x", "", "real/out/deep/x", "")
			require.NoError(t, os.Symlink(filepath.Join(d.dir, "real"), filepath.Join(d.dir, "link")))
			spellings := []string{"real/out", "link/out", "./real/../real/out", filepath.Join(d.dir, "link", "out"), "real/out/", "real/out/deep/..", "link/out/deep/..", "real//out"}
			done := make(chan string)
			for i := range runs {
				go func() {
					cmd := exec.Command(program, append([]string{"build", "t", "--into", spellings[i], fmt.Sprintf("who=run %d", i), "--yes"}, more...)...)
					cmd.Dir, cmd.Env = d.dir, d.environment()
					out, err := cmd.CombinedOutput()
					if err == nil && strings.HasPrefix(string(out), "Built") {
						done <- fmt.Sprintf("run %d", i)
						return
					}
					done <- ""
				}()
			}
			var built []string
			for range runs {
				if who := <-done; who != "" {
					built = append(built, who)
				}
			}
			owners := map[string]int{}
			for i := range 40 {
				owners[strings.TrimSpace(d.read(fmt.Sprintf("real/out/Desk/Part %03d/owner.md", i+1)))]++
			}
			require.Len(t, owners, 1, "%d runs, %v: files of different runs lie in one folder", runs, more)
			require.Len(t, built, 1, "one of them built it: %v", built)
			assert.Equal(t, 40, owners[built[0]])
		}
	}
}

// An undo reaches only here, takes back the newest first where things hang
// together, and finds a project that was renamed or moved.
func TestUndoIsCareful(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	d.write("elsewhere/x.txt", "")
	build := func(into, client string) {
		out, status := d.run("build", "client", "--into", into, "client="+client, "received=2027-03-09", "--yes")
		require.Zero(t, status, out)
	}
	here := func(folder string, args ...string) (string, int) {
		in := &desk{t: t, dir: filepath.Join(d.dir, folder)}
		cmd := exec.Command(program, args...)
		cmd.Dir, cmd.Env = in.dir, d.environment()
		out, _ := cmd.CombinedOutput()
		return string(out), cmd.ProcessState.ExitCode()
	}
	build("out", "Oriel")
	out, status := here("elsewhere", "undo", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "nothing was done at or below this folder")
	assert.Contains(t, out, "vestibula undo 1")
	assert.Contains(t, d.has("out"), "Oriel/form.bin")

	// Renamed, then moved: it is found by what it is.
	require.NoError(t, os.Rename(filepath.Join(d.dir, "out/Oriel"), filepath.Join(d.dir, "out/Pask")))
	out, status = here("out", "undo", "--preview")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "it lies in "+filepath.Join(d.dir, "out/Pask")+" now")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "out/Pask"), filepath.Join(d.dir, "elsewhere/Pask")))
	out, status = here("out", "undo", "1", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "if you have moved it, name the folder that it is now")
	out, status = here("elsewhere/Pask", "undo", "1", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, []string{"x.txt"}, d.has("elsewhere"))

	// Two builds that meet in one label.
	d.write("two.folders", "---\nfields: { country: Where?, town: Which town? }\n---\n<country>/<town>/\n    <#> Notes\n")
	for _, town := range []string{"Askel", "Birk"} {
		_, status := d.run("build", "two", "--into", "out", "country=Norland", "town="+town, "--yes")
		require.Zero(t, status)
	}
	out, status = d.run("undo", "3", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "such as Norland/Birk\n  undo that first: vestibula undo 4")
	for _, n := range []string{"4", "3"} {
		out, status = d.run("undo", n, "--yes")
		assert.Zero(t, status, out)
	}
	assert.Equal(t, []string{"own.txt"}, d.has("out"))

	// What was made inside of a project is found where the project is now.
	build("out", "Jun")
	build("out/Jun/01 Notes", "Inner")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "out/Jun"), filepath.Join(d.dir, "elsewhere/Teague")))
	for _, left := range []bool{true, false} {
		out, status = here("elsewhere/Teague", "undo", "--yes")
		assert.Zero(t, status, out)
		assert.NotContains(t, strings.Join(d.has("elsewhere"), " "), "Inner")
		assert.Equal(t, left, strings.Contains(strings.Join(d.has("elsewhere"), " "), "Teague"))
	}
	// Undone where it is now, it comes back there.
	out, _ = here("elsewhere", "history")
	back := strings.Fields(out[strings.LastIndex(strings.TrimSpace(out), "\n")+1:])[0]
	out, status = here("elsewhere", "undo", back, "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("elsewhere"), "Teague/form.bin")

	// What was built into it under its new name came later.
	build("out", "Pask")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "out/Pask"), filepath.Join(d.dir, "out/Oriel")))
	build("out/Oriel", "Inner")
	out, status = here("out/Oriel", "history")
	assert.Zero(t, status, out)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	first := strings.Fields(lines[len(lines)-2])[0]
	out, status = here("out", "undo", first, "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "and changed the same things, such as")
}

func TestWhatTheProgramWritesIsInTheHistory(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "A\n    1 x\n    10 y\n", "n.folders", "---\nnames: { note: \"<n:000>\" }\n---\nNotes\n")
	for _, args := range [][]string{{"draft", "mine"}, {"check", "--fix", "t", "--yes"}, {"name", "n", "note", "n=1", "--create", "--ext", "md"}} {
		out, status := d.run(args...)
		require.Zero(t, status, out)
	}
	out, _ := d.run("history")
	for _, want := range []string{"draft        mine.folders", "check --fix  t.folders", "name         001.md"} {
		assert.Contains(t, out, want)
	}
	for range 3 {
		out, status := d.run("undo", "--yes")
		require.Zero(t, status, out)
	}
	assert.Equal(t, "A\n    1 x\n    10 y\n", d.read("t.folders"))
	assert.NotContains(t, d.has("."), "mine.folders")
	assert.NotContains(t, d.has("."), "001.md")
}

func TestNamesThatAreNoTextCanBeUndone(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "Desk\n    <who> | each: who in a, b\n", "c.csv", "x\n1\n")
	odd := "d\xff"
	if os.Mkdir(filepath.Join(d.dir, odd), 0o777) != nil {
		t.Skip("this disk takes no such names")
	}
	out, status := d.run("build", "t", "--into", odd, "--table", "c.csv", "--mark", "--yes")
	require.Zero(t, status, out)
	out, status = d.run("build", "t", "--into", odd, "--table", "c.csv", "--mark", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "left alone: 1 row marked as built")
	out, status = d.run("undo", "--yes")
	assert.Zero(t, status, out)
	assert.Empty(t, d.has(odd))
	assert.Equal(t, "x\n1\n", d.read("c.csv"))
}

func TestStartersThatAreNotAtHandAreNamed(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t/t.folders", "Desk\n    Trials | later\n        notes.md | fill: start.md\n", "t/start.md", "begin\n", "out/x", "")
	_, status := d.run("build", "t/t.folders", "--into", "out", "--yes")
	require.Zero(t, status)
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "t")))
	out, status := d.run("add", "out/Desk", "Trials", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, `"Trials" starts from start.md, which cannot be found`)
	assert.NotContains(t, d.has("out"), "Desk/Trials/")
	// Where a template of that name is found, so are the files beside it.
	d.write("templates/t.folders", "Other\n")
	d.write("templates/start.md", "begin\n")
	out, status = d.run("add", "out/Desk", "Trials", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "begin\n", d.read("out/Desk/Trials/notes.md"))
}

// A label, a template, a table or a file of values may be anything at all: none of
// them hangs the program, fills the memory or makes it fall over.
func TestStrangeFilesAreRefused(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "ok.folders", "Desk\n    Extra | later\n", "out/x", "", "dir.folders/x", "")
	pipe := filepath.Join(d.dir, "pipe.folders")
	require.NoError(t, syscall.Mkfifo(pipe, 0o666))
	huge, err := os.Create(filepath.Join(d.dir, "huge.folders"))
	require.NoError(t, err)
	require.NoError(t, huge.Truncate(10<<30))
	huge.Close()
	d.write("circle.folders", "C | each: x in 0..<#>\n")
	var bomb strings.Builder
	for i := range 30 {
		fmt.Fprintf(&bomb, "p%d:\n    a | use: p%d\n    b | use: p%d\n", i, i+1, i+1)
	}
	d.write("bomb.folders", bomb.String()+"p30:\n    x\nRoot | use: p0\n")
	d.write("deep.folders", "---\na: "+strings.Repeat("[", 100_000)+strings.Repeat("]", 100_000)+"\n---\nA\n")
	d.write("many.folders", "---\nfields:\n"+strings.Repeat("  f: x\n", 100_000)+"---\nA\n")
	d.write("packed.zip", "PK\x03\x04\x00\x00")
	for arg, want := range map[string]string{
		"pipe.folders": "it is no ordinary file", "/dev/zero": "it is no ordinary file", "huge.folders": "it is larger than 8 MB", "dir": "it is a folder",
		"circle": "<#> numbers what is repeated", "bomb": "more than 200000 lines", "deep": "brackets lie more than 32 deep", "many": "larger than 256 KB", "packed.zip": "it is damaged, or no ZIP archive",
	} {
		out, status := d.run("check", arg)
		assert.NotZero(t, status, arg)
		assert.Contains(t, out, want, arg)
		assert.Less(t, len(out), 2000, "%s: no message quotes more than a window of a line", arg)
		assert.NotContains(t, out, "goroutine", arg)
	}
	for _, file := range []string{"pipe.folders", "/dev/zero", "huge.folders", "dir.folders"} {
		for _, args := range [][]string{{"show", "commission", "--values", file}, {"build", "commission", "--into", "out", "--table", file, "--yes"}} {
			out, status := d.run(args...)
			assert.Equal(t, 2, status, "%v: %s", args, out)
		}
	}
	out, status := d.run("templates")
	assert.Zero(t, status)
	assert.Contains(t, out, "pipe")

	_, status = d.run("build", "ok", "--into", "out", "--yes")
	require.Zero(t, status)
	label := d.read("out/Desk/.vestibula.json")
	for _, name := range []string{"/dev/zero", "-", pipe, "/etc/passwd", "../ok.folders", "\x1b[31m"} {
		quoted, _ := json.Marshal(name)
		d.write("out/Desk/.vestibula.json", strings.Replace(label, `"ok.folders"`, string(quoted), 1))
		out, status := d.run("add", "out/Desk")
		assert.Zero(t, status, out)
		assert.Contains(t, out, "Extra/", "the label's own text is enough: %q", name)
	}
	for text, want := range map[string]string{`{"vestibula":1,"builds":[null]}`: "damaged", label[:len(label)/2]: "damaged", `{"vestibula":99}`: "newer version", strings.Repeat(" ", 33<<20): "larger than 32 MB"} {
		d.write("out/Desk/.vestibula.json", text)
		out, status := d.run("add", "out/Desk")
		assert.Equal(t, 2, status)
		assert.Contains(t, out, want)
		assert.NotContains(t, out, "goroutine")
	}
}

// The commands are walked with titles, notes, names, values, tables, paths and
// contents that a terminal would obey: none of it arrives.
func TestNothingThatATerminalObeysArrives(t *testing.T) {
	t.Parallel()
	const evil = "\x1b]0;owned\x07\u202e\u009b31m\u2028"
	quoted, _ := json.Marshal(evil)
	text := "---\ntitle: " + string(quoted) + "\nabout: " + string(quoted) + "\nfields:\n  who: { ask: " + string(quoted) + ", example: " + string(quoted) + " }\n  kind: { of: { A: " + string(quoted) + " }, default: A }\nnames: { note: { pattern: \"<x> <y>\" } }\n---\n" +
		"Desk\n    <who> | note: " + evil + "\n    Notes | holds: note\n    a" + evil + "b.md\n    Later | later | note: " + evil + "\n"
	d := newDesk(t, "evil.folders", text, "Real/"+evil+"/"+evil+".txt", evil, "plain.folders", "---\nfields: { who: Who? }\nnames: { note: \"<day:yyyy-mm-dd> <x>\" }\n---\nDesk\n    <who>\n    Later | later | note: "+evil+"\n",
		"t.csv", "who,"+evil+"\n"+evil+",x\nfine,y\n", "values.yaml", "who: "+string(quoted)+"\n", "out/x", "", evil+".folders", evil+"\n", "out2/x", "")
	d.run("build", "plain", "--into", "out", "who=fine", "--yes")
	label := d.read("out/Desk/.vestibula.json")
	d.write("Labelled/.vestibula.json", strings.Replace(label, "plain.folders", strings.Trim(string(quoted), `"`), 1))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "out/Desk"), filepath.Join(d.dir, "out/Desk "+evil)))
	for _, args := range [][]string{
		{"show", "evil"}, {"show", "plain", "who=" + evil}, {"show", "plain", "--values", "values.yaml"}, {"check", "evil"}, {"check", "evil", "--json"}, {"check", "--fix", "evil", "--yes"},
		{"templates"}, {"templates", "--json"}, {"check", "Real", "--template", "plain"}, {"check", "Real", "--template", "plain", "--json"}, {"build", "evil", "--into", "out2", "--yes"}, {"build", "plain", "--into", "out2"},
		{"build", "plain", "--into", "out2", "--table", "t.csv"}, {"build", "plain", "--into", "out2", "--table", "t.csv", "--only-good", "--preview"}, {"build", "plain", "--into", "out2", "--table", "t.csv", "--json"}, {"build", evil, "--into", evil},
		{"name", "plain", "note", "day=2027-03-09", "x=" + evil}, {"read", "plain", "--in", "Real"}, {"read", "plain", "--in", "Real", "--json"}, {"add", "Labelled"}, {"add", "Labelled", "Later"}, {"add", "out/Desk " + evil},
		{"compare", "evil", "plain"}, {"compare", "evil", "plain", "--json"}, {"history"}, {"history", "--json"}, {"history", "1"}, {"undo"}, {"undo", evil}, {"draft", evil}, {"show", "plain", "--sorted", evil}, {evil}, {"show", "--" + evil}, {"check", evil}, {"show", "plain", "--sorted", "all"},
		{"__complete", "show", ""}, {"__complete", "show", "evil", ""}, {"__complete", "build", "evil", "kind="},
	} {
		out, _ := d.run(args...)
		at := strings.IndexFunc(out, func(r rune) bool {
			return unicode.IsControl(r) && r != '\n' && r != '\t' || unicode.Is(unicode.Cf, r) || r == '\u2028'
		})
		assert.Less(t, at, 0, "%q prints %q", args, out[max(0, at-30):min(len(out), max(0, at)+30)])
	}
	// What is for a spreadsheet is as it is, but not on a terminal.
	out, _ := d.window(120, d.environment(), "read", "plain", evil, "--csv").end()
	assert.NotContains(t, out, "\x1b]0;owned")
	assert.Contains(t, out, "‹U+001B›]0;owned")
}

// A result that cannot be written ends with status 2; where the reader went away,
// quietly.
func TestWhatCannotBeWrittenIsTold(t *testing.T) {
	t.Parallel()
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip("this system has no full device")
	}
	defer full.Close()
	d := newDesk(t)
	for _, args := range [][]string{{"show", "commission"}, {"show", "commission", "--json"}, {"templates"}, {"history", "--json"}, {"check", "commission"}, {"--version"}} {
		cmd := exec.Command(program, args...)
		cmd.Dir, cmd.Env, cmd.Stdout = d.dir, d.environment(), full
		var side bytes.Buffer
		cmd.Stderr = &side
		_ = cmd.Run()
		assert.Equal(t, 2, cmd.ProcessState.ExitCode(), args)
		if args[0] != "--version" {
			assert.Contains(t, side.String(), "the result could not be written: the disk is full")
		}

		r, w, err := os.Pipe()
		require.NoError(t, err)
		r.Close()
		cmd = exec.Command(program, args...)
		side.Reset()
		cmd.Dir, cmd.Env, cmd.Stdout, cmd.Stderr = d.dir, d.environment(), w, &side
		_ = cmd.Run()
		w.Close()
		assert.Empty(t, side.String(), "%v: nobody is there to be told", args)
	}
}

// What a record keeps is freed after a yes; where its folder is away, that is said.
func TestForgettingFreesWhatIsKept(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\n---\n<client>/\n    form.bin | copy: form.bin\n", "form.bin", strings.Repeat("a form of many pages", 10000), "out/x", "", "other/x", "")
	kept := func(place string) bool { return strings.Contains(strings.Join(d.has(place), " "), ".vestibula-") }
	for _, place := range []string{"out", "other"} {
		for _, args := range [][]string{{"build", "t", "client=Jun", "--into", place, "--yes"}, {"undo", "--yes"}} {
			out, status := d.run(args...)
			require.Zero(t, status, out)
		}
		require.True(t, kept(place), "a large file is kept where it was")
	}
	out, status := d.run("history", "--forget", "4")
	assert.Equal(t, 1, status, "nobody said yes: %s", out)
	require.True(t, kept("other"))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "out"), filepath.Join(d.dir, "away")))
	for number, said := range map[string]string{"4": "200.0 kB freed", "2": "is not freed: that folder is not here"} {
		out, status = d.run("history", "--forget", number, "--yes")
		assert.Zero(t, status, out)
		assert.Contains(t, out, said)
		out, status = d.run("undo", number, "--yes")
		assert.Equal(t, 1, status, out)
	}
	assert.False(t, kept("other"))
	assert.True(t, kept("away"))
}

// Names that are no text come back from an archive, its list, a label and a table's marks.
func TestNamesThatAreNoTextComeBack(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n        hello.md\n    More\n", "C/x", "", "c.csv", "client\nOne\n")
	odd := "Regal-\xe4"
	if os.Mkdir(filepath.Join(d.dir, odd), 0o777) != nil {
		t.Skip("this disk takes no such names")
	}
	d.must("build", "t", "--into", "C", "client=Two", "--yes")
	d.write("C/Two/Letters/\xfe.md", "mine")
	d.must("put", "C/Two/Letters/hello.md", "--into", "C/Two", "--json")
	before := d.whole("C/Two")
	d.must("archive", "C/Two", "--into", odd, "--yes")
	out, _ := d.run("projects", "C")
	assert.Contains(t, out, "Two")
	d.must("archive", "--back", "C/Two", "--yes")
	assert.Equal(t, before, d.whole("C/Two"))
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, odd, "In\xff"), 0o777))
	d.must("build", "t", "--into", odd+"/In\xff", "--table", "c.csv", "--mark", "--yes")
	out, status := d.run("build", "t", "--into", odd+"/In\xff", "--table", "c.csv", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "left alone: 1 row")
	assert.NotContains(t, out, "lies there now")
}

// A key of a label that this version does not know stays, whatever rewrites the label.
func TestALabelKeepsWhatANewerVersionWrote(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n    Essay | due: 2027-01-01\n    Later | later\n", "C/x", "", "S/x", "")
	d.must("build", "t", "--into", "C", "client=Two", "--yes")
	label := "C/Two/.vestibula.json"
	d.write("C/Two/Drafts/a.md", "x")
	_, _ = d.run("check", "C/Two", "--accept", "Drafts", "--why", "so")
	text := d.read(label)
	require.Contains(t, text, `"path": "Drafts"`)
	text = strings.Replace(text, `"path": "Drafts"`, `"until": "2031", "path": "Drafts"`, 1)
	d.write(label, strings.Replace(text, `"id":`, `"mood": {"b": [1, 2.50], "a": "ä"}, "id":`, 1))
	kept := func(at string) {
		t.Helper()
		assert.Regexp(t, `(?s)"mood":\s*{\s*"b":\s*\[\s*1,\s*2.50\s*\],\s*"a":\s*"ä"`, d.read(at))
		assert.Contains(t, d.read(at), `"until": "2031"`)
	}
	for _, call := range [][]string{{"tick", "C/Two", "Essay"}, {"add", "C/Two", "Later", "--yes"}, {"upgrade", "C/Two", "client=Three", "--yes"}} {
		d.must(call...)
		if call[0] == "upgrade" {
			label = "C/Three/.vestibula.json"
		}
		kept(label)
	}
	d.must("build", "t", "--into", "C", "client=Three", "--yes")
	kept(label)
	d.must("archive", "C/Three", "--into", "S", "--yes")
	kept("S/Three/.vestibula.json")
	assert.Contains(t, d.read("C/.vestibula-away.json"), `"mood"`)
	d.must("archive", "--back", "C/Three", "--yes")
	kept(label)
}
