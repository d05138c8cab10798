package table

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"
)

// A spreadsheet is a file in the OpenDocument format (ISO/IEC 26300, part 3): an archive
// of parts, of which content.xml holds all sheets. Like a workbook it is read here, since a
// mark has to leave every other byte of that part as it was.
type spreadsheet struct {
	parts *zip.Reader
	xml   []byte
	sheet string
}

// contentPart is the part with the sheets.
const contentPart = "content.xml"

// parseSpreadsheet reads a sheet: the named one, or the first.
func parseSpreadsheet(data []byte, sheet string) (*Table, error) {
	parts, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, errDamaged
	}
	s := &spreadsheet{parts: parts}
	w := &workbook{parts: parts, size: len(data)}
	if manifest, err := w.part("META-INF/manifest.xml", maxSmall); err == nil && bytes.Contains(manifest, []byte("encryption-data")) {
		return nil, errors.New("it is protected by a password: save a copy without one")
	}
	if s.xml, err = w.part(contentPart, maxPart); err != nil {
		return nil, err
	}
	t := &Table{file: s}
	return t, s.read(t, sheet)
}

// An odsSpan is a row or a cell in the text of content.xml, or several that are alike and
// stand there once.
type odsSpan struct {
	begin, end int
	tagEnd     int // of its start tag
	times      int
	tag        xml.StartElement
}

// repeated is how many there are of a row or a cell.
func repeated(start xml.StartElement, what string) (int, error) {
	for _, a := range start.Attr {
		if a.Name.Local == what {
			n, err := strconv.Atoi(a.Value)
			if err != nil || n < 1 {
				return 0, errDamaged
			}
			return n, nil
		}
	}
	return 1, nil
}

const (
	rowsRepeated  = "number-rows-repeated"
	cellsRepeated = "number-columns-repeated"
)

func odsAttribute(start xml.StartElement, name string) string {
	for _, a := range start.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// read reads the rows of a sheet.
func (s *spreadsheet) read(t *Table, sheet string) error {
	var names []string
	number := 0
	err := s.eachTable(func(name string) bool {
		names = append(names, name)
		if s.sheet == "" && (sheet == "" || strings.EqualFold(name, sheet)) {
			s.sheet = name
			return true
		}
		return false
	}, func(dec *elements, row odsSpan) error {
		cells, err := s.readRow(dec)
		if err != nil {
			return err
		}
		r := Row{Number: number + 1, Cells: cells}
		number += row.times
		if r.Empty() {
			return nil
		}
		for i := range row.times {
			if err := t.add(Row{Number: r.Number + i, Cells: slices.Clone(cells)}); err != nil {
				return err
			}
		}
		return nil
	})
	switch {
	case err != nil:
		return err
	case s.sheet == "":
		return fmt.Errorf("it has no sheet \"%s\", only %s", sheet, strings.Join(names, ", "))
	case len(t.Rows) == 0:
		return fmt.Errorf("the sheet \"%s\" is empty", s.sheet)
	}
	t.Sheet = s.sheet
	t.Others = slices.DeleteFunc(names, func(n string) bool { return n == s.sheet })
	return nil
}

// eachTable calls visit for each row of the sheet that chosen takes. The decoder stands
// behind the row's start tag then; visit reads up to its end.
func (s *spreadsheet) eachTable(chosen func(name string) bool, visit func(dec *elements, row odsSpan) error) error {
	dec := newElements(s.xml)
	depth, inside := 0, 0 // of tables; inside the chosen one from that depth on
	for {
		begin := int(dec.InputOffset())
		token, err := dec.next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return errDamaged
		}
		switch x := token.(type) {
		case xml.StartElement:
			switch x.Name.Local {
			case "table":
				if depth++; depth == 1 && chosen(odsAttribute(x, "name")) {
					inside = depth
				}
			case "table-row":
				if inside == 0 || depth != inside {
					continue
				}
				times, err := repeated(x, rowsRepeated)
				if err != nil {
					return err
				}
				row := odsSpan{begin: begin, tagEnd: int(dec.InputOffset()), times: times, tag: x.Copy()}
				if err := visit(dec, row); err != nil {
					return err
				}
			}
		case xml.EndElement:
			if x.Name.Local == "table" {
				if depth == inside {
					inside = 0
				}
				depth--
			}
		}
	}
}

// readRow reads the cells up to the end of the row.
func (s *spreadsheet) readRow(dec *elements) (cells []Cell, err error) {
	gap := 0 // empty cells, which count only where another one stands behind them
	err = eachCell(dec, func(span odsSpan, covered bool) error {
		cell, err := readOdsCell(dec, span.tag)
		if err != nil {
			return err
		}
		if covered {
			cell = Cell{}
		}
		if cell.Text == "" && cell.Problem == "" {
			gap = min(gap+span.times, MaxColumns+1)
			return nil
		}
		if len(cells)+gap+span.times > MaxColumns {
			return tooWide(len(cells) + gap + span.times)
		}
		cells = append(cells, make([]Cell, gap)...)
		gap = 0
		for range span.times {
			cells = append(cells, cell)
		}
		return nil
	})
	return cells, err
}

// eachCell calls visit for each cell of a row, at whose start the decoder stands; visit
// reads up to the end of the cell.
func eachCell(dec *elements, visit func(span odsSpan, covered bool) error) error {
	for {
		begin := int(dec.InputOffset())
		token, err := dec.next()
		if err != nil {
			return errDamaged
		}
		switch x := token.(type) {
		case xml.StartElement:
			covered := x.Name.Local == "covered-table-cell"
			if x.Name.Local != "table-cell" && !covered {
				return errDamaged
			}
			times, err := repeated(x, cellsRepeated)
			if err != nil {
				return err
			}
			if err := visit(odsSpan{begin: begin, tagEnd: int(dec.InputOffset()), times: times, tag: x.Copy()}, covered); err != nil {
				return err
			}
		case xml.EndElement:
			return nil // of the row
		}
	}
}

// readOdsCell reads a cell up to its end.
func readOdsCell(dec *elements, start xml.StartElement) (Cell, error) {
	var text []byte
	aside, lines := 0, 0
	for depth := 1; depth > 0; {
		token, err := dec.next()
		if err != nil {
			return Cell{}, errDamaged
		}
		switch x := token.(type) {
		case xml.StartElement:
			depth++
			switch x.Name.Local {
			case "annotation", "shape", "object", "table":
				if aside == 0 {
					aside = depth
				}
			case "p":
				if aside == 0 {
					if lines++; lines > 1 {
						text = append(text, '\n')
					}
				}
			case "s":
				n, err := strconv.Atoi(odsAttribute(x, "c"))
				if err != nil {
					n = 1
				}
				if aside == 0 {
					text = append(text, bytes.Repeat([]byte(" "), max(1, min(n, MaxText)))...)
				}
			case "tab", "line-break":
				if aside == 0 {
					text = append(text, ' ')
				}
			}
		case xml.CharData:
			if aside == 0 && lines > 0 && len(text) <= 4*MaxText {
				text = append(text, x...)
			}
		case xml.EndElement:
			if depth == aside {
				aside = 0
			}
			depth--
		}
	}
	return odsCell(start, strings.TrimSpace(string(text))), nil
}

// odsCell is a cell by the type of its value.
func odsCell(start xml.StartElement, shown string) Cell {
	kind, value := "", ""
	for _, a := range start.Attr {
		if a.Name.Local == "value-type" && (kind == "" || a.Value == "error") {
			kind = a.Value
		}
	}
	switch kind {
	case "error":
		return Cell{Problem: "its formula gives " + shown}
	case "boolean":
		return Cell{Text: map[bool]string{true: "yes", false: "no"}[odsAttribute(start, "boolean-value") == "true"]}
	case "date":
		value = odsAttribute(start, "date-value")
		at, clock, _ := strings.Cut(value, "T")
		day, err := time.Parse(time.DateOnly, at)
		if err != nil {
			return Cell{Text: shown}
		}
		c := Cell{Text: at, Day: day}
		if hm := clock[:min(len(clock), 5)]; hm != "" && hm != "00:00" {
			c.Text += " " + hm
		}
		return c
	case "float", "percentage", "currency":
		value = odsAttribute(start, "value")
		if n, err := strconv.Atoi(shown); err == nil && strings.HasPrefix(shown, "0") && strconv.Itoa(n) == value {
			return Cell{Text: shown} // it is shown with zeros in front
		}
		return format{}.number(value, epoch1900)
	case "string":
		if v := odsAttribute(start, "string-value"); v != "" {
			return Cell{Text: strings.TrimSpace(v)}
		}
	}
	return Cell{Text: shown}
}

// settle makes the headings as wide as the widest row.
func (s *spreadsheet) settle(t *Table) error {
	t.widen()
	return t.tooMany()
}

// with writes texts into cells. All other parts stay as they are packed.
func (s *spreadsheet) with(edits []edit) ([]byte, error) {
	var text bytes.Buffer
	at, number := 0, 0
	err := s.eachTable(func(name string) bool { return name == s.sheet }, func(dec *elements, row odsSpan) error {
		first := number + 1
		number += row.times
		var cells []odsSpan
		if err := eachCell(dec, func(span odsSpan, _ bool) error {
			if _, err := readOdsCell(dec, span.tag); err != nil {
				return err
			}
			span.end = int(dec.InputOffset())
			cells = append(cells, span)
			return nil
		}); err != nil {
			return err
		}
		row.end = int(dec.InputOffset())
		if len(edits) == 0 || edits[0].row > number {
			return nil
		}
		text.Write(s.xml[at:row.begin])
		at = row.end
		for k := first; k <= number; {
			n := 0
			for n < len(edits) && edits[n].row == k {
				n++
			}
			if n > 0 {
				s.row(&text, row, cells, edits[:n])
				edits = edits[n:]
				k++
				continue
			}
			until := number + 1 // rows that stay alike
			if len(edits) > 0 {
				until = min(until, edits[0].row)
			}
			text.Write(times(s.xml[row.begin:row.tagEnd], row.tag, rowsRepeated, until-k))
			text.Write(s.xml[row.tagEnd:row.end])
			k = until
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if len(edits) > 0 {
		return nil, errDamaged
	}
	text.Write(s.xml[at:])
	return repacked(s.parts, contentPart, text.Bytes())
}

// row writes one row with other texts in some of its cells.
func (s *spreadsheet) row(out *bytes.Buffer, row odsSpan, cells []odsSpan, edits []edit) {
	tag := times(s.xml[row.begin:row.tagEnd], row.tag, rowsRepeated, 1)
	closing := []byte("</" + qualified(row.tag.Name) + ">")
	if bytes.HasSuffix(tag, []byte("/>")) {
		tag = append(bytes.Clone(tag[:len(tag)-2]), '>')
	} else {
		closing = s.xml[bytes.LastIndexByte(s.xml[:row.end], '<'):row.end]
	}
	out.Write(tag)
	column := 0
	name := xml.Name{Space: row.tag.Name.Space, Local: "table-cell"}
	style := ""
	put := func(e edit, own string) {
		fmt.Fprintf(out, "<%s", qualified(name))
		if own != "" {
			fmt.Fprintf(out, ` %s:style-name="%s"`, name.Space, escaped(own))
		}
		if e.text == "" {
			out.WriteString("/>")
			return
		}
		fmt.Fprintf(out, ` office:value-type="string"><text:p>%s</text:p></%s>`, escaped(e.text), qualified(name))
	}
	for _, cell := range cells {
		last := column + cell.times
		whole := s.xml[cell.begin:cell.end]
		for column < last {
			if len(edits) > 0 && edits[0].column == column {
				put(edits[0], odsAttribute(cell.tag, "style-name"))
				edits = edits[1:]
				column++
				continue
			}
			until := last
			if len(edits) > 0 {
				until = min(until, edits[0].column)
			}
			out.Write(times(whole[:cell.tagEnd-cell.begin], cell.tag, cellsRepeated, until-column))
			out.Write(whole[cell.tagEnd-cell.begin:])
			column = until
		}
		if len(edits) > 0 && edits[0].styled {
			style = odsAttribute(cell.tag, "style-name")
		}
	}
	for _, e := range edits {
		if gap := e.column - column; gap > 0 {
			fmt.Fprintf(out, `<%s %s:%s="%d"/>`, qualified(name), name.Space, cellsRepeated, gap)
		}
		own := ""
		if e.styled {
			own = style
		}
		put(e, own)
		column = e.column + 1
	}
	out.Write(closing)
}

// times is a start tag that says how many there are of an element.
func times(tag []byte, start xml.StartElement, what string, n int) []byte {
	for _, a := range start.Attr {
		if a.Name.Local != what {
			continue
		}
		name := qualified(a.Name)
		at := bytes.Index(tag, []byte(name+"="))
		if at < 0 {
			return tag
		}
		quote := tag[at+len(name)+1]
		end := at + len(name) + 2 + bytes.IndexByte(tag[at+len(name)+2:], quote)
		out := bytes.Clone(tag[:at])
		if n > 1 {
			return append(append(append(out, name+`="`+strconv.Itoa(n)+`"`...), tag[end+1:]...), nil...)
		}
		return append(bytes.TrimRight(out, " \t\r\n"), tag[end+1:]...)
	}
	return tag
}

// qualified is a name with its prefix, as [xml.Decoder.RawToken] gives it.
func qualified(n xml.Name) string {
	if n.Space == "" {
		return n.Local
	}
	return n.Space + ":" + n.Local
}

func escaped(text string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(text)) // a builder takes everything
	return b.String()
}
