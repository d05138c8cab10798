//go:build unix

package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// kills is how many runs are killed. VESTIBULA_KILLS=1000 kills a thousand.
func kills(t *testing.T) int {
	if text := os.Getenv("VESTIBULA_KILLS"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err)
		return n
	}
	return 20
}

// count counts all that lies below a folder, which may change meanwhile.
func (d *desk) count(folder string) (n int) {
	_ = filepath.WalkDir(filepath.Join(d.dir, folder), func(string, os.DirEntry, error) error { n++; return nil })
	return n - 1
}

// A build or an undo that is killed at any moment can be finished or taken back,
// and nothing of the user's is lost.
func TestKilledRunsCanBeFinishedOrTakenBack(t *testing.T) {
	t.Parallel()
	const table = "name,note\nOriel,first\nÅsgerd,second\nJun,third\n"
	d := newDesk(t, "t.folders", "---\nfields: { name: Who? }\n---\n<name>\n    Part <n:000> | each: n in 1..40\n        <#> Notes\n        <#> Work\n        start.md | fill: start.md\n",
		"start.md", "begin <name>\n"+strings.Repeat("x", 4000), "out/Åsgerd/mine.txt", "mine", "list/r.csv", table)
	build := []string{"build", "t", "--into", "out", "--table", "list/r.csv", "--mark", "--yes"}
	state := func() map[string]string {
		all := map[string]string{}
		for _, folder := range []string{"out", "list"} {
			for _, path := range d.has(folder) {
				if path = folder + "/" + path; !strings.HasSuffix(path, "/") {
					all[path] = d.read(path)
				} else {
					all[path] = ""
				}
			}
		}
		return all
	}
	// shape is a state without the times in it.
	stamp := regexp.MustCompile(`"id": "[^"]*"|"built": "[^"]*"|,20\d\d-\d\d-\d\d \d\d:\d\d,|(?m),[0-9a-z]{12}$`)
	shape := func() map[string]string {
		all := state()
		for path, text := range all {
			all[path] = stamp.ReplaceAllString(text, "")
		}
		return all
	}
	before := state()
	out, status := d.run(build...)
	require.Zero(t, status, out)
	whole := shape()
	require.Len(t, whole, 3*(1+40*4+1)+1+1)
	undoAll := func() {
		for range 4 {
			if out, status := d.run("undo", "--yes"); status != 0 {
				require.Contains(t, out, "there is nothing to undo")
				break
			}
		}
		require.Equal(t, before, state(), "undone")
		require.NoError(t, os.RemoveAll(filepath.Join(d.dir, ".state")))
	}
	undoAll()
	// kill kills a run when so many names have come about, or have gone.
	kill := func(changed int, args ...string) {
		cmd := exec.Command(program, args...)
		cmd.Dir, cmd.Env = d.dir, d.environment()
		names := len(d.has("out"))
		require.NoError(t, cmd.Start())
		ended := make(chan struct{})
		go func() { _ = cmd.Wait(); close(ended) }()
		for {
			select {
			case <-ended:
				return
			default:
			}
			if n := d.count("out") - names; max(n, -n) >= changed {
				_ = cmd.Process.Kill()
				<-ended
				return
			}
		}
	}
	cut := 0
	for i := range kills(t) {
		kill(rand.IntN(len(whole)), build...)
		history, _ := d.run("history")
		if strings.Contains(history, "cut short") {
			cut++
		}
		require.Equal(t, "mine", d.read("out/Åsgerd/mine.txt"))
		switch i % 3 {
		case 0: // the same build again finishes it
			out, status := d.run(build...)
			require.Zero(t, status, out)
			require.Equal(t, whole, shape(), "finished")
		case 1: // it is taken back, and so is what an undo that is killed left over
			kill(rand.IntN(len(whole)), "undo", "--yes")
		}
		undoAll()
	}
	t.Logf("%d of %d builds were cut short", cut, kills(t))
	assert.Greater(t, cut, kills(t)/10)
}

func TestHistoryAndUndo(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	out, status := d.run("history")
	assert.Zero(t, status)
	assert.Equal(t, "Nothing was done yet.\n", out)
	out, status = d.run("undo")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "there is nothing to undo")

	before := d.has("out")
	d.run("build", "client", "--into", "out", "client=x", "received=today", "--yes")
	out, _ = d.run("history")
	assert.Contains(t, out, "build  x        4 folders, 2 files  done")
	out, status = d.run("undo")
	assert.Equal(t, 1, status, "without a terminal and without --yes nothing is changed")
	assert.Contains(t, out, "- x/   with the 6 things in it")
	d.write("out/x/03 repair/mine.txt", "mine")
	d.write("out/x/01 Notes/hello.md", "edited")
	out, status = d.run("undo", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "~ 03 repair   stays: it holds “mine.txt”")
	assert.Contains(t, out, "~ 01 Notes/hello.md   stays: it has been changed since")
	assert.Equal(t, append([]string{}, "own.txt", "x/", "x/01 Notes/", "x/01 Notes/hello.md", "x/03 repair/", "x/03 repair/mine.txt"), d.has("out"))
	out, _ = d.run("history", "2")
	assert.Contains(t, out, "- x/02 survey/")
	_, status = d.run("undo", "2", "--yes")
	assert.Zero(t, status)
	assert.Equal(t, "Dear x,\n", firstLine(strings.Replace(d.read("out/x/01 Notes/hello.md"), "edited", "Dear x,\n", 1)))
	assert.Contains(t, d.has("out"), "x/form.bin")
	out, status = d.run("undo", "7")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, `nothing was done under the number "7"`)
	_ = before
}

// However many runs work in one place at a time, each is done as a whole or
// refused, and no label loses what another run wrote into it.
func TestRunsInOnePlaceWaitForNobodyAndLoseNothing(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { town: Where? }\n---\nNorland/<town>/\n    Part <n:000> | each: n in 1..60\n", "out/x", "")
	type result struct {
		town, out string
		status    int
	}
	results := make(chan result)
	const runs = 8
	for i := range runs {
		go func() {
			cmd := exec.Command(program, "build", "t", "--into", "out", fmt.Sprintf("town=Town %d", i), "--yes")
			cmd.Dir, cmd.Env = d.dir, d.environment()
			out, _ := cmd.CombinedOutput()
			results <- result{fmt.Sprintf("Town %d", i), string(out), cmd.ProcessState.ExitCode()}
		}()
	}
	done := 0
	var all []result
	for range runs {
		all = append(all, <-results)
	}
	has := strings.Join(d.has("out"), "\n")
	for _, r := range all {
		built := r.status == 0
		if built {
			done++
		} else {
			assert.Regexp(t, "another run is at work in|has changed meanwhile|is there already", r.out)
		}
		assert.Equal(t, built, strings.Contains(has, r.town+"/Part 060/"), r.out)
		assert.Equal(t, built, strings.Contains(has, r.town), r.out)
		assert.Equal(t, built, strings.Contains(has, r.town+"/.vestibula.json"), r.out)
	}
	assert.Positive(t, done)
}

func TestWhatWasCutShortIsNoticed(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	args := []string{"build", "client", "--into", "out", "client=x", "received=today", "--yes"}
	_, status := d.run(args...)
	require.Zero(t, status)
	// The power goes before the last folder is made.
	const record = ".state/vestibula/journal/000001.jsonl"
	text := d.read(record)
	d.write(record+".open", text[:strings.Index(text, `{"end"`)])
	require.NoError(t, os.Remove(filepath.Join(d.dir, record)))
	require.NoError(t, os.Remove(filepath.Join(d.dir, "out/x/03 repair")))
	ways := regexp.MustCompile(`was cut short.*\s+to finish it: vestibula history --finish 1\s+to take it back: vestibula undo 1`)
	out, _ := d.run("history")
	assert.Regexp(t, ways, out)
	d.write("elsewhere/own.txt", "mine")
	out, status = d.run("build", "ledger", "--into", "elsewhere", "year=2027", "--yes")
	assert.Zero(t, status, "what has nothing to do with it goes on: %s", out)
	out, status = d.run("build", "client", "--into", "out", "client=x", "received=2027-01-01", "--yes")
	assert.Equal(t, 1, status)
	assert.Regexp(t, "Nothing was changed: the build of x on .*"+ways.String(), flat(out), "another call on the same things names both ways")
	assert.NoDirExists(t, filepath.Join(d.dir, "out/x/03 repair"))
	out, status = d.run(args...)
	assert.Zero(t, status)
	assert.Contains(t, out, "Finished: the build of x")
	assert.DirExists(t, filepath.Join(d.dir, "out/x/03 repair"))
	out, _ = d.run("history")
	assert.NotContains(t, out, "cut short")
	_, status = d.run("undo", "1", "--yes")
	assert.Zero(t, status)
	assert.Equal(t, []string{"own.txt"}, d.has("out"), "one undo takes back all of it")
}

// The power goes after a table's rows were built and marked: the same build once more, for which
// nothing of them is left to do, finishes the run.
func TestATableThatWasCutShortIsFinished(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n", "jobs.csv", "client\nOla\nJun\n", "C/own.txt", "mine")
	args := []string{"build", "job", "--into", "C", "--table", "jobs.csv", "--mark", "--yes"}
	_, status := d.run(args...)
	require.Zero(t, status)
	const record = ".state/vestibula/journal/000001.jsonl"
	text := d.read(record)
	d.write(record+".open", text[:strings.Index(text, `{"end"`)])
	require.NoError(t, os.Remove(filepath.Join(d.dir, record)))
	d.write("jobs.csv", d.read("jobs.csv")+"Ida\n")
	out, status := d.run(args...)
	require.Zero(t, status, out)
	assert.Contains(t, out, "Built 1 row", "all of the first was done, and only its end was missing")
	out, _ = d.run("history")
	assert.NotContains(t, out, "cut short")
	for range 2 {
		_, status = d.run("undo", "--yes")
		require.Zero(t, status)
	}
	assert.Equal(t, []string{"own.txt"}, d.has("C"))
	assert.Equal(t, "client,built,built on,built in,built as\nOla,,,,\nJun,,,,\nIda\n", d.read("jobs.csv"))
}

// A disk that is not connected leaves an empty folder behind: what is not found there was not taken
// back, and the undo waits for it.
func TestAnUndoWaitsForADiskThatIsAway(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n", "disk/own.txt", "mine")
	d.must("build", "job", "--into", "disk", "client=Ola", "--yes")
	// The record is that of a disk that was mounted there.
	const record = ".state/vestibula/journal/000001.jsonl"
	d.write(record, strings.Replace(d.read(record), `"work":`, fmt.Sprintf(`"mounts":[%q],"work":`, filepath.Join(d.dir, "disk")), 1))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "disk"), filepath.Join(d.dir, "kept")))
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "disk"), 0o777))
	out, status := d.run("undo", "1", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "disk is not connected; nothing was changed")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "disk")))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "kept"), filepath.Join(d.dir, "disk")))
	d.must("undo", "1", "--yes")
	assert.Equal(t, []string{"own.txt"}, d.has("disk"))
}

func firstLine(s string) string {
	line, _, _ := strings.Cut(s, "\n")
	return line + "\n"
}

func TestAJournalThatCannotBeWrittenStopsTheBuild(t *testing.T) {
	t.Parallel()
	d := clientDesk(t)
	d.write(".state", "a file where the folder must be")
	args := []string{"build", "client", "--into", "out", "client=x", "received=today", "--yes"}
	out, status := d.run(args...)
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "to build all the same, although it cannot be taken back then: vestibula build")
	assert.Equal(t, []string{"own.txt"}, d.has("out"))
	out, status = d.run(append(args, "--no-journal")...)
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("out"), "x/form.bin")
}

// A file is another one whenever a program has saved it, and what was done to it can be
// taken back all the same.
func TestWhatWasDoneToAFileIsTakenBackAlthoughItWasSavedAnew(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "A\n    1 x\n    10 y\n")
	d.run("check", "--fix", "t", "--yes")
	fixed := d.read("t.folders")
	require.Equal(t, "A\n    01 x\n    10 y\n", fixed)
	for range 3 { // as editors do
		d.write("t.new", fixed)
		require.NoError(t, os.Rename(filepath.Join(d.dir, "t.new"), filepath.Join(d.dir, "t.folders")))
	}
	out, status := d.run("undo", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "A\n    1 x\n    10 y\n", d.read("t.folders"))
	// What holds something else by now stays.
	d.run("undo", "2", "--yes")
	d.write("t.new", "edited")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "t.new"), filepath.Join(d.dir, "t.folders")))
	out, _ = d.run("undo", "3", "--yes")
	assert.Contains(t, out, "stays: it has been changed since")
	assert.Equal(t, "edited", d.read("t.folders"))
}

// A run that was cut short is taken back, and what somebody has put in the place of what it
// moved stays, and is told.
func TestWhatTookThePlaceOfWhatWasMovedStays(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "moves.csv", "from,to\n./a.txt,./b.txt\n./c.txt,./d.txt\n", "a.txt", "a", "c.txt", "c")
	d.following = true
	d.must("do", "moves.csv", "--yes")
	record := ".state/vestibula/journal/000001.jsonl"
	text := d.read(record)
	d.write(record+".open", text[:strings.Index(text, "\n{\"end\"")]+"\n")
	require.NoError(t, os.Remove(filepath.Join(d.dir, record)))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "b.txt"), filepath.Join(d.dir, "keep.txt"))) // what is removed would leave its number to the next
	d.write("b.txt", "mine now")
	out, status := d.run("undo", "1", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "mine now", d.read("b.txt"), out)
	assert.Equal(t, "c", d.read("c.txt"))
	assert.NotContains(t, d.has("."), "d.txt")
}

// What was written for reading, and then deleted or overwritten, stands in no one's way: neither in
// that of an undo of what was done before, nor in that of the next undo.
func TestUndoNeverTripsOverAReport(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "j.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Notes\n", "j.csv", "client\nAnn\nBob\n")
	for name, spoil := range map[string]func(){
		"deleted":     func() { require.NoError(t, os.Remove(filepath.Join(d.dir, "Ann/p.html"))) },
		"overwritten": func() { d.write("Ann/p.html", "other") },
	} {
		out, status := d.run("build", "j", "--table", "j.csv", "--into", ".", "--yes", "--report", "r.csv")
		require.Zero(t, status, out)
		out, status = d.run("projects", ".", "--out", "Ann/p.html")
		require.Zero(t, status, out)
		spoil()
		d.write("r.csv", "read, and noted in")
		out, status = d.run("undo", "--yes")
		assert.Zero(t, status, out)
		assert.Contains(t, out, "the build of 2 rows of j.csv", name)
		assert.NoDirExists(t, filepath.Join(d.dir, "Bob"))
		assert.NoDirExists(t, filepath.Join(d.dir, "Ann/Notes"))
		assert.Equal(t, "read, and noted in", d.read("r.csv"))
		require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "Ann")))
		require.NoError(t, os.Remove(filepath.Join(d.dir, "r.csv")))
	}
	// One that is as it was written is what was done last.
	d.run("build", "j", "client=Ann", "--into", ".", "--yes")
	d.run("projects", ".", "--out", "p.html")
	out, status := d.run("undo", "--yes")
	assert.Zero(t, status, out)
	assert.NoFileExists(t, filepath.Join(d.dir, "p.html"))
	d.run("projects", ".", "--out", "p.html")
	d.write("p.html", "other")
	out, _ = d.run("history")
	lines := strings.Split(strings.TrimSpace(out), "\n")
	out, status = d.run("undo", strings.Fields(lines[len(lines)-1])[0], "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Nothing to do: all that it made has changed since.")
}

// One project out of many that one run has changed is taken back alone; the rest can be taken back
// afterwards, and each of that be had back.
func TestOneProjectIsTakenBackOutOfMany(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "j.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Notes\n", "j.csv", "client\nAnn\nBob\nCy\n")
	run := func(args ...string) string {
		out, status := d.run(append(args, "--yes")...)
		require.Zero(t, status, out)
		return out
	}
	run("build", "j", "--table", "j.csv", "--into", ".")
	assert.Contains(t, run("undo", "1", "Bob"), "the build of 3 rows of j.csv, as far as Bob goes")
	assert.NoDirExists(t, filepath.Join(d.dir, "Bob"))
	assert.DirExists(t, filepath.Join(d.dir, "Ann/Notes"))
	run("undo", "2")
	assert.DirExists(t, filepath.Join(d.dir, "Bob/Notes"))
	d.write("j.folders", strings.Replace(d.read("j.folders"), "Notes", "Papers | was: Notes", 1))
	d.write("Cy/Notes/a.txt", "mine")
	run("upgrade", ".")
	run("undo", "4", "Cy")
	assert.Equal(t, "mine", d.read("Cy/Notes/a.txt"))
	assert.DirExists(t, filepath.Join(d.dir, "Ann/Papers"))
	out, status := d.run("check", ".")
	assert.Zero(t, status, out)
	run("undo") // what is left of the upgrade
	assert.DirExists(t, filepath.Join(d.dir, "Ann/Notes"))
	assert.Equal(t, "mine", d.read("Cy/Notes/a.txt"))
	out, status = d.run("check", ".")
	assert.Zero(t, status, out)
}

// A folder that is named and not there is made with what lies in it, by all that write into one: one undo takes both back,
// and where nothing comes of it nothing stays.
func TestAFolderThatIsNamedIsMadeWithWhatLiesInIt(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, month: { type: month } }\n---\n<month> <client>\n    Letters | holds: documents\n    Sheets | carry\n")
	d.must("build", "t", "client=Ola", "month=2027-03", "--into", "New/deep", "--yes") // each run with --yes is taken back and done again
	assert.DirExists(t, filepath.Join(d.dir, "New/deep/2027-03 Ola/Letters"))
	d.write("in/note.pdf", "x")
	project := "New/deep/2027-03 Ola"
	d.must("put", "in/note.pdf", "--into", project+"/Later on", "--why", "for now", "--yes")
	assert.Equal(t, []string{"note.pdf"}, d.has(project+"/Later on"))
	d.must("backup", project, "--into", "Safe/here", "--yes")
	d.must("next", project, "--archive", "Old/years", "--yes")
	assert.DirExists(t, filepath.Join(d.dir, "Old/years/2027-03 Ola"))
	d.must("archive", "New/deep/2027-04 Ola", "--into", "Shelf", "--yes")
	assert.DirExists(t, filepath.Join(d.dir, "Shelf/2027-04 Ola"))
	d.must("archive", "--back", "Shelf/2027-04 Ola", "--into", "Again/here", "--yes")
	d.must("archive", "Again/here/2027-04 Ola", "--into", "Files/of/2027.zip", "--yes")
	d.must("build", "t", "client=Ida", "month=2027-06", "--into", "Files/more/ida.zip", "--yes")
	assert.FileExists(t, filepath.Join(d.dir, "Files/of/2027.zip"))
	assert.FileExists(t, filepath.Join(d.dir, "Files/more/ida.zip"))
	for _, args := range []string{"build|t|client=Ola|month=soon", "build|nothing", "archive|nobody", "put|nothing.pdf", "build|t|client=Una|month=2027-05|--preview"} {
		_, status := d.run(append(strings.Split(args, "|"), "--into", "Nowhere/x", "--yes")...)
		assert.NotZero(t, status, args)
		assert.NoDirExists(t, filepath.Join(d.dir, "Nowhere"), args)
	}
}
