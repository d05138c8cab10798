//go:build unix

package main

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// A plan goes through somebody's spreadsheet, and what they changed is what is done.
func TestAPlanIsEditedAndCarriedOut(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shelf.folders", shelfBefore, "plan.md", "Plan <client>\n")
	for _, client := range []string{"Oriel Pask", "Jun Teague"} {
		out, status := d.run("build", "shelf", "--into", ".", "client="+client, "--yes")
		require.Zero(t, status, out)
	}
	d.write("Oriel Pask/02 Tides/own.txt", "mine")
	d.write("shelf.folders", shelfAfter)
	state := func() map[string]string {
		all := d.whole("Oriel Pask")
		for at, what := range d.whole("Jun Teague") {
			all["Jun Teague/"+at] = what
		}
		return all
	}
	before := state()

	out, status := d.run("upgrade", ".", "--plan", "to do.xlsx")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Nothing else was changed.")
	assert.Contains(t, out, `vestibula do "to do.xlsx"`)
	assert.Equal(t, before, state())
	out, status = d.run("upgrade", ".", "--plan", "to do.xlsx")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "something of that name is there already")

	book, err := excelize.OpenReader(bytes.NewReader([]byte(d.read("to do.xlsx"))))
	require.NoError(t, err)
	rows, err := book.GetRows("Plan")
	require.NoError(t, err)
	assert.Equal(t, []string{"what", "from", "to", "why", "sure"}, rows[0])
	found := 0
	for i, row := range rows {
		if row[1] == "./Oriel Pask/02 Tides/" {
			found++
			cell, _ := excelize.CoordinatesToCellName(3, i+1)
			require.NoError(t, book.SetCellStr("Plan", cell, `Oriel Pask\03 Tables of tides`))
		}
		assert.NotContains(t, row[1]+row[2], ".vestibula.json")
	}
	require.Equal(t, 1, found)
	require.NoError(t, book.SaveAs(filepath.Join(d.dir, "edited.xlsx")))

	out, status = d.run("do", "edited.xlsx")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "to carry it out: vestibula do")
	d.write("Jun Teague/03 Tide tables/x", "in the way")
	now := state()
	out, status = d.run("do", "edited.xlsx", "--yes")
	assert.Equal(t, 1, status)
	assert.Regexp(t, `row \d+: “Jun Teague/03 Tide tables” is there already; to put the two folders together, write merge`, out)
	assert.Equal(t, now, state())
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "Jun Teague/03 Tide tables")))

	now = state()
	out, status = d.run("do", "edited.xlsx", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "mine", d.read("Oriel Pask/03 Tables of tides/own.txt"))
	assert.Equal(t, []string{"03 Tide tables/", "03 Tide tables/Plan for Jun Teague.md"}, d.has("Jun Teague")[4:6])
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, now, state(), "one undo brings it back")

	// Nothing is done by halves, and each row is told.
	d.write("hand.csv", "from,to\nOriel Pask/02 Tides,Elsewhere/Tides\ngone,x\n../y,z\n")
	now = state()
	out, status = d.run("do", "hand.csv", "--yes")
	assert.Equal(t, 1, status)
	for _, want := range []string{"row 3: there is no “gone”", "row 4: “../y” leads out", "2 rows of hand.csv cannot be carried out"} {
		assert.Contains(t, out, want)
	}
	assert.Equal(t, now, state())
}

// What is only probable is marked in the plan of check --fix, which no --yes does.
func TestAPlanTellsWhatIsProbable(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shelf.folders", shelfBefore, "plan.md", "Plan <client>\n")
	_, status := d.run("build", "shelf", "--into", ".", "client=Dag Holm", "--yes")
	require.Zero(t, status)
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Dag Holm/02 Tides"), filepath.Join(d.dir, "Dag Holm/02 Tidse")))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Dag Holm/03 Logs"), filepath.Join(d.dir, "Dag Holm/07 Logs")))
	out, status := d.run("check", "Dag Holm", "--fix", "--plan", "plan.csv", "--yes")
	assert.Equal(t, 2, status, out)
	out, status = d.run("check", "Dag Holm", "--fix", "--plan", "plan.csv")
	require.Zero(t, status, out)
	text := d.read("plan.csv")
	assert.Regexp(t, `move,./Dag Holm/07 Logs/,./Dag Holm/03 Logs/,.*,sure`, text)
	assert.Regexp(t, `move,./Dag Holm/02 Tidse/,,.*,probable,./Dag Holm/02 Tides/`, text, "nobody has decided it yet")
	d.following = true
	out, status = d.run("do", "plan.csv", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "row 2 says nowhere to go: that stays as it is")
	assert.DirExists(t, filepath.Join(d.dir, "Dag Holm/02 Tidse"))
	d.must("undo", "--yes")
	d.write("plan.csv", strings.Replace(text, "02 Tidse/,,", "02 Tidse/,./Dag Holm/02 Tides/,", 1))
	out, status = d.run("do", "plan.csv", "--yes", "--json")
	require.Zero(t, status, out)
	assert.Contains(t, out, `"done": true`)
	out, status = d.run("check", "Dag Holm", "--strict")
	assert.Zero(t, status, out)

	// Where only the label changes, and where no template is found, that is told.
	d.write("shelf.folders", strings.Replace(shelfBefore, "Who?", "Who is it for?", 1))
	out, _ = d.run("upgrade", "Dag Holm", "--preview")
	assert.Contains(t, out, "Dag Holm   what the project must follow has changed; no file changes")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "shelf.folders")))
	out, _ = d.run("upgrade", "Dag Holm", "--preview")
	assert.Contains(t, out, "no shelf.folders is found from here")
}

// What points at what moves is told, and changed where that is asked for; two folders
// become one; the labels of projects know where their files are; and one undo brings all
// of it back, times of folders included.
func TestWhatPointsAtWhatMovesFollows(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shelf.folders", shelfBefore, "plan.md", "Plan <client>\n")
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "Shop"), 0o777))
	out, status := d.run("build", "shelf", "--into", "Shop", "client=Dag Holm", "--yes")
	require.Zero(t, status, out)
	d.write("Shop/Web/index.md", "[plan](<../Dag Holm/02 Tides/Plan for Dag Holm.md>) and [old](Old/a.html)\n")
	d.write("Shop/Web/Old/a.html", "<a href=\"../New/b%20c.html\">b</a>")
	d.write("Shop/Web/New/b c.html", "<a href=\"../index.md\">home</a>")
	d.write("Shop/Web/Old/same.css", "x")
	d.write("Shop/Web/New/same.css", "x")
	d.write("Shop/Web/Old/other.txt", "of Old, see a.html")
	d.write("Shop/Web/New/other.txt", "of New")
	require.NoError(t, os.Symlink("../Old/same.css", filepath.Join(d.dir, "Shop/Web/New/link")))
	for i, at := range d.has("Shop") {
		if strings.HasSuffix(at, "/") {
			require.NoError(t, os.Chtimes(filepath.Join(d.dir, "Shop", at), time.Time{}, time.Unix(1_600_000_000+int64(i), 0)))
		}
	}
	before := d.whole("Shop")
	d.write("plan.csv", "what,from,to\n,Dag Holm/02 Tides,Dag Holm/Tide tables\nmerge,Web/Old,Web/New\n,Web/New/b c.html,Web/en/b.html\n")

	out, status = d.run("do", "plan.csv", "--in", "Shop", "--preview")
	require.Zero(t, status, out)
	for _, want := range []string{
		"- Web/Old/same.css   the same is there",
		"» Web/Old/other.txt → Web/New/other (from Old).txt   another one of that name is there",
		"~ Shop/Web/index.md:1   ../Dag Holm/02 Tides/Plan for Dag Holm.md → ../Dag Holm/Tide tables/Plan for Dag Holm.md",
		"~ Shop/Web/index.md:1   Old/a.html → New/a.html",
		"~ Shop/Web/Old/a.html:1   ../New/b%20c.html → ../en/b.html",
		"~ Shop/Web/New/link   ../Old/same.css → same.css",
		"3 paths in 2 texts and 1 link would lead nowhere (of 9 texts and 1 link looked at); to change them as well: vestibula do",
	} {
		assert.Contains(t, out, want)
	}
	assert.Equal(t, before, d.whole("Shop"))
	out, status = d.run("do", "plan.csv", "--in", "Shop", "--json")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, `"file": "Shop/Web/index.md"`)

	out, status = d.run("do", "plan.csv", "--in", "Shop", "--fix-links", "--addresses", "moved.csv", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "would lead nowhere, and are changed as well")
	assert.Equal(t, "[plan](<../Dag Holm/Tide tables/Plan for Dag Holm.md>) and [old](New/a.html)\n", d.read("Shop/Web/index.md"))
	assert.Equal(t, "<a href=\"../en/b.html\">b</a>", d.read("Shop/Web/New/a.html"))
	assert.Equal(t, "<a href=\"../index.md\">home</a>", d.read("Shop/Web/en/b.html"))
	assert.Equal(t, "of Old, see a.html", d.read("Shop/Web/New/other (from Old).txt"))
	to, err := os.Readlink(filepath.Join(d.dir, "Shop/Web/New/link"))
	require.NoError(t, err)
	assert.Equal(t, "same.css", to)
	for _, want := range []string{"/Web/New/b%20c.html,/Web/en/b.html", "/Web/Old/same.css,/Web/New/same.css", "/Dag%20Holm/02%20Tides/Plan%20for%20Dag%20Holm.md,/Dag%20Holm/Tide%20tables/"} {
		assert.Contains(t, d.read("moved.csv"), want)
	}
	assert.Contains(t, d.read("Shop/Dag Holm/.vestibula.json"), `"Tide tables/Plan for Dag Holm.md": "`)
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, d.whole("Shop"))
	assert.NotContains(t, d.has("."), "moved.csv")

	// check --fix and upgrade tell and fix as well; a name is needed twice over.
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Shop/Dag Holm/03 Logs"), filepath.Join(d.dir, "Shop/Dag Holm/07 Logs")))
	d.write("Shop/Dag Holm/07 Logs/a.txt", "see ../02 Tides/none.txt and ../07 Logs/a.txt")
	d.run("check", "Shop/Dag Holm", "--fix", "--fix-links", "--yes")
	assert.Equal(t, "see ../02 Tides/none.txt and a.txt", d.read("Shop/Dag Holm/03 Logs/a.txt"))
	d.write("shelf.folders", strings.Replace(shelfBefore, "<#> Logs", "<#> Maps\n    <#> Log books | was: Logs", 1))
	d.write("Shop/beside.txt", "Dag Holm/03 Logs/a.txt")
	out, status = d.run("upgrade", "Shop/Dag Holm", "client=Runa Vik", "--fix-links", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "Runa Vik/04 Log books/a.txt", d.read("Shop/beside.txt"))
	for _, args := range [][]string{{"check", "Shop", "--fix-links"}, {"upgrade", "Shop", "--addresses", "x.doc"}} {
		out, status = d.run(args...)
		assert.Equal(t, 2, status, out)
	}
}

// What could go to several places, or has none, stands in the plan as well: whoever decides needs no
// template, and what is left empty stays.
func TestAPlanHoldsWhatNobodyKnows(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters | holds: documents\n    Own\n", "In/letter.docx", "a", "In/Ola note.docx", "b", "In/odd.zzz", "c")
	for _, client := range []string{"Ola", "Jun"} {
		d.must("build", "job", "--into", ".", "client="+client, "--yes")
	}
	d.following = true
	d.must("put", "In", "--into", ".", "--plan", "p.csv")
	text := d.read("p.csv")
	for _, want := range []string{"move,./In/Ola note.docx,./Ola/Letters/Ola note.docx,", "move,./In/letter.docx,,it could go to several places,,./Jun/Letters/letter.docx,./Ola/Letters/letter.docx", "move,./In/odd.zzz,,nothing holds files that end in .zzz"} {
		assert.Contains(t, text, want)
	}
	text = strings.Replace(text, "letter.docx,,", "letter.docx,./Jun/Letters/letter.docx,", 1)
	d.write("p.csv", strings.Replace(text, "odd.zzz,,", "odd.zzz,./Jun/Own/,", 1))
	d.must("do", "p.csv", "--yes")
	for _, at := range []string{"Ola/Letters/Ola note.docx", "Jun/Letters/letter.docx", "Jun/Own/odd.zzz"} {
		assert.FileExists(t, filepath.Join(d.dir, at), "a folder of one's own is meant as that")
	}
	d.must("undo", "--yes")
	assert.NoFileExists(t, filepath.Join(d.dir, "Jun/Own/odd.zzz"))
}
