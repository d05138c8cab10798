//go:build unix

package main

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

const peopleTemplate = "---\nfields: { who: Who?, since: { type: date, default: 2027-01-01 }, tea: { type: yes-no, default: no } }\n---\n<who>\n    Papers\n    Tea | when: tea\n"

// partsOf are the parts of a workbook, by their names.
func partsOf(t *testing.T, data string) map[string]string {
	z, err := zip.NewReader(strings.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	parts := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		parts[f.Name] = string(text)
	}
	return parts
}

// Tables are in the hands of others as well: open in their program, protected, with macros,
// where nothing can be written, and marked by two people at once.
func TestTablesThatOthersHaveInHand(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "people.folders", peopleTemplate, "p.csv", "who\nOla\nJun\n", "out/own.txt", "mine")
	for _, lock := range []string{".~lock.p.csv#", "~$p.csv"} {
		d.write(lock, "Ola")
		out, status := d.run("build", "people", "--into", "out", "--table", "p.csv", "--mark", "--yes")
		assert.Equal(t, 1, status)
		assert.Contains(t, out, "the table p.csv is open in a spreadsheet program, which would write over the marks: "+lock+" is there")
		assert.Equal(t, []string{"own.txt"}, d.has("out"))
		out, status = d.run("build", "people", "--into", "out", "--table", "p.csv", "--preview")
		assert.Zero(t, status, "looking is free: %s", out)
		require.NoError(t, os.Remove(filepath.Join(d.dir, lock)))
	}

	// A protected sheet, with merged cells, a note, a condition and a macro beside it.
	book := excelize.NewFile()
	for cell, text := range map[string]string{"A1": "Our people", "A3": "who", "B3": "Tea", "C3": "Sum", "A4": "Ola", "B4": "yes", "A5": "Jun", "B5": "off", "A6": "Ida", "B6": "-", "A7": "Bo", "B7": "0"} {
		require.NoError(t, book.SetCellStr("Sheet1", cell, text))
	}
	require.NoError(t, book.SetCellFormula("Sheet1", "C4", "1+1"))
	require.NoError(t, book.MergeCell("Sheet1", "A1", "C1"))
	require.NoError(t, book.AddComment("Sheet1", excelize.Comment{Cell: "A4", Author: "Jun", Text: "ask her"}))
	require.NoError(t, book.ProtectSheet("Sheet1", &excelize.SheetProtectionOptions{Password: "x"}))
	var plain bytes.Buffer
	require.NoError(t, book.Write(&plain))
	require.NoError(t, book.Close())
	z, err := zip.NewReader(bytes.NewReader(plain.Bytes()), int64(plain.Len()))
	require.NoError(t, err)
	var macros bytes.Buffer
	w := zip.NewWriter(&macros)
	for _, f := range z.File {
		require.NoError(t, w.Copy(f))
	}
	part, err := w.Create("xl/vbaProject.bin")
	require.NoError(t, err)
	_, err = part.Write([]byte("\x00\x01macro"))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	d.write("m.xlsm", macros.String())
	before := partsOf(t, d.read("m.xlsm"))
	out, status := d.run("build", "people", "--into", "out", "--table", "m.xlsm", "--mark", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "the headings are taken from row 3")
	assert.Contains(t, d.has("out"), "Ola/Tea/")
	for _, who := range []string{"Jun", "Ida", "Bo"} {
		assert.NotContains(t, d.has("out"), who+"/Tea/", "n, off, 0 and - are no")
	}
	after := partsOf(t, d.read("m.xlsm"))
	changed := 0
	for name, text := range before {
		if after[name] != text {
			changed++
			assert.Equal(t, "xl/worksheets/sheet1.xml", name)
		}
	}
	assert.Equal(t, 1, changed)
	assert.Len(t, after, len(before))
	assert.Contains(t, after["xl/worksheets/sheet1.xml"], "<sheetProtection")
	assert.Contains(t, after["xl/worksheets/sheet1.xml"], "<f>1+1</f>")

	// Two people mark one table at once: each row is built once, and every mark is right.
	var rows strings.Builder
	rows.WriteString("who\n")
	for i := range 60 {
		fmt.Fprintf(&rows, "Person %02d\n", i)
	}
	d.write("both.csv", rows.String())
	var group sync.WaitGroup
	for range 2 {
		group.Go(func() { d.run("build", "people", "--into", "out", "--table", "both.csv", "--mark", "--yes") })
	}
	group.Wait()
	out, status = d.run("build", "people", "--into", "out", "--table", "both.csv", "--mark", "--yes")
	require.Zero(t, status, out)
	out, status = d.run("build", "people", "--into", "out", "--table", "both.csv", "--mark", "--changed", "--again", "--yes")
	require.Zero(t, status)
	assert.Contains(t, out, "left alone: 60 rows marked as built")
	assert.Equal(t, 60, strings.Count(d.read("both.csv"), ",yes,"))

	if os.Getuid() == 0 { // a share on which nothing can be written
		for _, dir := range []string{filepath.Dir(program), filepath.Dir(d.dir), d.dir} {
			require.NoError(t, os.Chmod(dir, 0o755))
		}
		require.NoError(t, os.Chmod(filepath.Join(d.dir, "out"), 0o777))
		d.write("r.csv", "who\nRuna\n")
		out, status = d.execAs(&syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}, program, "build", "people", "--into", "out", "--table", "r.csv", "--mark", "--yes", "--no-journal")
		assert.Equal(t, 1, status, out)
		assert.NotContains(t, d.has("out"), "Runa/", "nothing is half done")
		assert.Equal(t, "who\nRuna\n", d.read("r.csv"))
	}
}

// How a day is meant is asked once, and never guessed.
func TestDaysInATableAreAskedAbout(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "people.folders", peopleTemplate, "p.csv", "who,since\nOla,03/04/2027\nJun,12/11/2027\nIda,2027-05-06\n", "out/own.txt", "mine")
	out, status := d.run("build", "people", "--into", "out", "--table", "p.csv", "--yes")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, `row 2, column "since": is 03/04/2027 meant as 3 April 2027 or as 4 March 2027?`)
	assert.Contains(t, out, "3 April 2027: vestibula build people --into out --table p.csv --yes --dates d/m/yyyy\n  4 March 2027: ")
	assert.Equal(t, []string{"own.txt"}, d.has("out"))
	w := d.window(120, d.environment(), "build", "people", "--into", "out", "--table", "p.csv")
	w.waitFor("how is 03/04/2027 meant?")
	w.answer("how is 03/04/2027 meant?", "\x1b[B\r")
	w.waitFor("Build 6 folders in out?")
	w.answer("Build 6 folders in out?", "y")
	seen, status := w.end()
	require.Zero(t, status, seen)
	assert.Contains(t, d.read("out/Ola/.vestibula.json"), `"since": "2027-03-04"`)
	assert.Contains(t, d.read("out/Jun/.vestibula.json"), `"since": "2027-12-11"`)
	assert.Contains(t, d.read("out/Ida/.vestibula.json"), `"since": "2027-05-06"`)
	out, _ = d.run("build", "people", "--into", "out", "--table", "p.csv", "--dates", "day first")
	assert.Contains(t, out, `"day first" is no form of a day`)
}

// What became of each row is written in the form that the ending says, whatever stands in
// the rows.
func TestReportsOfTables(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "people.folders", peopleTemplate, "p.csv", "who,since\nOla,2027-01-02\n=1+1,2027-01-03\nJun,soon\n\u202eIda,2027-01-04\n", "out/own.txt", "mine")
	for _, file := range []string{"r.csv", "r.xlsx", "r.html", "r.md", "r.txt", "r.json"} {
		out, status := d.run("build", "people", "--into", "out", "--table", "p.csv", "--only-good", "--preview", "--report", file)
		require.Zero(t, status, out)
	}
	assert.Contains(t, d.read("r.csv"), "\n2,new,Ola,2,0,0,,\n")
	assert.Contains(t, d.read("r.csv"), "\n3,new,'=1+1,2,0,0,,\n", "no cell is a formula")
	assert.Contains(t, d.read("r.csv"), "4,left out,,0,0,0,,")
	assert.NotContains(t, d.read("r.html"), "\u202e")
	assert.Contains(t, d.read("r.html"), `class="short">Ola</td>`)
	book, err := excelize.OpenFile(filepath.Join(d.dir, "r.xlsx"))
	require.NoError(t, err)
	defer book.Close()
	rows, err := book.GetRows("Plan")
	require.NoError(t, err)
	assert.Equal(t, []string{"row", "state", "folder", "new", "there", "kept", "changes", "why"}, rows[0])
	assert.Len(t, rows, 5)
	out, status := d.run("build", "people", "--into", "out", "--table", "p.csv", "--only-good", "--preview", "--report", "r.docx")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "end it in .csv, .xlsx, .json, .md, .txt or .html")
	assert.Equal(t, []string{"own.txt"}, d.has("out"))
}
