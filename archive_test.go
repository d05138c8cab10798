//go:build unix

package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// jobsDesk has three jobs of three years, one of them with all kinds of things in it.
func jobsDesk(t *testing.T) *desk {
	d := newDesk(t, "job.folders", "---\nfields: { client: Who?, received: { type: date } }\nnames: { invoice: { pattern: \"<day:yyyy-mm-dd> invoice <n:00>\", for: [pdf] } }\n---\n<received:yyyy-mm> <client>\n    Invoices | holds: invoice\n    Letters\n",
		"C/own.txt", "mine", "Old/x.txt", "mine")
	for client, day := range map[string]string{"Ola": "2025-03-01", "Jun": "2026-04-01", "Ida": "2027-01-01"} {
		_, status := d.run("build", "job", "--into", "C", "client="+client, "received="+day, "--yes")
		require.Zero(t, status)
	}
	d.write("C/2025-03 Ola/Invoices/2025-03-09 invoice 01.pdf", "one")
	d.write("C/2025-03 Ola/.hidden/deep.txt", "hidden")
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "C/2025-03 Ola/Letters/empty"), 0o777))
	require.NoError(t, os.Symlink("Invoices", filepath.Join(d.dir, "C/2025-03 Ola/link")))
	return d
}

// mediums are folders that projects go to: beside the others, and on another disk where
// there is one.
func mediums(t *testing.T, d *desk) []string {
	list := []string{filepath.Join(d.dir, "Old")}
	here, err := os.Stat(d.dir)
	require.NoError(t, err)
	if other, err := os.Stat("/dev/shm"); err == nil && other.Sys().(*syscall.Stat_t).Dev != here.Sys().(*syscall.Stat_t).Dev {
		dir, err := os.MkdirTemp("/dev/shm", "marl-")
		require.NoError(t, err)
		t.Cleanup(func() { os.RemoveAll(dir) })
		list = append(list, dir)
	}
	return list
}

func TestWhatIsArchivedIsStillKnown(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	before := d.whole("C")
	for _, medium := range mediums(t, d) {
		out, status := d.run("archive", "C", "--where", "received=..2026", "--into", medium, "--preview")
		require.Zero(t, status, out)
		require.Equal(t, before, d.whole("C"))
		out, status = d.run("archive", "C", "--where", "received=..2026", "--into", medium, "--rename", "<received:yyyy> <client>", "--yes")
		require.Zero(t, status, out)
		assert.Contains(t, out, "Archived 2 projects")
		assert.Equal(t, []string{".vestibula-away.json", "2027-01 Ida/", "2027-01 Ida/.vestibula.json", "2027-01 Ida/Invoices/", "2027-01 Ida/Letters/", "own.txt"}, d.has("C"))
		for name, text := range map[string]string{"Invoices/2025-03-09 invoice 01.pdf": "one", ".hidden/deep.txt": "hidden", "link/2025-03-09 invoice 01.pdf": "one"} {
			data, err := os.ReadFile(filepath.Join(medium, "2025 Ola", name))
			require.NoError(t, err)
			assert.Equal(t, text, string(data))
		}
		assert.DirExists(t, filepath.Join(medium, "2025 Ola/Letters/empty"))

		// Each command knows where it went, although the disk is not connected.
		away := medium + " not connected"
		require.NoError(t, os.Rename(medium, away))
		out, status = d.run("projects", "C")
		require.Zero(t, status)
		assert.Contains(t, out, "Archived: 2 projects")
		assert.Contains(t, out, filepath.Join(medium, "2025 Ola"))
		out, status = d.run("projects", "C", "--where", "client=Ola")
		require.Zero(t, status)
		assert.Contains(t, out, "Archived: 1 project\n  2025-03 Ola   ")
		out, _ = d.run("projects", "C", "--where", "client=Nobody")
		assert.Equal(t, "No project matches.\n", out)
		out, status = d.run("read", "C", "--where", "client=Ola", "--json")
		require.Zero(t, status)
		assert.Contains(t, out, "2025-03-09 invoice 01.pdf")
		out, _ = d.run("read", "C")
		assert.Contains(t, out, "1 file is where the project was archived, which is not connected now.")
		out, status = d.run("check", "C/2025-03 Ola")
		assert.Equal(t, 2, status)
		assert.Contains(t, out, "2025-03 Ola was archived: it is ")
		out, status = d.run("build", "job", "--into", "C", "client=Ola", "received=2025-03-01", "--preview")
		require.Zero(t, status)
		assert.Contains(t, out, "note: 2025-03 Ola was archived")
		out, status = d.run("archive", "--back", "C/2025-03 Ola", "--yes")
		assert.Equal(t, 1, status)
		assert.Contains(t, out, "and that is not there now")
		require.NoError(t, os.Rename(away, medium))

		// A table knows it as well, and does not build it again.
		d.write("t.csv", "client,received,built,built on,built in,built as\nOla,2025-03-01,yes,,"+filepath.Join(d.dir, "C/2025-03 Ola")+",\n")
		out, status = d.run("build", "job", "--into", "C", "--table", "t.csv", "--again", "--preview")
		require.Zero(t, status, out)
		assert.Contains(t, out, "archived: it is ")
		assert.NotContains(t, out, "gone")

		_, status = d.run("archive", "--back", "C/2025-03 Ola", "C/2026-04 Jun", "--yes")
		require.Zero(t, status)
		assert.Equal(t, before, d.whole("C"), "byte for byte, and time for time")
		for range 2 { // what was brought back goes, and comes back once more
			out, status = d.run("undo", "--yes")
			require.Zero(t, status, out)
		}
		assert.Equal(t, before, d.whole("C"))
	}
}

func TestWhatCannotBeArchivedStays(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	before := d.whole("C")
	d.write("Old/2025-03 Ola", "a file of that name")
	for args, want := range map[string]string{
		"C|--into|Old":                                   "3 projects lie in C",
		"C/2025-03 Ola|--into|Old":                       "something of that name is there",
		"C/2025-03 Ola|--into|C":                         "lies in C already",
		"C/2025-03 Ola|--into|C/2025-03 Ola/Letters":     "lies in 2025-03 Ola itself",
		"C/2025-03 Ola":                                  "into which folder?",
		"C|--where|received=2031|--into|Old":             "No project matches.",
		"C|--untouched|400|--into|Old":                   "No project matches.",
		"C/2026-04 Jun|--into|Old|--rename|<colour>":     `there is no field named "colour"`,
		"C|--where|received=2026|--into|Old|--rename|a<": "is not closed",
		"--back|C/2031 Nobody":                           `nothing called "2031 Nobody" was archived from C`,
		"C/own.txt|--into|Old":                           "",
	} {
		out, status := d.run(append(append([]string{"archive"}, strings.Split(args, "|")...), "--yes")...)
		assert.NotZero(t, status, args)
		assert.Contains(t, out, want, args)
		assert.Equal(t, before, d.whole("C"), args)
	}
	out, status := d.run("archive", "C/2026-04 Jun", "--into", "Old", "--json", "--yes")
	require.Zero(t, status, out)
	var said struct {
		Done  bool
		Steps []struct{ From, To string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &said))
	assert.True(t, said.Done)
	assert.Equal(t, "Old/2026-04 Jun", said.Steps[0].To)
	d.write("C/.vestibula-away.json", "{")
	out, status = d.run("archive", "C/2025-03 Ola", "--into", "Old", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, ".vestibula-away.json is damaged")
	out, status = d.run("projects", "C")
	assert.Zero(t, status, "what is there is still shown: %s", out)
	assert.Contains(t, out, "! 2025-03 Ola  1 stray")
}

// Parts of a project are archived and handed over by themselves: nothing asks for what is
// away, what is private stays, and what was given to whom is remembered.
func TestPartsAreArchivedAndHandedOver(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	before := map[string]map[string]string{"C": d.whole("C"), "Old": d.whole("Old")}
	has, label := d.has("C"), d.read("C/2025-03 Ola/.vestibula.json")
	out, status := d.run("archive", "C/2025-03 Ola", "--only", "Invoices", "--into", "Old", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Archived 1 part")
	assert.Equal(t, "one", d.read("Old/2025-03 Ola/Invoices/2025-03-09 invoice 01.pdf"))
	assert.NotContains(t, d.has("C"), "2025-03 Ola/Invoices/")
	out, _ = d.run("check", "C/2025-03 Ola")
	assert.NotContains(t, out, "[missing]", "nothing asks for it")
	out, status = d.run("build", "job", "--into", "C", "client=Ola", "received=2025-03-01", "--preview")
	require.Zero(t, status)
	assert.NotContains(t, out, "new")
	out, _ = d.run("projects", "C")
	assert.Contains(t, out, "2025-03 Ola/Invoices")
	out, _ = d.run("read", "C")
	assert.Contains(t, out, "2025-03-09 invoice 01.pdf", "it is still found")
	out, status = d.run("check", "C/2025-03 Ola/Invoices")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "was archived: it is ")
	out, status = d.run("archive", "--back", "C/2025-03 Ola/Invoices", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, has, d.has("C"))
	assert.Equal(t, label, d.read("C/2025-03 Ola/.vestibula.json"))
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	for folder, was := range before {
		assert.Equal(t, was, d.whole(folder), folder)
	}

	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "Post"), 0o777))
	out, status = d.run("archive", "C/2025-03 Ola", "--copy", "--only", "Letters", "--only", "Invoices/2025-03-09 invoice 01.pdf", "--into", "Post", "--for", "Ola Marrow", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"2025-03 Ola/", "2025-03 Ola/Invoices/", "2025-03 Ola/Invoices/2025-03-09 invoice 01.pdf", "2025-03 Ola/Letters/", "2025-03 Ola/Letters/empty/"}, d.has("Post"), "nothing private")
	assert.Contains(t, d.has("C"), "2025-03 Ola/Invoices/2025-03-09 invoice 01.pdf", "a copy leaves all as it is")
	out, _ = d.run("projects", "C/2025-03 Ola")
	assert.Regexp(t, `Handed over\n +20\d\d-\d\d-\d\d Letters, Invoices/2025-03-09 invoice 01.pdf for Ola Marrow, to `, out)
	out, status = d.run("archive", "C/2026-04 Jun", "--copy", "--into", "Post", "--yes")
	require.Zero(t, status, out)
	assert.NotContains(t, strings.Join(d.has("Post/2026-04 Jun"), " "), ".vestibula.json", "the label stays")
	_, status = d.run("upgrade", "C/2025-03 Ola", "client=Olga", "--yes")
	require.Zero(t, status)
	out, _ = d.run("projects", "C/2025-03 Olga")
	assert.Contains(t, out, "for Ola Marrow", "it is remembered")
	for range 3 {
		_, status = d.run("undo", "--yes")
		require.Zero(t, status)
	}
	assert.Equal(t, before["C"], d.whole("C"))
	assert.Empty(t, d.has("Post"))
	for args, want := range map[string]string{"--only|../2026-04 Jun": "leads out of", "--only|Nowhere": `there is no "Nowhere"`, "--for|Ola": "add --copy"} {
		out, status := d.run(append([]string{"archive", "C/2025-03 Ola", "--into", "Old", "--yes"}, strings.Split(args, "|")...)...)
		assert.Equal(t, 2, status)
		assert.Contains(t, out, want)
	}
}

// A medium that fills up half way: all stays here, and nothing is left there.
func TestAFullMediumLosesNothing(t *testing.T) {
	t.Parallel()
	medium := t.TempDir()
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=512k", "tmpfs", medium).CombinedOutput(); err != nil {
		t.Skipf("no small disk can be made here: %s", out)
	}
	t.Cleanup(func() { _ = exec.Command("umount", medium).Run() })
	d := newDesk(t, "job.folders", "---\nfields: { n: { type: number } }\n---\nJob <n:00>\n    Letters\n", "C/own.txt", "mine")
	table := "n\n"
	for i := range 60 {
		table += fmt.Sprintln(i)
	}
	d.write("t.csv", table)
	_, status := d.run("build", "job", "--into", "C", "--table", "t.csv", "--yes")
	require.Zero(t, status)
	for i := range 60 {
		d.write(fmt.Sprintf("C/Job %02d/Letters/a.bin", i), strings.Repeat(fmt.Sprint(i%10), 12_000))
	}
	before := d.whole("C")
	for _, how := range []string{"--yes", "--preview"} {
		out, status := d.run("archive", "C", "--where", "n=..55", "--into", medium, how)
		assert.Equal(t, 1, status)
		assert.Regexp(t, `Nothing was changed: 685\.\d kB are needed on the disk of .*, and 524\.\d kB are free there`, out)
	}
	out, status := d.run("archive", "C", "--where", "n=..41", "--into", medium, "--yes") // it fits, but for what files and folders take beside
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "the disk is full")
	assert.Contains(t, out, "nothing of yours was touched")
	assert.Equal(t, before, d.whole("C"))
	left, err := os.ReadDir(medium)
	require.NoError(t, err)
	assert.Empty(t, left)
	out, status = d.run("archive", "C", "--where", "n=..9", "--into", medium, "--yes") // as many as there is room for
	require.Zero(t, status, out)
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Equal(t, before, d.whole("C"))
}

// What leads to a project that is archived leads there afterwards, where that is asked for; an
// undo brings both back.
func TestLinksFollowWhatIsArchived(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n", "C/own.md", "see [her letter](Ola/Letters/a.md)\n", "Past/own.txt", "mine")
	for _, client := range []string{"Ola", "Jun"} {
		d.must("build", "job", "--into", "C", "client="+client, "--yes")
	}
	d.write("C/Ola/Letters/a.md", "a")
	d.write("C/Jun/Letters/b.md", "see [a](../../Ola/Letters/a.md)\n")
	before := d.own()
	out, status := d.run("archive", "C/Ola", "--into", "Past", "--fix-links", "--preview")
	require.Zero(t, status, out)
	assert.Contains(t, out, "2 paths in 2 texts would lead nowhere, and are changed as well")
	assert.Equal(t, before, d.own())
	d.must("archive", "C/Ola", "--into", "Past", "--fix-links", "--yes")
	assert.Equal(t, "see [a](../../../Past/Ola/Letters/a.md)\n", d.read("C/Jun/Letters/b.md"))
	assert.Equal(t, "see [her letter](../Past/Ola/Letters/a.md)\n", d.read("C/own.md"))
	d.must("archive", "--back", "C/Ola", "--fix-links", "--yes")
	assert.Equal(t, "see [a](../../Ola/Letters/a.md)\n", d.read("C/Jun/Letters/b.md"))
	d.must("undo", "--yes")
	d.must("undo", "--yes")
	assert.Equal(t, before, d.own())
	for _, args := range [][]string{{"archive", "C/Ola", "--into", "Past/old.zip", "--fix-links"}, {"archive", "C/Ola", "--copy", "--into", "Past", "--fix-links"}, {"next", "C/Ola", "--fix-links"}} {
		_, status := d.run(args...)
		assert.Equal(t, 2, status, args)
	}
}

// An archive can move together with the projects, or a project in it: the way is remembered, its identity
// is looked at, and one that is named where it stands needs no list.
func TestAnArchiveCanMove(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "w/t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Notes\n", "w/Shelf/own.txt", "mine", "w/Clients/own.txt", "mine")
	d.dir = filepath.Join(d.dir, "w")
	for _, client := range []string{"Ann", "Bob", "Cy", "Dee"} {
		d.run("build", "t", "client="+client, "--into", "Clients", "--yes")
		d.write("Clients/"+client+"/Notes/a.txt", client)
	}
	_, status := d.run("archive", "Clients/Ann", "Clients/Bob", "--into", "Shelf", "--yes")
	require.Zero(t, status)
	_, status = d.run("archive", "Clients/Dee", "--into", "Shelf/dee.zip", "--yes")
	require.Zero(t, status)
	moved := filepath.Join(filepath.Dir(d.dir), "elsewhere")
	require.NoError(t, os.Rename(d.dir, moved))
	d.dir = moved
	out, _ := d.run("projects", "Clients")
	assert.Contains(t, out, moved+"/Shelf/Ann")
	for _, at := range []string{"Clients/Ann", "Clients/Dee"} {
		out, status = d.run("archive", "--back", at, "--yes")
		assert.Zero(t, status, out)
	}
	assert.Equal(t, "Ann", d.read("Clients/Ann/Notes/a.txt"))
	assert.Equal(t, "Dee", d.read("Clients/Dee/Notes/a.txt"))
	require.NoError(t, os.Rename(filepath.Join(moved, "Shelf/Bob"), filepath.Join(moved, "Shelf/Robert")))
	out, status = d.run("archive", "--back", "Shelf/Robert", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "Bob", d.read("Clients/Bob/Notes/a.txt"), "under the name that it had there")
	_, status = d.run("archive", "Clients/Cy", "--into", "Shelf", "--yes")
	require.Zero(t, status)
	require.NoError(t, os.Remove(filepath.Join(moved, "Clients/.vestibula-away.json")))
	out, status = d.run("archive", "--back", "Shelf/Cy", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "say where it goes with --into")
	out, status = d.run("archive", "--back", "Shelf/Cy", "--into", "Clients", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "Cy", d.read("Clients/Cy/Notes/a.txt"))
	out, status = d.run("check", "Clients")
	assert.Zero(t, status, out)
	// What lies there now has to be that project.
	_, status = d.run("archive", "Clients/Ann", "--into", "Shelf", "--yes")
	require.Zero(t, status)
	require.NoError(t, os.RemoveAll(filepath.Join(moved, "Shelf/Ann")))
	require.NoError(t, os.CopyFS(filepath.Join(moved, "Shelf/Ann"), os.DirFS(filepath.Join(moved, "Clients/Bob"))))
	out, status = d.run("archive", "--back", "Clients/Ann", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "is not that project any more")
}
