//go:build unix

package main

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// A plan goes through somebody's spreadsheet, and what they changed is what is done.
func TestAPlanIsEditedAndCarriedOut(t *testing.T) {
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
	assert.Contains(t, out, `vestibula apply "to do.xlsx"`)
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

	out, status = d.run("apply", "edited.xlsx")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "add --yes to carry it out")
	d.write("Jun Teague/03 Tide tables/x", "in the way")
	now := state()
	out, status = d.run("apply", "edited.xlsx", "--yes")
	assert.Equal(t, 1, status)
	assert.Regexp(t, `row \d+: “Jun Teague/03 Tide tables” is there already; to put the two folders together, write merge`, out)
	assert.Equal(t, now, state())
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "Jun Teague/03 Tide tables")))

	now = state()
	out, status = d.run("apply", "edited.xlsx", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "mine", d.read("Oriel Pask/03 Tables of tides/own.txt"))
	assert.Equal(t, []string{"03 Tide tables/", "03 Tide tables/Plan for Jun Teague.md"}, d.has("Jun Teague")[4:6])
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, now, state(), "one undo brings it back")

	// Nothing is done by halves, and each row is told.
	d.write("hand.csv", "from,to\nOriel Pask/02 Tides,Elsewhere/Tides\ngone,x\n../y,z\n")
	now = state()
	out, status = d.run("apply", "hand.csv", "--yes")
	assert.Equal(t, 1, status)
	for _, want := range []string{"row 3: there is no “gone”", "row 4: “../y” leads out", "2 rows of hand.csv cannot be carried out"} {
		assert.Contains(t, out, want)
	}
	assert.Equal(t, now, state())
}

// What is only probable is marked in the plan of check --fix, which no --yes does.
func TestAPlanTellsWhatIsProbable(t *testing.T) {
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
	assert.Regexp(t, `move,./Dag Holm/02 Tidse/,./Dag Holm/02 Tides/,.*,probable`, text)
	out, status = d.run("apply", "plan.csv", "--yes", "--json")
	require.Zero(t, status, out)
	assert.Contains(t, out, `"done": true`)
	out, status = d.run("check", "Dag Holm", "--strict")
	assert.Zero(t, status, out)

	// Where only the label changes, and where no template is found, that is told.
	d.write("shelf.folders", strings.Replace(shelfBefore, "Who?", "Who is it for?", 1))
	out, _ = d.run("upgrade", "Dag Holm", "--preview")
	assert.Contains(t, out, "← what it is held to; no folder and no file changes")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "shelf.folders")))
	out, _ = d.run("upgrade", "Dag Holm", "--preview")
	assert.Contains(t, out, "no shelf.folders is found from here")
}
