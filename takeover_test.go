//go:build unix

package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// driftTemplate is what folders of years were meant to be.
const driftTemplate = `---
fields: { client: Who?, received: { type: month }, kind: { of: [book, box], default: book } }
names: { bill: { pattern: "<day:yyyy-mm-dd> bill <n:000>", fields: { day: { type: date }, n: { type: number } }, for: [pdf] } }
---
<received:yyyy-mm> <client>
    <#> Letters | holds: documents
    <#> Bills | holds: bill
    <#> Making
        Photos | holds: pictures
`

// Folders that no template made become projects: their values are read from names of any shape, and
// what is in them is moved to its lines; what nobody can know is asked for in a table.
func TestFoldersThatNoTemplateMadeAreTakenOver(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", driftTemplate,
		"Drive/2024-03 Ola Berg/Letters/a.docx", "a", "Drive/2024-03 Ola Berg/02 bills/x.pdf", "x",
		"Drive/Jun Teague March 2025/1 Letters/to Jun.docx", "j", "Drive/Jun Teague March 2025/Fotos/p.jpg", "p",
		"Drive/Old/Per Lie 2019-08/Letters/b.docx", "b", "Drive/Old/Per Lie 2019-08/MAKING/own.txt", "own",
		"Drive/no day/Letters/c.docx", "c", "Drive/no day/Bills/d.txt", "d",
		"Drive/misc/z.txt", "z",
		"Drive/Code 2020-01/Letters/l.txt", "l", "Drive/Code 2020-01/Bills/m.txt", "m", "Drive/Code 2020-01/.git/HEAD", "h",
		"Drive/2021-02 Twin/Letters/1.txt", "1", "Drive/Twin Feb 2021/Letters/2.txt", "2")
	before := d.whole("Drive")
	out, status := d.run("upgrade", "Drive", "--template", "job", "--preview")
	require.Zero(t, status, out)
	assert.Equal(t, before, d.whole("Drive"))
	for _, want := range []string{"Drive/2024-03 Ola Berg becomes a project: client Ola Berg, received 2024-03", "Drive/Jun Teague March 2025 becomes a project: client Jun Teague, received 2025-03",
		"Drive/Old/Per Lie 2019-08 becomes a project: client Per Lie, received 2019-08", "Fotos stays: nothing in the template says what it is",
		"Drive/no day: nothing says its received", "Drive/Code 2020-01: it is a repository", "Drive/2021-02 Twin: it says the same project as Twin Feb 2021", "Jun Teague March 2025 → 2025-03 Jun Teague"} {
		assert.Contains(t, flat(out), want)
	}
	assert.NotContains(t, out, "misc")

	d.must("upgrade", "Drive", "--template", "job", "--plan", "folders.csv")
	table := d.read("folders.csv")
	assert.Contains(t, table, "./Drive/no day,no day,,")
	table = strings.Replace(table, "./Drive/no day,no day,,", "./Drive/no day,Nina,2020-05,", 1)
	var rows []string
	for _, row := range strings.Split(table, "\n") {
		if !strings.Contains(row, "Twin") && !strings.Contains(row, "Code") {
			rows = append(rows, row)
		}
	}
	d.write("folders.csv", strings.Join(rows, "\n"))
	d.must("upgrade", "--template", "job", "--table", "folders.csv", "--yes")
	for value, want := range map[string]string{"received=2020-05": "no day", "client=Per Lie": "Per Lie 2019-08", "client=Nina": "no day"} {
		out, _ = d.run("projects", "Drive", "--where", value)
		assert.Contains(t, out, want)
		assert.Contains(t, out, "1 project")
	}
	assert.FileExists(t, filepath.Join(d.dir, "Drive/Old/Per Lie 2019-08/03 Making/own.txt"))
	assert.FileExists(t, filepath.Join(d.dir, "Drive/Jun Teague March 2025/Fotos/p.jpg"), "what nothing explains stays")
	assert.NoFileExists(t, filepath.Join(d.dir, "Drive/2021-02 Twin/.vestibula.json"))
	d.must("undo", "--yes")
	assert.Equal(t, before, d.whole("Drive"), "one undo takes all of it back")

	d.write("bad.csv", "folder,received\n./Drive/nowhere,2020-01\n./Drive/no day,yesterday-ish\n")
	out, status = d.run("upgrade", "--template", "job", "--table", "bad.csv", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "row 2: there is no folder “./Drive/nowhere”")
	assert.Contains(t, out, "row 3: received")
	out, status = d.run("upgrade", "Drive/misc", "--template", "job", "--yes")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "no folder that looks like one of job")
}

// At a terminal it is asked once for all of them what no name says, and whether they get the names that the
// template has.
func TestWhatNoNameSaysIsAskedOnceForAll(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who?, year: { type: year } }\n---\n<year> <client>\n    Letters\n    Plans\n",
		"D/Ola/Letters/a.txt", "a", "D/Ola/Plans/b.txt", "b", "D/Jun/Letters/c.txt", "c", "D/Jun/Plans/d.txt", "d")
	w := d.window(100, []string{"XDG_STATE_HOME=" + filepath.Join(d.dir, ".state")}, "upgrade", "D", "--template", "job")
	w.waitFor("For all folders that do not say it")
	w.answer("Return goes on", "2024\r")
	w.answer("Give 2 folders the names", "y")
	w.answer("in 2 projects?", "y")
	said, status := w.end()
	require.Zero(t, status, said)
	for _, name := range []string{"2024 Ola", "2024 Jun"} {
		assert.FileExists(t, filepath.Join(d.dir, "D", name, ".vestibula.json"))
		out, status := d.run("check", "D/"+name)
		assert.Zero(t, status, out)
	}
	assert.Contains(t, said, "vestibula upgrade D --template job --folder-names year=2024 --yes", "what would do it without questions")
	d.must("undo", "--yes")
	d.must("upgrade", "D", "--template", "job", "--folder-names", "year=2024", "--yes")
	assert.DirExists(t, filepath.Join(d.dir, "D/2024 Jun"))
	d.must("undo", "--yes")
	_, err := os.Stat(filepath.Join(d.dir, "D/Ola/Letters/a.txt"))
	assert.NoError(t, err)
}

// The convention of a folder in which projects lie is that of its projects, where these have the same.
func TestFilesOfAllProjectsBelowAreRenamed(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", driftTemplate, "C/own.txt", "mine")
	for _, client := range []string{"Ola", "Jun"} {
		d.must("build", "job", "--into", "C", "client="+client, "received=2024-03", "--yes")
		d.write("C/2024-03 "+client+"/02 Bills/bill 7 21.3.2024.pdf", client)
	}
	d.must("rename", "bill", "C", "--yes")
	for _, client := range []string{"Ola", "Jun"} {
		assert.FileExists(t, filepath.Join(d.dir, "C/2024-03 "+client+"/02 Bills/2024-03-21 bill 007.pdf"))
	}
	d.write("other.folders", strings.Replace(driftTemplate, "Letters", "Post", 1))
	d.must("build", "other", "--into", "C", "client=Una", "received=2024-03", "--yes")
	out, status := d.run("rename", "bill", "C", "--preview")
	assert.Equal(t, 2, status, "two templates have one of that name: %s", out)
}
