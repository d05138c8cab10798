package table

import (
	"archive/zip"
	"bytes"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// sheetOf puts rows into the smallest workbook.
func sheetOf(rows string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, part := range [][2]string{
		{"_rels/.rels", `<Relationships><Relationship Id="a" Type="x/officeDocument" Target="xl/workbook.xml"/></Relationships>`},
		{"xl/workbook.xml", `<workbook xmlns:r="r"><sheets><sheet name="Old" state="hidden" r:id="r0"/><sheet name="One" r:id="r1"/></sheets></workbook>`},
		{"xl/_rels/workbook.xml.rels", `<Relationships><Relationship Id="r1" Type="x/worksheet" Target="/xl/s.xml"/><Relationship Id="r0" Type="x/worksheet" Target="old.xml"/>` +
			`<Relationship Id="r2" Type="x/sharedStrings" Target="t.xml"/><Relationship Id="r3" Type="x/styles" Target="styles.xml"/></Relationships>`},
		{"xl/t.xml", `<sst><si><t>name</t></si><si><r><t xml:space="preserve">rich </t></r><r><t>text</t></r><rPh><t>aside</t></rPh></si></sst>`},
		{"xl/styles.xml", `<styleSheet><numFmts><numFmt numFmtId="170" formatCode="[$-809]dd\ mmmm\ yyyy"/><numFmt numFmtId="171" formatCode="000"/>` +
			`<numFmt numFmtId="172" formatCode="0.0&quot; days&quot;;[Red]-0"/></numFmts><cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="170"/><xf numFmtId="171"/><xf numFmtId="22"/><xf numFmtId="20"/><xf numFmtId="172"/></cellXfs></styleSheet>`},
		{"xl/s.xml", `<worksheet><dimension ref="A1:B2"/><sheetData>` + rows + `</worksheet>`},
	} {
		w, _ := z.Create(part[0])
		_, _ = w.Write([]byte(part[1]))
	}
	_ = z.Close()
	return b.Bytes()
}

// readBook reads a workbook.
func readBook(data []byte, sheet string) (*Table, error) {
	o := Options{}
	if sheet != "" {
		o.Sheets = []string{sheet}
	}
	return Read("r.xlsx", data, o)
}

func TestCellsOfAWorkbook(t *testing.T) {
	for cell, want := range map[string]string{
		`<c t="s"><v>1</v></c>`:                                 "rich text",
		`<c t="inlineStr"><is><t>in _x0041_ place</t></is></c>`: "in A place",
		`<c t="str"><f>A1&amp;"x"</f><v> made </v></c>`:         "made",
		`<c t="b"><v>1</v></c>`:                                 "yes",
		`<c t="b"><v>0</v></c>`:                                 "no",
		`<c t="d"><v>2027-03-09T00:00:00Z</v></c>`:              "2027-03-09",
		`<c><v>12</v></c>`:                                      "12",
		`<c><v>0.30000000000000004</v></c>`:                     "0.3",
		`<c><v>1.2E+3</v></c>`:                                  "1200",
		`<c s="1"><v>46455</v></c>`:                             "2027-03-09",
		`<c s="1"><v>46455.75</v></c>`:                          "2027-03-09",
		`<c s="2"><v>46455</v></c>`:                             "2027-03-09",
		`<c s="2"><v>59</v></c>`:                                "1900-02-28",
		`<c s="2"><v>61</v></c>`:                                "1900-03-01",
		`<c s="4"><v>46455.5</v></c>`:                           "2027-03-09 12:00",
		`<c s="4"><v>46455</v></c>`:                             "2027-03-09",
		`<c s="5"><v>0.5</v></c>`:                               "12:00",
		`<c s="3"><v>7</v></c>`:                                 "007",
		`<c s="6"><v>2.5</v></c>`:                               "2.5",
		`<c s="1"><v>99999999</v></c>`:                          "99999999",
		`<c t="e"><f>1/0</f><v>#DIV/0!</v></c>`:                 "!its formula gives #DIV/0!",
		`<c><f>A1</f></c>`:                                      "!its formula has no result yet: open the workbook in the spreadsheet and save it",
	} {
		table, err := readBook(sheetOf(`<row><c t="s"><v>0</v></c></row><row r="7">`+cell+`</row></sheetData>`), "")
		require.NoError(t, err, cell)
		require.NoError(t, table.check())
		assert.Equal(t, []string{"name", "7: " + want}, lines(table), cell)
		assert.Equal(t, "One", table.Sheet, "a hidden sheet is skipped")
	}
	for rows, want := range map[string]string{
		`</sheetData>`: `the sheet "One" is empty`,
		`<row><c><v>1</v></c><c/></row><row><c><v>2</v></c></row></sheetData><mergeCell ref="A1:B1"/>`:     "the headings in A1:B1 are merged",
		`<row><c><v>1</v></c></row><row><c r="ZZZ9"><v>2</v></c></row></sheetData>`:                        "it has 18278 columns",
		`<row><c><v>1</v></c></row><row><c t="s"><v>99</v></c></row></sheetData>`:                          "damaged",
		`<row><c><v>1</v></c></row><row><c`:                                                                "damaged",
		`<row><c><v>1</v></c></row></sheetData>` + strings.Repeat(`<mergeCell ref="A1:A1"/>`, maxMerged+1): "too many of its cells are merged",
		strings.Repeat(" ", maxFree+1):                                                                     "its part xl/s.xml is packed so closely that nobody wrote it",
		`<row><c><v>1</v></c></row></sheetData>`:                                                           "no row below",
	} {
		table, err := readBook(sheetOf(rows), "")
		if err == nil {
			err = table.check()
		}
		assert.ErrorContains(t, err, want, rows)
	}
	table, err := readBook(sheetOf(`<row><c><v>1</v></c><c><v>2</v></c></row><row r="2"><c r="A2"><v>3</v></c></row><row r="3"><c r="B3"><v>4</v></c></row></sheetData><mergeCell ref="A2:A1048576"/>`), "one")
	require.NoError(t, err)
	assert.Equal(t, []string{"1 | 2", "2: 3 | ", "3: !it is merged with A2: split that cell, and fill in each | 4"}, lines(table))
	_, err = readBook(sheetOf(""), "Two")
	assert.ErrorContains(t, err, `it has no sheet "Two", only Old, One`)
}

// workbookOf has formats, formulas, a second sheet and a style for its headings.
func workbookOf(t *testing.T) []byte {
	f := excelize.NewFile()
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	require.NoError(t, err)
	date := "dd/mm/yyyy"
	day, err := f.NewStyle(&excelize.Style{CustomNumFmt: &date})
	require.NoError(t, err)
	for cell, v := range map[string]any{"A1": "Client", "B1": "Received", "C1": "Gilding", "D1": "Total", "A2": "Åsgerd & Ölvane", "A3": "Oriel Pask", "C2": true, "C3": false,
		"B2": time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC), "B3": time.Date(2028, 2, 29, 0, 0, 0, 0, time.UTC), "D2": 12.5} {
		require.NoError(t, f.SetCellValue("Sheet1", cell, v))
	}
	require.NoError(t, f.SetCellStyle("Sheet1", "A1", "D1", bold))
	require.NoError(t, f.SetCellStyle("Sheet1", "B2", "B3", day))
	require.NoError(t, f.SetCellFormula("Sheet1", "D5", "SUM(D2:D3)"))
	require.NoError(t, f.SetColWidth("Sheet1", "A", "A", 33))
	_, err = f.NewSheet("Prices")
	require.NoError(t, err)
	require.NoError(t, f.SetCellValue("Prices", "A1", 7))
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	return b.Bytes()
}

func TestMarksInAWorkbookLeaveTheRestAsItIs(t *testing.T) {
	data := workbookOf(t)
	table, err := readBook(data, "")
	require.NoError(t, err)
	assert.Equal(t, []string{"Client | Received | Gilding | Total", "2: Åsgerd & Ölvane | 2027-03-09 | yes | 12.5", "3: Oriel Pask | 2028-02-29 | no | "}, lines(table))
	assert.Equal(t, []string{"Prices"}, table.Others)
	marked, err := table.WithMarks(map[int]Mark{3: {When: time.Date(2027, 3, 9, 14, 30, 0, 0, time.UTC), Where: "C/<x> & y"}})
	require.NoError(t, err)

	parts := func(data []byte) map[string]string {
		z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		all := map[string]string{}
		for _, f := range z.File {
			r, err := f.Open()
			require.NoError(t, err)
			text, err := io.ReadAll(r)
			require.NoError(t, err)
			all[f.Name] = string(text)
		}
		return all
	}
	before, after := parts(data), parts(marked)
	const sheet = "xl/worksheets/sheet1.xml"
	cell := func(ref, style, text string) string {
		return `<c r="` + ref + `"` + style + ` t="inlineStr"><is><t xml:space="preserve">` + text + `</t></is></c>`
	}
	want := before[sheet]
	want = strings.Replace(want, `<dimension ref="A1:D5"></dimension>`, "", 1)
	want = strings.Replace(want, `</c></row><row r="2"`, `</c>`+cell("E1", ` s="1"`, "built")+cell("F1", ` s="1"`, "built on")+cell("G1", ` s="1"`, "built in")+`</row><row r="2"`, 1)
	want = strings.Replace(want, `</c></row><row r="5"`, `</c>`+cell("E3", "", "yes")+cell("F3", "", "2027-03-09 14:30")+cell("G3", "", "C/&lt;x&gt; &amp; y")+`</row><row r="5"`, 1)
	assert.Equal(t, want, strings.Replace(after[sheet], `<dimension ref="A1:D5"></dimension>`, "", 1))
	delete(before, sheet)
	delete(after, sheet)
	assert.Equal(t, before, after, "all other parts")

	// Another reader sees the same.
	f, err := excelize.OpenReader(bytes.NewReader(marked))
	require.NoError(t, err)
	got, err := f.GetRows("Sheet1")
	require.NoError(t, err)
	assert.Equal(t, []string{"Oriel Pask", "29/02/2028", "FALSE", "", "yes", "2027-03-09 14:30", "C/<x> & y"}, got[2])
	formula, err := f.GetCellFormula("Sheet1", "D5")
	require.NoError(t, err)
	assert.Equal(t, "SUM(D2:D3)", formula)

	table, err = readBook(marked, "")
	require.NoError(t, err)
	assert.True(t, table.Marked(&table.Rows[1]) && !table.Marked(&table.Rows[0]))
	again, err := table.WithMarks(map[int]Mark{3: {Where: "D"}, 2: {Where: "E"}})
	require.NoError(t, err)
	table, err = readBook(again, "")
	require.NoError(t, err)
	assert.Equal(t, "3: Oriel Pask | 2028-02-29 | no |  | yes | 2027-03-09 14:30 | D", lines(table)[2])
}

func FuzzParseWorkbook(f *testing.F) {
	f.Add(`<row r="1" spans="1:2"><c r="A1" t="s"><v>0</v></c><c r="B1" s="1"><v>46455</v></c></row><row r="2"><c t="b"><v>1</v></c></row></sheetData><mergeCell ref="A2:B3"/>`)
	f.Add(`<x:row><x:c><x:f>1</x:f></x:c></x:row>`)
	f.Fuzz(func(t *testing.T, rows string) {
		table, err := readBook(sheetOf(rows), "")
		if err != nil || table.check() != nil {
			return
		}
		marks := map[int]Mark{}
		for _, r := range table.Rows {
			if len(r.Cells) != len(table.Headings) {
				t.Fatal("a row is not as wide as the headings")
			}
			marks[r.Number] = Mark{Where: "C/x"}
		}
		if out, err := table.WithMarks(marks); err == nil {
			again, err := readBook(out, "")
			if err != nil {
				t.Fatalf("marked, it cannot be read: %v\n%q", err, rows)
			}
			for _, r := range again.Rows {
				if !again.Marked(&r) {
					t.Fatalf("row %d is not marked: %q", r.Number, rows)
				}
			}
		}
	})
}
