package table

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"sort"
	"strconv"
	"strings"
	"time"

	"vestibula/core/office"
)

// read reads the rows of the sheet into a table.
func (w *workbook) read(t *Table) error {
	dec := newElements(w.xml)
	number := 0
	for {
		token, err := dec.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return errDamaged
		}
		start, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		switch start.Name.Local {
		case "row":
			before := number
			if number, err = strconv.Atoi(attribute(start, "r", strconv.Itoa(number+1))); err != nil || number <= before {
				return errDamaged // rows stand in their order
			}
			if err := w.readRow(t, dec, number); err != nil {
				return err
			}
		case "mergeCell":
			if w.merged = append(w.merged, attribute(start, "ref", "")); len(w.merged) > maxMerged {
				return errMerged
			}
		}
	}
	if len(t.Rows) == 0 {
		return fmt.Errorf("the sheet \"%s\" is empty", t.Sheet)
	}
	return nil
}

// settle makes the headings as wide as the widest row, and tells of merged cells.
func (w *workbook) settle(t *Table) error {
	t.widen()
	if err := t.tooMany(); err != nil {
		return err
	}
	for i := range t.Rows {
		for len(t.Rows[i].Cells) < len(t.Headings) {
			t.Rows[i].Cells = append(t.Rows[i].Cells, Cell{})
		}
	}
	return t.unmerge(w.merged)
}

var errMerged = errors.New("too many of its cells are merged")

// The elements of a part of a workbook. Package xml has a faster way that does not look
// whether each element ends where it should; this does.
type elements struct {
	*xml.Decoder
	open []string
}

func newElements(data []byte) *elements {
	return &elements{Decoder: xml.NewDecoder(bytes.NewReader(data))}
}

// next returns the next token; of one that ends another element than the last that
// began, an error.
func (e *elements) next() (xml.Token, error) {
	token, err := e.RawToken()
	switch x := token.(type) {
	case xml.StartElement:
		e.open = append(e.open, x.Name.Local)
	case xml.EndElement:
		last := len(e.open) - 1
		if last < 0 || e.open[last] != x.Name.Local {
			return nil, errDamaged
		}
		e.open = e.open[:last]
	}
	if err == io.EOF && len(e.open) > 0 {
		err = errDamaged
	}
	return token, err
}

// attribute returns an attribute of an element, or what it is without one.
func attribute(start xml.StartElement, name, without string) string {
	for _, a := range start.Attr {
		if a.Name.Local == name && a.Name.Space == "" {
			return a.Value
		}
	}
	return without
}

// readRow reads the cells of a row; its first one with text holds the headings.
func (w *workbook) readRow(t *Table, dec *elements, number int) error {
	row := Row{Number: number}
	column := -1
	for {
		token, err := dec.next()
		if err != nil {
			return errDamaged
		}
		switch x := token.(type) {
		case xml.StartElement:
			if x.Name.Local == "row" {
				return errDamaged
			}
			if x.Name.Local != "c" {
				continue
			}
			next, ok := cellColumn(attribute(x, "r", ""), column+1)
			if !ok || next < column {
				return errDamaged
			}
			column = next
			cell, err := w.readCell(dec, x)
			if err != nil {
				return err
			}
			if cell.Text == "" && cell.Problem == "" {
				continue
			}
			if column >= MaxColumns {
				return tooWide(column + 1)
			}
			for len(row.Cells) <= column {
				row.Cells = append(row.Cells, Cell{})
			}
			row.Cells[column] = cell
		case xml.EndElement:
			if x.Name.Local != "row" {
				continue
			}
			if row.Empty() {
				return nil
			}
			return t.add(row)
		}
	}
}

// cellColumn returns the column of a cell, from 0, by a reference such as C14.
func cellColumn(ref string, without int) (int, bool) {
	if ref == "" {
		return without, true
	}
	n := 0
	for i := range len(ref) {
		switch c := ref[i]; {
		case c >= 'A' && c <= 'Z' && i < 3:
			n = n*26 + int(c-'A') + 1
		case c >= '0' && c <= '9' && i > 0:
			return n - 1, true
		default:
			return 0, false
		}
	}
	return 0, false
}

// readCell reads what a cell shows.
func (w *workbook) readCell(dec *elements, start xml.StartElement) (Cell, error) {
	kind := attribute(start, "t", "n")
	var value []byte
	inValue, formula, text := false, false, ""
	for {
		token, err := dec.next()
		if err != nil {
			return Cell{}, errDamaged
		}
		switch x := token.(type) {
		case xml.StartElement:
			if x.Name.Local == "c" || x.Name.Local == "row" {
				return Cell{}, errDamaged
			}
			inValue = x.Name.Local == "v"
			formula = formula || x.Name.Local == "f"
			if x.Name.Local == "is" {
				if text, err = richText(dec, "is"); err != nil {
					return Cell{}, err
				}
			}
		case xml.CharData:
			if inValue && len(value) <= 4*MaxText {
				value = append(value, x...)
			}
		case xml.EndElement:
			inValue = false
			if x.Name.Local == "c" {
				if kind == "inlineStr" {
					return Cell{Text: strings.TrimSpace(text)}, nil
				}
				return w.cell(kind, string(value), attribute(start, "s", ""), formula)
			}
		}
	}
}

// cell returns what a value of a kind is shown as.
func (w *workbook) cell(kind, value, style string, formula bool) (Cell, error) {
	switch {
	case value == "" && formula && kind != "str":
		return Cell{Problem: "its formula has no result yet: open the workbook in the spreadsheet and save it"}, nil
	case value == "":
		return Cell{}, nil
	}
	switch kind {
	case "s":
		i, err := strconv.Atoi(value)
		if err != nil || i < 0 || i >= len(w.texts) {
			return Cell{}, errDamaged
		}
		return Cell{Text: strings.TrimSpace(w.texts[i])}, nil
	case "str":
		return Cell{Text: strings.TrimSpace(unescaped(value))}, nil
	case "b":
		return Cell{Text: map[bool]string{true: "yes", false: "no"}[value == "1" || value == "true"]}, nil
	case "e":
		return Cell{Problem: "its formula gives " + value}, nil
	case "d":
		day, err := time.Parse(time.DateOnly, value[:min(len(value), len(time.DateOnly))])
		if err != nil {
			return Cell{Text: value}, nil
		}
		return Cell{Text: day.Format(time.DateOnly), Day: day}, nil
	}
	f := format{}
	if i, err := strconv.Atoi(style); err == nil && i >= 0 && i < len(w.formats) {
		f = w.formats[i]
	}
	return f.number(value, w.from), nil
}

// unmerge says where merged cells hide that a value is missing.
func (t *Table) unmerge(refs []string) error {
	covered := 0
	for _, ref := range refs {
		first, last, _ := strings.Cut(ref, ":")
		left, ok1 := cellColumn(first, 0)
		right, ok2 := cellColumn(last, 0)
		top, err1 := strconv.Atoi(strings.TrimLeft(first, "ABCDEFGHIJKLMNOPQRSTUVWXYZ"))
		bottom, err2 := strconv.Atoi(strings.TrimLeft(last, "ABCDEFGHIJKLMNOPQRSTUVWXYZ"))
		if !ok1 || !ok2 || err1 != nil || err2 != nil {
			continue
		}
		if top <= t.Heading && t.Heading <= bottom && left < right {
			return fmt.Errorf("the headings in %s are merged into one: split that cell, and give each column a heading of its own", ref)
		}
		from := sort.Search(len(t.Rows), func(i int) bool { return t.Rows[i].Number >= top })
		for _, r := range t.Rows[from:] {
			if r.Number > bottom {
				break
			}
			for c := left; c <= min(right, len(t.Headings)-1); c++ {
				if r.Number != top || c != left {
					r.Cells[c].Problem = fmt.Sprintf("it is merged with %s%d: split that cell, and fill in each", ColumnName(left), top)
				}
				if covered++; covered > MaxCells {
					return errMerged
				}
			}
		}
	}
	return nil
}

// with returns the workbook with other texts in some cells of the sheet; all
// other parts, and all else in the sheet, stay byte for byte as they are.
func (w *workbook) with(edits []edit) ([]byte, error) {
	sheet, err := splice(w.xml, edits)
	if err != nil {
		return nil, err
	}
	return repacked(w.parts, w.sheet, sheet)
}

// repacked is a workbook in which one part holds something else.
func repacked(parts *zip.Reader, name string, part []byte) ([]byte, error) {
	changed := map[*zip.File][]byte{}
	for _, f := range parts.File {
		if f.Name == name {
			changed[f] = part
		}
	}
	return office.Repacked(parts, changed)
}

// A splicer writes cells into the text of a sheet. What it does not write it
// copies.
type splicer struct {
	src   []byte
	out   bytes.Buffer
	at    int // how far src is copied
	edits []edit
}

func splice(src []byte, edits []edit) ([]byte, error) {
	s := &splicer{src: src, edits: edits}
	dec := newElements(src)
	number := 0
	for {
		from := int(dec.InputOffset())
		token, err := dec.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, errDamaged
		}
		start, ok := token.(xml.StartElement)
		if !ok || start.Name.Local != "row" && start.Name.Local != "dimension" {
			continue
		}
		if start.Name.Local == "dimension" {
			// Only a hint, and now too small: without it the sheet is measured.
			if int(dec.InputOffset()) > from && bytes.HasSuffix(src[from:dec.InputOffset()], []byte("/>")) {
				s.copyTo(from)
				s.at = int(dec.InputOffset())
			}
			continue
		}
		if number, err = strconv.Atoi(attribute(start, "r", strconv.Itoa(number+1))); err != nil {
			return nil, errDamaged
		}
		if len(s.edits) > 0 && s.edits[0].row == number {
			if err := s.row(dec, start, from); err != nil {
				return nil, err
			}
		}
	}
	if len(s.edits) > 0 {
		return nil, errDamaged
	}
	s.copyTo(len(src))
	return s.out.Bytes(), nil
}

func (s *splicer) copyTo(to int) {
	s.out.Write(s.src[s.at:to])
	s.at = to
}

// row writes the cells of a row, whose start tag begins at from.
func (s *splicer) row(dec *elements, start xml.StartElement, from int) error {
	// How far a row reaches is a hint as well, and may now be wrong.
	tag := s.src[from:dec.InputOffset()]
	s.copyTo(from)
	s.out.Write(withoutSpans(tag))
	s.at = from + len(tag)
	number := s.edits[0].row
	column, style := -1, ""
	for {
		from := int(dec.InputOffset())
		token, err := dec.next()
		if err != nil {
			return errDamaged
		}
		switch x := token.(type) {
		case xml.StartElement:
			if x.Name.Local != "c" {
				continue
			}
			column, _ = cellColumn(attribute(x, "r", ""), column+1)
			for s.due(number) && s.edits[0].column < column {
				s.copyTo(from)
				s.write(start.Name.Space, style)
			}
			style = attribute(x, "s", "")
			if s.due(number) && s.edits[0].column == column {
				s.copyTo(from)
				for depth := 1; depth > 0; {
					token, err := dec.next()
					if err != nil {
						return errDamaged
					}
					switch token.(type) {
					case xml.StartElement:
						depth++
					case xml.EndElement:
						depth--
					}
				}
				s.at = int(dec.InputOffset())
				s.edits[0].styled = true
				s.write(start.Name.Space, style)
			}
		case xml.EndElement:
			if x.Name.Local == "row" {
				s.copyTo(from)
				for s.due(number) {
					s.write(start.Name.Space, style)
				}
				return nil
			}
		}
	}
}

func (s *splicer) due(row int) bool { return len(s.edits) > 0 && s.edits[0].row == row }

// write writes the next edit as a cell that holds its own text.
func (s *splicer) write(prefix, style string) {
	e := s.edits[0]
	s.edits = s.edits[1:]
	if prefix != "" {
		prefix += ":"
	}
	if style != "" && e.styled {
		style = fmt.Sprintf(` s="%s"`, style)
	} else {
		style = ""
	}
	fmt.Fprintf(&s.out, `<%sc r="%s%d"%s t="inlineStr"><%sis><%st xml:space="preserve">`, prefix, ColumnName(e.column), e.row, style, prefix, prefix)
	_ = xml.EscapeText(&s.out, []byte(e.text)) // a buffer takes all
	fmt.Fprintf(&s.out, `</%st></%sis></%sc>`, prefix, prefix, prefix)
}

// withoutSpans returns the start tag of a row without its attribute spans.
func withoutSpans(tag []byte) []byte {
	i := bytes.Index(tag, []byte(" spans="))
	if i < 0 {
		return tag
	}
	value := tag[i+len(" spans="):]
	if len(value) == 0 || value[0] != '"' && value[0] != '\'' {
		return tag
	}
	end := bytes.IndexByte(value[1:], value[0])
	if end < 0 {
		return tag
	}
	return append(append([]byte{}, tag[:i]...), value[end+2:]...)
}
