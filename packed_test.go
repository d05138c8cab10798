//go:build unix

package main

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// unzipped is what another reader finds in an archive: what files hold, and where links lead.
func (d *desk) unzipped(file string) map[string]string {
	z, err := zip.OpenReader(filepath.Join(d.dir, file))
	require.NoError(d.t, err)
	defer z.Close()
	all := map[string]string{}
	for _, e := range z.File {
		r, err := e.Open()
		require.NoError(d.t, err)
		data, err := io.ReadAll(r)
		require.NoError(d.t, err)
		all[e.Name] = string(data)
	}
	return all
}

// living is what a folder holds, without what is kept there.
func (d *desk) living(folder string) map[string]string {
	all := d.whole(folder)
	maps.DeleteFunc(all, func(at, _ string) bool { return strings.HasPrefix(at, ".vestibula-") && strings.Contains(at, "/") })
	return all
}

// spoil changes the bytes of an archive in which a text lies unpacked.
func (d *desk) spoil(file, text string) {
	data := []byte(d.read(file))
	require.Contains(d.t, string(data), text)
	d.write(file, string(bytes.Replace(data, []byte(text), bytes.ToUpper([]byte(text)), 1)))
}

func TestProjectsGoIntoAFileAndComeBack(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	d.write("C/2025-03 Ola/Invoices/cover.jpg", strings.Repeat("a picture ", 9000))
	require.NoError(t, os.Chmod(filepath.Join(d.dir, "C/2025-03 Ola/Letters"), 0o750))
	require.NoError(t, os.Chmod(filepath.Join(d.dir, "C/2025-03 Ola"), 0o700))
	before := d.living("C")
	out, status := d.run("archive", "C", "--where", "received=..2026", "--into", "Old/years.zip", "--rename", "<client>", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "is kept. To free that room: vestibula history --forget")
	assert.Equal(t, []string{".vestibula-away.json", "2027-01 Ida/", "2027-01 Ida/.vestibula.json", "2027-01 Ida/Invoices/", "2027-01 Ida/Letters/", "own.txt"}, slices.Sorted(maps.Keys(d.living("C"))))
	inside := d.unzipped("Old/years.zip")
	for at, text := range map[string]string{"Ola/Invoices/2025-03-09 invoice 01.pdf": "one", "Ola/.hidden/deep.txt": "hidden", "Ola/link": "Invoices", "Ola/Letters/empty/": "", "Jun/Letters/": ""} {
		is, there := inside[at]
		assert.True(t, there && is == text, at)
	}
	for _, command := range [][]string{{"projects", "C"}, {"check", "C/2025-03 Ola"}, {"build", "job", "--into", "C", "client=Ola", "received=2025-03-01"}} {
		out, _ = d.run(command...)
		assert.Contains(t, out, "Old/years.zip/Ola", command)
	}
	out, _ = d.run("read", "C", "--where", "day=2025-03-09")
	assert.Contains(t, out, "2025-03-09 invoice 01.pdf")
	out, status = d.run("check", "Old/years.zip")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Whole: the archive Old/years.zip")

	// Nothing comes back from one that is not what it was, or is not at hand.
	whole := d.read("Old/years.zip")
	d.spoil("Old/years.zip", "a picture")
	out, status = d.run("check", "Old/years.zip")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Ola/Invoices/cover.jpg")
	out, status = d.run("archive", "--back", "C/2025-03 Ola", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "damaged")
	assert.NoFileExists(t, filepath.Join(d.dir, "C/2025-03 Ola"))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Old/years.zip"), filepath.Join(d.dir, "lent.zip")))
	out, _ = d.run("archive", "--back", "C/2025-03 Ola", "--yes")
	assert.Contains(t, out, "connect it")
	d.write("Old/years.zip", whole)
	out, status = d.run("archive", "--back", "Old/years.zip/Nobody", "--yes")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, `no project called "Nobody" was archived into Old/years.zip`)
	for _, name := range []string{"Old/years.zip/Ola", "C/2026-04 Jun"} { // by where it lies, or where it was
		out, status = d.run("archive", "--back", name, "--yes")
		require.Zero(t, status, out)
		assert.Contains(t, out, "years.zip stays as it is")
	}
	assert.Equal(t, before, d.living("C"))
	assert.Equal(t, whole, d.read("Old/years.zip"))

	// One undo for each step, back to the begin.
	for range 3 {
		out, status = d.run("undo", "--yes")
		require.Zero(t, status, out)
	}
	assert.Equal(t, before, d.living("C"))
	assert.NoFileExists(t, filepath.Join(d.dir, "Old/years.zip"))
}

func TestWhatCannotGoIntoAFileStays(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	d.write("there.zip", "mine")
	before := d.living("C")
	for _, c := range []struct{ into, says string }{
		{"there.zip", "is there already"}, {"new.tar.gz", "ends in .zip"}, {"C/own.txt/new.zip", "a file lies where its folder must be"}, {"C/2025-03 Ola/new.zip", "lies in"},
	} {
		out, status := d.run("archive", "C/2025-03 Ola", "--into", c.into, "--yes")
		assert.NotZero(t, status)
		assert.Contains(t, out, c.says)
	}
	out, status := d.run("archive", "C", "--untouched", "0", "--where", "received=..2027", "--into", "new.zip", "--rename", "one", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "--rename")
	assert.Equal(t, before, d.living("C"))
	assert.Equal(t, "mine", d.read("there.zip"))
	assert.NoFileExists(t, filepath.Join(d.dir, "new.zip"))
}

func TestPartsGoIntoAFile(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	before := d.living("C")
	out, status := d.run("archive", "C/2025-03 Ola", "--copy", "--only", "Invoices", "--for", "Ola", "--into", "post.zip", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, map[string]string{"2025-03 Ola/": "", "2025-03 Ola/Invoices/": "", "2025-03 Ola/Invoices/2025-03-09 invoice 01.pdf": "one"}, d.unzipped("post.zip"))
	assert.Contains(t, d.read("C/2025-03 Ola/.vestibula.json"), "post.zip")
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	out, status = d.run("archive", "C/2025-03 Ola", "--only", "Invoices", "--only", "link", "--into", "part.zip", "--yes")
	require.Zero(t, status, out)
	assert.NoFileExists(t, filepath.Join(d.dir, "C/2025-03 Ola/Invoices"))
	out, _ = d.run("check", "C/2025-03 Ola")
	assert.Contains(t, out, "All is well", "what was archived is not asked for")
	for _, part := range []string{"Invoices", "link"} {
		out, status = d.run("archive", "--back", "C/2025-03 Ola/"+part, "--yes")
		require.Zero(t, status, out)
	}
	after := d.living("C")
	for at := range before {
		if at != "2025-03 Ola/" && at != "2025-03 Ola/.vestibula.json" { // things came and went there
			assert.Equal(t, before[at], after[at], at)
		}
	}
	assert.Len(t, after, len(before))
}

func TestATermTurnsIntoAFile(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "term.folders", "---\nfields: { course: Which?, term: { type: term, of: [winter, spring] } }\n---\n<course> <term:yyyy 0 Name>\n    Handouts | carry\n    Tools | carry: moves\n    Essays\n", "T/own.txt", "mine")
	_, status := d.run("build", "term", "--into", "T", "course=Casing", "term=2027 winter", "--yes")
	require.Zero(t, status)
	for _, at := range []string{"Handouts/a.txt", "Tools/bone.txt", "Essays/essay.txt"} {
		d.write("T/Casing 2027 1 Winter/"+at, at)
	}
	before := d.living("T")
	out, status := d.run("next", "T/Casing 2027 1 Winter", "--archive", "winter.zip", "--yes")
	require.Zero(t, status, out)
	inside := d.unzipped("winter.zip")
	_, moved := inside["Casing 2027 1 Winter/Tools/bone.txt"]
	assert.False(t, moved, "it went along")
	assert.Equal(t, "Essays/essay.txt", inside["Casing 2027 1 Winter/Essays/essay.txt"])
	assert.Equal(t, []string{".vestibula-away.json", "Casing 2027 2 Spring/", "Casing 2027 2 Spring/.vestibula.json", "Casing 2027 2 Spring/Essays/", "Casing 2027 2 Spring/Handouts/", "Casing 2027 2 Spring/Handouts/a.txt", "Casing 2027 2 Spring/Tools/", "Casing 2027 2 Spring/Tools/bone.txt", "own.txt"}, d.has("T"))
	assert.Contains(t, out, "is kept. To free that room: vestibula history --forget")
	out, status = d.run("check", "winter.zip")
	assert.Zero(t, status, out)
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, d.living("T"))
}

func TestABackupIsOneFile(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "B"), 0o777))
	d.write("C/2025-03 Ola/Letters/cover.jpg", "a picture")
	before := d.living("C")
	for _, flags := range [][]string{{"--zip"}, {"--zip", "--bag"}} {
		out, status := d.run(append([]string{"backup", "C/2025-03 Ola", "--into", "B"}, flags...)...)
		require.Zero(t, status, out)
	}
	assert.Equal(t, before, d.living("C"))
	files := d.has("B")
	require.Len(t, files, 2)
	for i, at := range files { // "… 2.zip" stands first
		out, status := d.run("check", "B/"+at)
		assert.Zero(t, status, out)
		assert.Contains(t, out, []string{"the bag", "the archive"}[i])
		d.spoil("B/"+at, "a picture")
		out, status = d.run("check", "B/"+at)
		assert.NotZero(t, status, out)
	}
	_, status := d.run("backup", "C/2025-03 Ola", "--into", "B", "--zip", "--share")
	assert.Equal(t, 2, status)
	require.NoError(t, os.Remove(filepath.Join(d.dir, "B", files[0])))
	require.NoError(t, os.Remove(filepath.Join(d.dir, "B", files[1])))
	for range 2 {
		_, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--zip")
		require.Zero(t, status)
	}
	d.write("C/2025-03 Ola/Letters/new.md", "new")
	out, _ := d.run("backup", "C/2025-03 Ola", "--into", "B", "--list")
	assert.Equal(t, 2, strings.Count(out, "1 new since"), out)
	out, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--zip", "--keep", "1", "--yes")
	require.Zero(t, status, out)
	assert.Len(t, d.has("B"), 4, "one, and two in Older")
}

// Whatever names a disk has, what is set aside or archived is all of it, and comes back.
func TestNamesOfAllKindsAreSetAside(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n    Plans\n")
	_, status := d.run("build", "job", "client=Ola", "--into", ".", "--yes")
	require.Zero(t, status)
	for i, name := range []string{"b\xe9t\xe9.txt", "new\nline.txt", "end ", "* star", " begin", "100%.txt", "%0A.txt", "quote\"s\\.txt", "-dash", ".hidden", "\u202egpj.exe", strings.Repeat("é", 120)} {
		d.write("Ola/Letters/"+name, strings.Repeat("x", i+1))
	}
	require.NoError(t, os.MkdirAll(filepath.Join(d.dir, "Ola/Plans/\xff\xfe/deep"), 0o700))
	require.NoError(t, os.Symlink("b\xe9t\xe9.txt", filepath.Join(d.dir, "Ola/Letters/way")))
	require.NoError(t, os.Symlink("/nowhere/at all", filepath.Join(d.dir, "Ola/Letters/dead")))
	before := d.living("Ola")
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "B"), 0o777))
	for _, flags := range [][]string{nil, {"--bag"}, {"--zip"}, {"--zip", "--bag"}, {"--share"}} {
		out, status := d.run(append([]string{"backup", "Ola", "--into", "B"}, flags...)...)
		require.Zero(t, status, out)
	}
	entries, err := os.ReadDir(filepath.Join(d.dir, "B"))
	require.NoError(t, err)
	require.Len(t, entries, 5)
	for _, e := range entries {
		out, status := d.run("check", "B/"+e.Name())
		assert.Zero(t, status, out)
		assert.Contains(t, out, "Whole:")
		out, status = d.run("compare", "B/"+e.Name(), "--strict")
		assert.Zero(t, status, out)
	}
	for _, into := range []string{"o.zip", "Away"} {
		if into == "Away" {
			require.NoError(t, os.Mkdir(filepath.Join(d.dir, into), 0o777))
		}
		out, status := d.run("archive", "Ola", "--into", into, "--yes")
		require.Zero(t, status, out)
		out, status = d.run("archive", "--back", "Ola", "--yes")
		require.Zero(t, status, out)
		assert.Equal(t, before, d.living("Ola"))
	}
}

// An archiving that is killed at any moment loses nothing: what was taken away is there
// again after an undo, and a file that bears its name is a whole archive.
func TestKilledArchivingsLoseNothing(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n    Plans\n")
	_, status := d.run("build", "job", "client=Ola", "--into", "C", "--yes")
	if status != 0 {
		require.NoError(t, os.Mkdir(filepath.Join(d.dir, "C"), 0o777))
		_, status = d.run("build", "job", "client=Ola", "--into", "C", "--yes")
	}
	require.Zero(t, status)
	for i := range 120 {
		d.write(fmt.Sprintf("C/Ola/Letters/letter %d.txt", i), strings.Repeat("words ", i))
	}
	for i := range 6 { // too large for a record: they are kept where they are
		d.write(fmt.Sprintf("C/Ola/Plans/%d/plan.bin", i), strings.Repeat(fmt.Sprint(i), 100_000))
	}
	// The build is not to be undone where nothing was begun.
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, ".state")))
	before := d.living("C")
	again := func() {
		for range 3 {
			out, status := d.run("undo", "--yes")
			if status != 0 {
				require.Contains(t, out, "nothing to undo")
				break
			}
			if maps.Equal(before, d.living("C")) {
				break
			}
		}
		require.True(t, maps.Equal(before, d.living("C")), "all is where it was")
		assert.NoFileExists(t, filepath.Join(d.dir, "old.zip"))
		require.NoError(t, os.RemoveAll(filepath.Join(d.dir, ".state")))
	}
	d.following = true // on a copy of the desk nothing is what the record knows it by
	cut := 0
	for range kills(t) {
		gone := rand.IntN(140)
		cmd := exec.Command(program, "archive", "C/Ola", "--into", "old.zip", "--yes")
		cmd.Dir, cmd.Env = d.dir, d.environment()
		require.NoError(t, cmd.Start())
		ended := make(chan struct{})
		go func() { _ = cmd.Wait(); close(ended) }()
		for names, over := d.count("C/Ola"), false; !over; {
			select {
			case <-ended:
				over = true
			default:
				if names-d.count("C/Ola") >= gone {
					_ = cmd.Process.Kill()
					<-ended
					over = true
				}
			}
		}
		if isWhole := d.count("C/Ola") == 0; !isWhole {
			cut++
		}
		if _, err := os.Lstat(filepath.Join(d.dir, "old.zip")); err == nil {
			out, status := d.run("check", "old.zip")
			assert.Zero(t, status, out)
			assert.Contains(t, out, "Whole: the archive old.zip holds what it held: 127 files")
		}
		again()
	}
	assert.NotZero(t, cut, "some were cut short")
}
