package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A place that is named is meant; what a check would find there is asked, and the answer kept.
func TestAPlaceThatIsNamedIsMeant(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames:\n  bill: { pattern: \"<day:yyyy-mm-dd> bill <n:000>\", fields: { day: { type: date }, n: { type: number } }, for: [pdf] }\n---\n"+
		"<client>\n    00 Arrivals\n    Desk\n        Notes\n    Letters | holds: documents\n    Scripts | holds: documents\n        Birds\n    Weeks\n        <#> Week <n> | each: n in 1..3\n    Bills | holds: bill\n    Essay | due: 2027-04-01\n",
		"in/note.txt", "a", "in/view.jpg", "b", "in/2027-01-01 bill 001.pdf", "c", "essay.docx", "e")
	_, status := d.run("build", "t", "client=Ola", "--into", ".", "--yes")
	require.Zero(t, status)
	for place, well := range map[string]bool{"Desk/Notes": true, "Scripts/Birds": true, "Weeks/01 Week 1": true, "00 Arrivals": true, "Letters": false, "Bills": false} {
		out, _ := d.run("put", "in/view.jpg", "--into", "Ola/"+place, "--preview")
		assert.Equal(t, well, strings.Contains(out, "+ view.jpg   it was named"), "%s\n%s", place, out)
		assert.Equal(t, !well, strings.Contains(out, "if it is meant there:"), "%s\n%s", place, out)
	}
	out, _ := d.run("put", "in/note.txt", "--into", "Ola/Desk/Notes", "--copy", "--yes")
	assert.Contains(t, out, "it was named, and the template has it in Letters")
	out, status = d.run("put", "in/view.jpg", "--into", "Ola/Letters", "--why", "a view of a letter", "--yes")
	require.Zero(t, status, out)
	out, status = d.run("check", "Ola")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "(a view of a letter)")
	d.run("undo", "--yes")
	assert.NotContains(t, d.read("Ola/.vestibula.json"), "accepted")
	w := d.window(120, d.environment(), "put", "in/view.jpg", "--into", "Ola/Bills")
	w.answer("is that meant?", "y")
	w.answer("Put 1 file", "y")
	w.end()
	assert.Contains(t, d.read("Ola/.vestibula.json"), "it was put there on")
	// A folder is put as a folder, and becomes one with one of its name.
	for range 2 {
		out, status = d.run("put", "in", "--into", "Ola/Weeks/01 Week 1", "--yes")
		assert.Zero(t, status, out)
	}
	d.write("in/note.txt", "another")
	d.run("put", "in", "--into", "Ola/Weeks/01 Week 1", "--yes")
	assert.Equal(t, []string{"in/", "in/2027-01-01 bill 001.pdf", "in/note (from in).txt", "in/note.txt", "in/view.jpg"}, d.has("Ola/Weeks/01 Week 1"))
	// What is due is delivered, and a project is known by its own name.
	d.write("C/read me.md", "")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Ola"), filepath.Join(d.dir, "C/Ola")))
	out, status = d.run("put", "essay.docx", "--into", "ola", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "it is due there")
	out, _ = d.run("projects", "Ola")
	assert.Contains(t, out, "1 of 1, 100 %")
	out, status = d.run("check", "Ola")
	assert.Zero(t, status, out)
	require.NoError(t, os.CopyFS(filepath.Join(d.dir, "D/Ola"), os.DirFS(filepath.Join(d.dir, "C/Ola"))))
	out, status = d.run("check", "Ola")
	assert.Equal(t, 2, status)
	assert.Contains(t, flat(out), `name it with its path: C/Ola, D/Ola`)
}
