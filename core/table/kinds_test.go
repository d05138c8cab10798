package table

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"
)

// written are the same cells in all kinds of tables, by programs that are not ours but for
// OpenDocument, whose XML is written out.
func written(t require.TestingT, rows [][]string, separator rune) map[string][]byte {
	var text bytes.Buffer
	w := csv.NewWriter(&text)
	w.Comma = separator
	require.NoError(t, w.WriteAll(rows))
	book := excelize.NewFile()
	sheet := `<table:table table:name="One">`
	for i, row := range rows {
		sheet += "<table:table-row>"
		for k, cell := range row {
			name, err := excelize.CoordinatesToCellName(k+1, i+1)
			require.NoError(t, err)
			require.NoError(t, book.SetCellStr("Sheet1", name, cell))
			sheet += odsText(cell)
		}
		sheet += "</table:table-row>"
	}
	var workbook bytes.Buffer
	require.NoError(t, book.Write(&workbook))
	require.NoError(t, book.Close())
	return map[string][]byte{"r.csv": text.Bytes(), "r.xlsx": workbook.Bytes(), "r.ods": ods(t, sheet+"</table:table>")}
}

// The same table is the same, whatever its file, with a title above it and rows without
// anything in it; and marks of any rows are read again, and nothing else.
func TestAllKindsOfTablesAreReadAlike(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		cell := rapid.SampledFrom([]string{"", "Ola", "a, b", "c; d", "\"quoted\"", "two\nlines", "<x> & y", "007", "Åsgerd", "no", "FALSE"})
		var rows [][]string
		above := false
		for range rapid.IntRange(0, 2).Draw(t, "above") {
			title := rapid.SampledFrom([]string{"Our people", "2027", ""}).Draw(t, "title")
			rows = append(rows, []string{title, "", "", ""})
			above = above || title != ""
		}
		head := len(rows) + 1
		rows = append(rows, []string{"First Name", "surname", "Site", "remarks"})
		var want []string
		for range rapid.IntRange(1, 6).Draw(t, "rows") {
			row := []string{cell.Draw(t, "a"), cell.Draw(t, "b"), cell.Draw(t, "c"), cell.Draw(t, "d")}
			rows = append(rows, row)
			said := false
			for _, c := range row {
				said = said || c != "" && c != "no" && c != "FALSE"
			}
			if !said {
				continue
			}
			want = append(want, fmt.Sprintf("%d: %s", len(rows), strings.Join(row, " | ")))
		}
		separator := rapid.SampledFrom([]rune{',', ';', '\t'}).Draw(t, "separator")
		for name, data := range written(t, rows, separator) {
			o := Options{Names: []string{"first-name", "surname", "site"}}
			table, err := Read(name, data, o)
			if len(want) == 0 {
				require.ErrorContains(t, err, "no row below", name)
				continue
			}
			require.NoError(t, err, name)
			require.Equal(t, head, table.Heading, name)
			have := lines(table)
			require.Equal(t, "First Name | surname | Site | remarks", have[0], name)
			require.Equal(t, want, have[1:], name)
			require.Equal(t, above, len(table.Notes) > 0, name)

			marks := map[int]Mark{}
			for _, r := range table.Rows {
				if rapid.Bool().Draw(t, "marked") {
					marks[r.Number] = Mark{When: time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC), Where: "/out/" + r.Cells[0].Text, ID: "id"}
				}
			}
			out, err := table.WithMarks(marks)
			require.NoError(t, err, name)
			again, err := Read(name, out, o)
			require.NoError(t, err, name)
			for i, r := range again.Rows {
				_, is := marks[r.Number]
				require.Equal(t, is, again.Marked(&r), name)
				for k, c := range table.Rows[i].Cells {
					require.Equal(t, c, r.Cells[k], name)
				}
			}
			// Taken out again, they are gone, and the cells are as they were.
			for n := range marks {
				marks[n] = Mark{Clear: true}
			}
			out, err = again.WithMarks(marks)
			require.NoError(t, err, name)
			last, err := Read(name, out, o)
			require.NoError(t, err, name)
			for i, r := range last.Rows {
				require.False(t, last.Marking(&r).Said, name)
				require.Equal(t, table.Rows[i].Cells, r.Cells[:4], name)
			}
		}
	})
}

// What stands in a row already and is right is not written once more.
func TestOnlyCellsThatDifferAreMarked(t *testing.T) {
	text := "a,built,built on,built in,built as\nx,✓,yesterday,/out/x,one\ny,,,,\n"
	table, err := readCSV([]byte(text))
	require.NoError(t, err)
	same, err := table.WithMarks(map[int]Mark{2: {Where: "/out/x", ID: "one"}})
	require.NoError(t, err)
	assert.Equal(t, text, string(same))
	moved, err := table.WithMarks(map[int]Mark{2: {Where: "/out/z", ID: "one"}})
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(text, "/out/x", "/out/z", 1), string(moved))
	m := table.Marking(&table.Rows[0])
	assert.Equal(t, Marking{Built: true, When: "yesterday", As: "one", Where: "/out/x", Said: true, Present: true}, m)
	assert.Equal(t, Marking{Present: true}, table.Marking(&table.Rows[1]))
	none, err := readCSV([]byte("a,b\nx,y\n"))
	require.NoError(t, err)
	assert.Equal(t, Marking{}, none.Marking(&none.Rows[0]))
}
