package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A piece moves on from what is in work to what is done: it gets what the template has for
// it there, and neither check nor build asks for it where it was; the others keep their
// numbers.
func TestAPieceMovesOn(t *testing.T) {
	t.Parallel()
	text := "---\nfields: { client: Who?, pieces: { type: list, default: [Box, Case, Map] }, name: Which piece? }\n---\n<client>\n    <#> In work\n        <#> <piece> | each: piece in pieces\n            Notes\n    <#> Done\n        <name> | later\n            Notes\n            Photographs\n            Bill.md | blank\n    <#> Settled | number: 90\n"
	d := newDesk(t, "shop.folders", text, "C/own.txt", "mine")
	_, status := d.run("build", "shop", "--into", "C", "client=Ola", "--yes")
	require.Zero(t, status)
	d.write("C/Ola/01 In work/02 Case/Notes/mine.txt", "mine")
	d.write("C/Ola/01 In work/02 Case/.hidden", "too")
	before := d.whole("C")
	out, status := d.run("put", "C/Ola/01 In work/02 Case", "--into", "C/Ola/02 Done", "--preview")
	require.Zero(t, status, out)
	assert.Contains(t, out, "» 01 In work/02 Case/ → 02 Done/02 Case/\n  + 02 Done/02 Case/Photographs/\n  + 02 Done/02 Case/Bill.md\n")
	assert.Equal(t, before, d.whole("C"))
	out, status = d.run("put", "C/Ola/01 In work/02 Case", "--into", "C/Ola/02 Done", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Moved on: 1 folder in 02 Done.")
	assert.Equal(t, "mine", d.read("C/Ola/02 Done/02 Case/Notes/mine.txt"))
	assert.Equal(t, "too", d.read("C/Ola/02 Done/02 Case/.hidden"))
	assert.Contains(t, d.has("C"), "Ola/02 Done/02 Case/Photographs/")
	for range 2 {
		out, status = d.run("check", "C/Ola")
		assert.Zero(t, status, "nothing is asked for where it was: %s", out)
		out, status = d.run("build", "shop", "--into", "C", "client=Ola", "--yes")
		require.Zero(t, status)
		assert.Contains(t, out, "Nothing to do")
	}
	d.write("shop.folders", strings.Replace(text, "    <#> Done\n", "    <#> Letters\n    <#> Done\n", 1))
	out, status = d.run("upgrade", "C/Ola", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "mine", d.read("C/Ola/03 Done/02 Case/Notes/mine.txt"))
	assert.NotContains(t, d.has("C"), "Ola/01 In work/02 Case/", "an upgrade does not ask for it either")
	assert.Contains(t, d.has("C"), "Ola/01 In work/03 Map/", "the others keep their numbers")
	out, status = d.run("check", "C/Ola")
	assert.Zero(t, status, out)
	out, _ = d.run("projects", "C")
	assert.Contains(t, out, "All is well with 1 project.")

	// It moves on once more, and back.
	_, status = d.run("put", "C/Ola/03 Done/02 Case", "--into", "C/Ola/90 Settled", "--yes")
	require.Zero(t, status)
	assert.Contains(t, d.read("C/Ola/.vestibula.json"), `"01 In work/02 Case": "90 Settled/02 Case"`)
	_, status = d.run("check", "C/Ola")
	assert.Zero(t, status)
	_, status = d.run("put", "C/Ola/90 Settled/02 Case", "--into", "C/Ola/01 In work", "--yes")
	require.Zero(t, status)
	assert.NotContains(t, d.read("C/Ola/.vestibula.json"), `"closed"`, "it is asked for again")
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "C/Ola/01 In work/02 Case")))
	_, status = d.run("check", "C/Ola")
	assert.Equal(t, 1, status)
	out, status = d.run("build", "shop", "--into", "C", "client=Ola", "--preview")
	require.Zero(t, status)
	assert.Contains(t, out, "+         02 Case/", out)
}

// What is meant so in a piece is meant so where it moves on to, and one undo takes both back.
func TestWhatIsMeantSoMovesOn(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shop.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Pieces\n        Box\n            Proof\n        Case\n    Done\n", "C/own.txt", "mine")
	for i, args := range []string{"build shop --into C client=Ola --yes", "check C/Ola --accept Pieces/Box/scraps --why so"} {
		_, status := d.run(strings.Fields(args)...)
		require.Zero(t, status, args)
		if i == 0 {
			d.write("C/Ola/Pieces/Box/scraps/x.md", "mine")
		}
	}
	before := d.whole("C")
	out, status := d.run("put", "C/Ola/Pieces/Box", "--into", "C/Ola/Done", "--yes")
	require.Zero(t, status, out)
	label := d.read("C/Ola/.vestibula.json")
	assert.Contains(t, label, `"Done/Box/scraps"`)
	assert.Contains(t, label, `"Pieces/Box": "Done/Box"`)
	out, status = d.run("check", "C/Ola")
	assert.Zero(t, status, out)
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Equal(t, before, d.whole("C"))
}

// A table's rows whose projects have moved a piece on want nothing where it was.
func TestATableKnowsWhatMovedOn(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shop.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Pieces\n        Box\n        Case\n    Done\n", "jobs.csv", "client\nOla\nJun\n", "C/own.txt", "mine")
	args := []string{"build", "shop", "--into", "C", "--table", "jobs.csv", "--yes"}
	_, status := d.run(args...)
	require.Zero(t, status)
	_, status = d.run("put", "C/Ola/Pieces/Box", "--into", "C/Ola/Done", "--yes")
	require.Zero(t, status)
	before := d.whole("C")
	out, status := d.run(args...)
	require.Zero(t, status)
	assert.Contains(t, out, "Nothing to do")
	assert.Equal(t, before, d.whole("C"))
}

func TestMovingOnIsTakenBack(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shop.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Pieces\n        Box\n        Case\n    Done\n", "C/own.txt", "mine")
	_, status := d.run("build", "shop", "--into", "C", "client=Ola", "--yes")
	require.Zero(t, status)
	d.write("C/Ola/Pieces/Box/a.txt", "a")
	d.write("C/Ola/Pieces/b.txt", "see Box/a.txt")
	before := d.whole("C")
	out, status := d.run("put", "C/Ola/Pieces/Box", "C/Ola/Pieces/Case", "--into", "C/Ola/Done", "--json", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, `"from": "Pieces/Box"`)
	out, _ = d.run("check", "C/Ola")
	assert.NotContains(t, out, "[missing]")
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Equal(t, before, d.whole("C"))
	for args, want := range map[string]string{
		"C/Ola/Pieces/Box|--into|C/Ola/Pieces":     "lies in C/Ola/Pieces already",
		"C/Ola/Pieces/Box|--into|C/Ola/Pieces/Box": "",
	} {
		out, _ := d.run(append([]string{"put", "--yes"}, strings.Split(args, "|")...)...)
		assert.Contains(t, out, want)
		assert.Equal(t, before, d.whole("C"), args)
	}
	d.write("C/Ola/Done/Box", "a file of that name")
	out, status = d.run("put", "C/Ola/Pieces/Box", "--into", "C/Ola/Done", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "something of that name is there")
	assert.Equal(t, "a", d.read("C/Ola/Pieces/Box/a.txt"))
}
