package table

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const odsHead = `<?xml version="1.0" encoding="UTF-8"?><office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x" xmlns:calcext="c"><office:body><office:spreadsheet>`

// ods is a spreadsheet with the text of its sheets.
func ods(t require.TestingT, sheets string) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, part := range [][2]string{{"mimetype", "application/vnd.oasis.opendocument.spreadsheet"}, {"content.xml", odsHead + sheets + `</office:spreadsheet></office:body></office:document-content>`}, {"styles.xml", "<styles/>"}} {
		method := zip.Deflate
		if part[0] == "mimetype" {
			method = zip.Store
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: part[0], Method: method})
		require.NoError(t, err)
		_, err = w.Write([]byte(part[1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

func odsText(cell string) string {
	if cell == "" {
		return "<table:table-cell/>"
	}
	return `<table:table-cell office:value-type="string"><text:p>` + escaped(cell) + `</text:p></table:table-cell>`
}

func TestCellsOfASpreadsheet(t *testing.T) {
	for cell, want := range map[string]Cell{
		odsText("a & <b>"): {Text: "a & <b>"},
		`<table:table-cell office:value-type="float" office:value="12.5"><text:p>12,5</text:p></table:table-cell>`:                                                                                {Text: "12.5"},
		`<table:table-cell office:value-type="float" office:value="7"><text:p>007</text:p></table:table-cell>`:                                                                                    {Text: "007"},
		`<table:table-cell office:value-type="date" office:date-value="2027-03-09"><text:p>09.03.27</text:p></table:table-cell>`:                                                                  {Text: "2027-03-09", Day: time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC)},
		`<table:table-cell office:value-type="boolean" office:boolean-value="true"><text:p>WAHR</text:p></table:table-cell>`:                                                                      {Text: "yes"},
		`<table:table-cell office:value-type="string" calcext:value-type="error"><text:p>#REF!</text:p></table:table-cell>`:                                                                       {Problem: "its formula gives #REF!"},
		`<table:table-cell office:value-type="string"><office:annotation><text:p>a note</text:p></office:annotation><text:p>x<text:s text:c="2"/>y</text:p><text:p>z</text:p></table:table-cell>`: {Text: "x  y\nz"},
	} {
		table, err := Read("r.ods", ods(t, `<table:table table:name="One"><table:table-row>`+odsText("a")+`</table:table-row><table:table-row table:number-rows-repeated="3"><table:table-cell table:number-columns-repeated="1000"/></table:table-row><table:table-row>`+cell+`</table:table-row></table:table>`), Options{})
		require.NoError(t, err, cell)
		require.Len(t, table.Rows, 1)
		assert.Equal(t, 5, table.Rows[0].Number)
		assert.Equal(t, want, table.Rows[0].Cells[0], cell)
	}
	for sheets, want := range map[string]string{
		`<table:table table:name="One"></table:table>`: `the sheet "One" is empty`,
		`<table:table table:name="One"><table:table-row><table:table-cell table:number-columns-repeated="2000" office:value-type="string"><text:p>x</text:p></table:table-cell></table:table-row></table:table>`: "2000 columns",
		`<table:table table:name="One"><table:table-row table:number-rows-repeated="900000000">` + odsText("x") + `</table:table-row></table:table>`:                                                             "more than 200000 rows",
		`<table:table table:name="One"><table:table-row table:number-rows-repeated="x">` + odsText("x") + `</table:table-row></table:table>`:                                                                     "damaged",
		`<table:table table:name="One"><table:table-row>`: "damaged",
		strings.Repeat(" ", maxFree+1):                    "packed so closely",
	} {
		_, err := Read("r.ods", ods(t, sheets), Options{})
		assert.ErrorContains(t, err, want)
	}
	_, err := Read("r.ods", ods(t, `<table:table table:name="One"><table:table-row>`+odsText("x")+`</table:table-row></table:table>`), Options{Sheets: []string{"Two"}})
	assert.ErrorContains(t, err, `it has no sheet "Two", only One`)
}

// Whatever of the rows and cells stands there once for several, a mark changes only its own
// cells; all other parts, and all other sheets, are as they were.
func TestMarksInASpreadsheetLeaveTheRestAsItIs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		word := rapid.SampledFrom([]string{"", "", "a", "b & c", "<d>"})
		rows := [][]string{{"name", "b"}}
		sheet := `<table:table table:name="One"><table:table-row>` + odsText("name") + odsText("b") + `</table:table-row>`
		for range rapid.IntRange(1, 5).Draw(t, "groups") {
			times, first, wide := rapid.IntRange(1, 3).Draw(t, "times"), word.Draw(t, "first"), rapid.IntRange(1, 3).Draw(t, "wide")
			second := word.Draw(t, "second")
			cell := strings.Replace(odsText(second), "<table:table-cell", fmt.Sprintf(`<table:table-cell table:number-columns-repeated="%d"`, wide), 1)
			tag := "<table:table-row>"
			if times > 1 {
				tag = fmt.Sprintf(`<table:table-row table:number-rows-repeated="%d" table:style-name="r">`, times)
			}
			sheet += tag + odsText(first) + cell + `</table:table-row>`
			for range times {
				row := []string{first}
				for range wide {
					row = append(row, second)
				}
				rows = append(rows, row)
			}
		}
		sheet += `</table:table>`
		other := `<table:table table:name="Two"><table:table-row>` + odsText("name") + `</table:table-row></table:table>`
		data := ods(t, sheet+other)
		table, err := Read("r.ods", data, Options{Names: []string{"name"}})
		if err != nil {
			return // it has no row with anything in it
		}
		marks := map[int]Mark{}
		for _, r := range table.Rows {
			if rapid.Bool().Draw(t, "marked") {
				marks[r.Number] = Mark{When: time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC), Where: "C/<x>", ID: "id"}
			}
		}
		out, err := table.WithMarks(marks)
		require.NoError(t, err)
		again, err := Read("r.ods", out, Options{Names: []string{"name"}})
		require.NoError(t, err)
		require.Len(t, again.Rows, len(table.Rows))
		for i, r := range again.Rows {
			want := rows[r.Number-1]
			for k, c := range r.Cells {
				switch {
				case again.IsMark(k):
				case k < len(want):
					require.Equal(t, want[k], c.Text, "row %d", r.Number)
				default:
					require.Empty(t, c.Text)
				}
			}
			_, marked := marks[table.Rows[i].Number]
			m := again.Marking(&r)
			require.Equal(t, marked, m.Built)
			require.Equal(t, map[bool]string{true: "C/<x>"}[marked], m.Where)
		}
		z, err := zip.NewReader(bytes.NewReader(out), int64(len(out)))
		require.NoError(t, err)
		require.Equal(t, "mimetype", z.File[0].Name)
		require.Equal(t, zip.Store, z.File[0].Method)
		r, err := z.Open("content.xml")
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		require.True(t, strings.HasSuffix(string(text), other+`</office:spreadsheet></office:body></office:document-content>`))
	})
}

func TestSeveralSheetsAreOneTable(t *testing.T) {
	data := ods(t, `<table:table table:name="May"><table:table-row>`+odsText("name")+odsText("b")+`</table:table-row><table:table-row>`+odsText("x")+odsText("1")+`</table:table-row></table:table>`+
		`<table:table table:name="Notes"><table:table-row>`+odsText("just")+`</table:table-row><table:table-row>`+odsText("words")+`</table:table-row></table:table>`+
		`<table:table table:name="June"><table:table-row>`+odsText("c")+odsText("Name")+`</table:table-row><table:table-row>`+odsText("2")+odsText("y")+`</table:table-row></table:table>`)
	table, err := Read("r.ods", data, Options{Sheets: []string{"*"}, Names: []string{"name"}})
	require.NoError(t, err)
	var said []string
	for _, r := range table.Rows {
		said = append(said, table.RowName(r.Number)+": "+r.Cells[0].Text+" "+r.Cells[1].Text+" "+r.Cells[2].Text)
	}
	assert.Equal(t, []string{"name", "b", "c"}, table.Headings)
	assert.Equal(t, []string{"row 2 of “May”: x 1 ", "row 2 of “June”: y  2"}, said)
	assert.Equal(t, []string{"the sheet “Notes” is skipped: no heading in it is known"}, table.Notes)
	out, err := table.WithMarks(map[int]Mark{table.Rows[1].Number: {Where: "C", ID: "i"}})
	require.NoError(t, err)
	june, err := Read("r.ods", out, Options{Sheets: []string{"June"}, Names: []string{"name"}})
	require.NoError(t, err)
	assert.Equal(t, "C", june.Marking(&june.Rows[0]).Where)
	may, err := Read("r.ods", out, Options{Sheets: []string{"May"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"name", "b"}, may.Headings)
	_, err = Read("r.ods", data, Options{Sheets: []string{"May", "July"}})
	assert.ErrorContains(t, err, `the sheet “July”: it has no sheet "July", only May, Notes, June`)
}

func FuzzParseSpreadsheet(f *testing.F) {
	f.Add(`<table:table table:name="One"><table:table-row table:number-rows-repeated="2">` + odsText("x") + `</table:table-row></table:table>`)
	f.Add(`<table:table><table:table-row><table:covered-table-cell/>` + odsText("x") + `</table:table-row><table:table-row table:number-rows-repeated="3">` + odsText("y") + `</table:table-row></table:table>`)
	f.Fuzz(func(t *testing.T, sheets string) {
		table, err := Read("r.ods", ods(t, sheets), Options{})
		if err != nil || len(table.Rows) > 2000 {
			return
		}
		marks := map[int]Mark{}
		for _, r := range table.Rows {
			marks[r.Number] = Mark{Where: "C"}
		}
		out, err := table.WithMarks(marks)
		if err != nil {
			return
		}
		again, err := Read("r.ods", out, Options{})
		if err != nil {
			return // its prefixes are others than those of the format
		}
		for i := range again.Rows {
			if len(again.Rows) == len(table.Rows) && again.Rows[i].Number != table.Rows[i].Number {
				t.Fatalf("row %d has become row %d: %q", table.Rows[i].Number, again.Rows[i].Number, sheets)
			}
		}
	})
}
