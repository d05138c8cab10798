package table

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"encoding/xml"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"
)

// A TextError says that a text would come back from a table as another one.
type TextError struct{ Text string }

// Error names the text.
func (e *TextError) Error() string {
	return fmt.Sprintf("“%s” has characters, or spaces at an end, that a table does not keep", e.Text)
}

// Write makes a new table of texts, the first row being the headings: as CSV, with the
// byte order mark by which spreadsheets know UTF-8, or as a workbook, by the ending of
// the name. In a workbook each cell is a text, also where it looks like a number or a
// formula. [Read] reads the same texts back; where it would not, the error is a
// [TextError].
// Lists say what may be chosen in columns; in CSV they say nothing.
func Write(name string, rows [][]string, lists ...List) ([]byte, error) {
	for _, row := range rows {
		for _, text := range row {
			if !utf8.ValidString(text) || text != strings.TrimSpace(text) || strings.ContainsFunc(text, unkept) {
				return nil, &TextError{text}
			}
		}
	}
	switch strings.ToLower(path.Ext(name)) {
	case ".csv":
		var out bytes.Buffer
		out.WriteString("\uFEFF")
		w := csv.NewWriter(&out)
		err := w.WriteAll(rows)
		return out.Bytes(), err
	case ".xlsx":
		return writeWorkbook(rows, lists)
	}
	return nil, fmt.Errorf("a table ends in .csv or .xlsx")
}

// A List says what a spreadsheet offers in the cells of a column, the first row aside. Something else can be
// written there all the same.
type List struct {
	Column   int      // from 0
	Of       []string // the same in each row; none where the columns From to To of a row hold what is offered in it
	From, To int
}

// maxList is how long a list may be that stands in its cells (ECMA-376, part 1, 18.3.1.33).
const maxList = 255

// validation writes a list into a sheet of so many rows.
func (l List) validation(out *bytes.Buffer, rows int) error {
	source := fmt.Sprintf("$%s2:$%s2", ColumnName(l.From), ColumnName(l.To)) // it counts on with the rows
	if len(l.Of) > 0 {
		if source = `"` + strings.Join(l.Of, ",") + `"`; len(source) > maxList || slices.ContainsFunc(l.Of, func(s string) bool { return strings.ContainsAny(s, `",`) }) {
			return nil
		}
	}
	fmt.Fprintf(out, `<dataValidation type="list" allowBlank="1" showErrorMessage="0" sqref="%[1]s2:%[1]s%[2]d"><formula1>`, ColumnName(l.Column), rows)
	if err := xml.EscapeText(out, []byte(source)); err != nil {
		return err
	}
	out.WriteString(`</formula1></dataValidation>`)
	return nil
}

// unkept reports whether a character has no place in XML 1.0, or is changed with the
// ends of lines.
func unkept(r rune) bool {
	return unicode.IsControl(r) || r == 0xFFFE || r == 0xFFFF
}

// workbookParts are the parts of a workbook with one sheet, beside that (ECMA-376,
// Office Open XML).
var workbookParts = []struct{ name, text string }{
	{"[Content_Types].xml", `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`},
	{"_rels/.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`},
	{"xl/workbook.xml", `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="Plan" sheetId="1" r:id="rId1"/></sheets></workbook>`},
	{"xl/_rels/workbook.xml.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`},
}

// codes are texts that a workbook reads as a character (ECMA-376, part 1, 22.9.2.19).
var codes = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`_(x[0-9A-Fa-f]{4})`) })

func writeWorkbook(rows [][]string, lists []List) ([]byte, error) {
	const begin = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>` + "\n"
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	part := func(name string, text []byte) error {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write(append([]byte(begin), text...))
		}
		return err
	}
	for _, p := range workbookParts {
		if err := part(p.name, []byte(p.text)); err != nil {
			return nil, err
		}
	}
	var sheet bytes.Buffer
	sheet.WriteString(`<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><cols><col min="1" max="1" width="10" customWidth="1"/><col min="2" max="4" width="48" customWidth="1"/></cols><sheetData>`)
	for i, row := range rows {
		fmt.Fprintf(&sheet, `<row r="%d">`, i+1)
		for k, text := range row {
			if text == "" {
				continue
			}
			fmt.Fprintf(&sheet, `<c r="%s%d" t="inlineStr"><is><t xml:space="preserve">`, ColumnName(k), i+1)
			if err := xml.EscapeText(&sheet, []byte(codes().ReplaceAllString(text, "_x005F_$1"))); err != nil {
				return nil, err
			}
			sheet.WriteString(`</t></is></c>`)
		}
		sheet.WriteString(`</row>`)
	}
	sheet.WriteString(`</sheetData>`)
	var offered bytes.Buffer
	for _, l := range lists {
		if err := l.validation(&offered, len(rows)); err != nil {
			return nil, err
		}
	}
	if offered.Len() > 0 && len(rows) > 1 {
		sheet.WriteString(`<dataValidations>` + offered.String() + `</dataValidations>`)
	}
	sheet.WriteString(`</worksheet>`)
	if err := part("xl/worksheets/sheet1.xml", sheet.Bytes()); err != nil {
		return nil, err
	}
	err := z.Close()
	return out.Bytes(), err
}
