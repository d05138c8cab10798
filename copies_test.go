//go:build unix

package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A copy says what the thing itself says. While that is away nothing is done to the copy,
// unless somebody names it; and what lies in a backup is never a project.
func TestACopyIsNeverTakenForTheThing(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "k.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n    notes.md\n", "C/x", "", "B/x", "", "away/x", "")
	d.project("k.folders", "C", "client=K")
	copied, err := exec.Command("cp", "-rp", filepath.Join(d.dir, "C/K"), filepath.Join(d.dir, "C/K backup by hand")).CombinedOutput()
	require.NoError(t, err, "%s", copied)
	for _, kind := range [][]string{nil, {"--bag"}, {"--share"}} {
		d.must(append([]string{"backup", "C/K", "--into", "B", "--yes"}, kind...)...)
	}
	// Another disk gives another identity: so does copying and removing.
	moved, err := exec.Command("sh", "-c", "cd "+d.dir+" && cp -rp C/K away/K && rm -r C/K").CombinedOutput()
	require.NoError(t, err, "%s", moved)
	before := [][]string{d.has("C"), d.has("B"), d.has("away")}
	unchanged := func() {
		t.Helper()
		assert.Equal(t, before, [][]string{d.has("C"), d.has("B"), d.has("away")})
	}
	entries, err := os.ReadDir(filepath.Join(d.dir, "B"))
	require.NoError(t, err)
	for _, in := range []string{".", "C", "B", "C/K backup by hand", "B/" + entries[0].Name(), "B/" + entries[1].Name()} {
		out, status := d.exec("sh", "-c", "cd '"+in+"' && vestibula undo 1 --yes")
		assert.Equal(t, 1, status, out)
		unchanged()
	}
	out, _ := d.exec("sh", "-c", "cd C && vestibula undo 1")
	assert.Contains(t, out, "may be a copy of it")
	assert.NotContains(t, out, "2026-", "no backup is offered")

	for _, e := range entries {
		for _, at := range []string{"B/" + e.Name(), "B/" + e.Name() + "/Letters", "B/" + e.Name() + "/data", "B/" + e.Name() + "/data/Letters"} {
			if !isDir(filepath.Join(d.dir, at)) {
				continue
			}
			for _, call := range [][]string{{"upgrade", at, "client=Other", "--yes"}, {"add", at, "--json"}, {"next", at, "--yes"}, {"archive", at, "--into", "away", "--yes"}, {"backup", at, "--into", "away", "--yes"}, {"done", at, "notes.md"}, {"put", "k.folders", "--into", at, "--yes"}, {"rename", "x", at, "--yes"}} {
				out, status := d.run(call...)
				assert.NotZero(t, status, "%v: %s", call, out)
				unchanged()
			}
		}
	}

	// A person may name it.
	out, status := d.run("undo", "1", "away/K", "--yes")
	assert.Zero(t, status, out)
	assert.NotContains(t, d.has("away"), "K/")
	assert.Equal(t, before[:2], [][]string{d.has("C"), d.has("B")})
}

// A row whose project is not where it was built is not brought up to date in another folder
// that bears its identity.
func TestARowIsNotBroughtUpInACopy(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "k.folders", "---\nfields: { client: Who?, colour: What? }\n---\n<client>\n    Letters\n    <colour>\n", "C/x", "", "c.csv", "client,colour\nK,red\n")
	d.must("build", "k.folders", "--into", "C", "--table", "c.csv", "--mark", "--yes")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "C/K"), filepath.Join(d.dir, "C/K old")))
	table := d.read("c.csv")
	d.write("c.csv", "client,colour"+table[len("client,colour"):len("client,colour,built,built on,built in,built as\n")]+"K,blue"+table[len("client,colour,built,built on,built in,built as\nK,red"):])
	out, status := d.run("build", "k.folders", "--into", "C", "--table", "c.csv", "--changed", "--yes")
	assert.Equal(t, 1, status, out)
	assert.Contains(t, out, "K old says that it is that project, and may be a copy of it")
	assert.Contains(t, d.has("C"), "K old/red/")
	out, status = d.run("upgrade", "C/K old", "colour=blue", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "blue")
}
