//go:build unix

package main

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const billed = "---\nfields: { client: Who? }\nnames:\n  bill:\n    pattern: \"<day:yyyy-mm-dd> <client:like-this> bill <n:000> <what>\"\n    fields: { day: { type: date }, n: { type: number, next: yes }, what: { default: \"\" } }\n    for: [pdf]\n---\n<client>\n    Bills | holds: bill\n"

// Names of any shape are read without a pattern: what is clear goes, what other names of that shape
// decide goes too, the rest is asked with one answer for all, and what is lacking is told.
func TestNamesOfAnyShapeAreBroughtToAConvention(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", billed)
	for _, client := range []string{"Oriel Pask", "Jun Teague"} {
		d.run("build", "t", "client="+client, "--into", ".", "--yes")
	}
	for _, name := range []string{"Bill no 12 Oriel Pask 9.3.2027", "Rechnung 25.3.2027 Leder", "03-04-2027 b", "2027_4_9 ORIEL PASK, rent (1)", "April 3rd, 2027 tape", "paper", "Oriel 31.2.2027", "teague, jun 25.5.27 glue", "2027-01-01 oriel-pask bill 003"} {
		d.write("Oriel Pask/Bills/"+name+".PDF", name)
	}
	out, status := d.run("rename", "bill", "Oriel Pask", "--yes")
	assert.Equal(t, 1, status, "a question is left")
	for _, want := range []string{
		"» 2027_4_9 ORIEL PASK, rent (1).PDF → 2027-04-09 oriel-pask bill 004 rent.pdf", "» April 3rd, 2027 tape.PDF → 2027-04-03 oriel-pask bill 005 tape.pdf",
		"» Bill no 12 Oriel Pask 9.3.2027.PDF → 2027-03-09 oriel-pask bill 012.pdf", "» Rechnung 25.3.2027 Leder.PDF → 2027-03-25 oriel-pask bill 006 Rechnung Leder.pdf",
		"? 03-04-2027 b.PDF → 2027-04-03 oriel-pask bill 007 b.pdf   it could also say day 2027-03-04", "~ paper.PDF   nothing says its day", "~ Oriel 31.2.2027.PDF   there is no day 31.2.2027",
		"~ teague, jun 25.5.27 glue.PDF   its name says client Jun Teague, and that is known to be Oriel Pask", "with day=made, each gets the day of the file itself", "Renamed 4 files", "1 question is left",
	} {
		assert.Contains(t, out, want)
	}
	w := d.window(140, d.environment(), "rename", "bill", "Oriel Pask", "day=changed")
	w.answer("03-04-2027 b.PDF → ", "y")
	w.answer("Rename 2 files?", "y")
	out, status = w.end()
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("Oriel Pask/Bills"), time.Now().Format(time.DateOnly)+" oriel-pask bill 013 paper.pdf")
	// A fix of the folder reads in the same way, as far as nothing is counted on.
	d.write("Jun Teague/Bills/7 Jun Teague 9 March 2027.pdf", "x")
	out, status = d.run("check", "Jun Teague", "--fix", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, []string{"2027-03-09 jun-teague bill 007.pdf"}, d.has("Jun Teague/Bills"))
}

// What comes in under a convention takes along what its old name says: a day, a title, whose it is.
func TestWhatComesInBringsItsTitle(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", billed)
	for _, client := range []string{"Oriel Pask", "Jun Teague"} {
		d.run("build", "t", "client="+client, "--into", ".", "--yes")
	}
	at := time.Date(2027, 6, 7, 12, 0, 0, 0, time.UTC)
	for _, name := range []string{"Rechnung 25.3.2027 Leder", "teague, jun 25.5.27 glue", "03-04-2027 b", "IMG_2044", "thread"} {
		d.write("in/"+name+".pdf", name)
		require.NoError(t, os.Chtimes(filepath.Join(d.dir, "in", name+".pdf"), at, at))
	}
	out, _ := d.run("put", "in", "--into", "Oriel Pask", "--convention", "bill", "--preview")
	for _, want := range []string{"+ Rechnung 25.3.2027 Leder.pdf → 2027-03-25 oriel-pask bill 002 Rechnung Leder.pdf", "+ IMG_2044.pdf → 2027-06-07 oriel-pask bill 001.pdf", "+ thread.pdf → 2027-06-07 oriel-pask bill 003 thread.pdf",
		"~ 03-04-2027 b.pdf   its day could be 2027-04-03 or 2027-03-04", "~ teague, jun 25.5.27 glue.pdf", "client would be Jun Teague, and there it is Oriel Pask"} {
		assert.Contains(t, out, want)
	}
	out, status := d.run("put", "in", "--into", ".", "--convention", "bill", "--yes")
	assert.Contains(t, out, "Jun Teague/Bills/   1 file", status)
	assert.Equal(t, []string{"2027-05-25 jun-teague bill 001 glue.pdf"}, d.has("Jun Teague/Bills"))
}
