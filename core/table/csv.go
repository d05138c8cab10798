package table

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/unicode"
)

// A csvFile is the text of a table with separators.
type csvFile struct {
	text      string
	encoding  encoding.Encoding
	separator rune
}

// A csvRecord says where the cells of a row begin and where the row ends,
// without its line break.
type csvRecord struct {
	cells []int
	end   int
}

// parseCSV reads a file of values with separators: commas, semicolons, tabs or
// bars, in UTF-8 or, with a byte order mark, in UTF-16.
func parseCSV(data []byte) (*Table, error) {
	f := &csvFile{encoding: encodingOf(data)}
	decoded, err := f.encoding.NewDecoder().Bytes(data)
	if err != nil {
		return nil, err
	}
	if f.encoding == encoding.Nop && !utf8.Valid(decoded) {
		return nil, errors.New("it is not text in UTF-8: save it as “CSV UTF-8”")
	}
	f.text = string(decoded)
	if strings.TrimSpace(f.text) == "" {
		return nil, errors.New("it is empty")
	}
	first, _, _ := strings.Cut(strings.TrimLeft(f.text, "\r\n"), "\n")
	f.separator = separator(first)
	t := &Table{file: f}
	needed := 0 // cells of a row: marks may be missing
	return t, f.each(func(number int, texts []string, r *csv.Reader) error {
		if t.Headings == nil {
			t.Headings, t.Heading = slices.Clone(texts), number
			for needed = len(t.Headings); needed > 0 && t.IsMark(needed-1); needed-- {
			}
			return nil
		}
		row := t.row(number, texts)
		for i := len(t.Headings); i < len(texts); i++ {
			if strings.TrimSpace(texts[i]) != "" {
				row.Problem = fmt.Sprintf("the row has %d cells, and there are %d headings: is a separator missing its quotation marks?", len(texts), len(t.Headings))
				break
			}
		}
		if !row.Empty() || row.Problem != "" {
			switch {
			case len(texts) >= needed:
			case r.InputOffset() == int64(len(f.text)) && !strings.HasSuffix(f.text, "\n"):
				row.Cells[len(texts)-1].Problem = "the file ends in the middle of this row: save it again"
			default:
				t.Short = append(t.Short, number)
			}
			t.Rows = append(t.Rows, row)
		}
		return t.tooMany()
	})
}

// each calls visit for each row that is not blank, with its number as a
// spreadsheet counts. The texts are valid until the next row.
func (f *csvFile) each(visit func(number int, texts []string, r *csv.Reader) error) error {
	r := csv.NewReader(strings.NewReader(f.text))
	r.Comma = f.separator
	r.FieldsPerRecord, r.ReuseRecord = -1, true
	breaks := 0 // line breaks inside of cells so far
	for {
		texts, err := r.Read()
		if err == io.EOF {
			return nil
		}
		var bad *csv.ParseError
		if errors.As(err, &bad) {
			return fmt.Errorf("row %d cannot be read: a quotation mark is not closed, or stands inside a value", bad.StartLine-breaks)
		}
		if err != nil {
			return err
		}
		line, _ := r.FieldPos(0)
		if err := visit(line-breaks, texts, r); err != nil {
			return err
		}
		for _, text := range texts {
			breaks += strings.Count(text, "\n")
		}
	}
}

// lineStarts returns where the lines of a text begin.
func lineStarts(text string) []int {
	starts := []int{0}
	for i := range len(text) {
		if text[i] == '\n' {
			starts = append(starts, i+1)
		}
	}
	return starts
}

// encodingOf tells UTF-16 by its byte order mark; all else is taken as it is.
func encodingOf(data []byte) encoding.Encoding {
	switch {
	case bytes.HasPrefix(data, []byte{0xFF, 0xFE}):
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	case bytes.HasPrefix(data, []byte{0xFE, 0xFF}):
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	case bytes.HasPrefix(data, []byte("\xEF\xBB\xBF")):
		return unicode.UTF8BOM
	}
	return encoding.Nop
}

// separator returns what stands most often in a line, outside of quotation
// marks.
func separator(line string) rune {
	best, most := ',', 0
	for _, sep := range []rune{',', ';', '\t', '|'} {
		n, quoted := 0, false
		for _, r := range line {
			switch {
			case r == '"':
				quoted = !quoted
			case r == sep && !quoted:
				n++
			}
		}
		if n > most {
			best, most = sep, n
		}
	}
	return best
}

// with returns the file with other texts in some cells, and all else as it is.
func (f *csvFile) with(edits []edit) ([]byte, error) {
	records, err := f.records(edits)
	if err != nil {
		return nil, err
	}
	var b strings.Builder
	at, row, wide := 0, 0, 0
	for _, e := range edits {
		record := records[e.row]
		if e.row != row {
			row, wide = e.row, len(record.cells)
		}
		begin, end := record.end, record.end
		if e.column < len(record.cells) {
			begin = record.cells[e.column]
			if e.column+1 < len(record.cells) {
				end = record.cells[e.column+1] - 1 // in front of the separator
			}
		}
		b.WriteString(f.text[at:begin])
		for ; wide <= e.column; wide++ {
			b.WriteRune(f.separator)
		}
		b.WriteString(f.quoted(e.text))
		at = end
	}
	b.WriteString(f.text[at:])
	return f.encoding.NewEncoder().Bytes([]byte(b.String()))
}

// records finds the rows that edits are for.
func (f *csvFile) records(edits []edit) (map[int]csvRecord, error) {
	found := map[int]csvRecord{}
	for _, e := range edits {
		found[e.row] = csvRecord{}
	}
	lines := lineStarts(f.text)
	return found, f.each(func(number int, texts []string, r *csv.Reader) error {
		if _, wanted := found[number]; !wanted {
			return nil
		}
		record := csvRecord{cells: make([]int, len(texts)), end: len(strings.TrimRight(f.text[:r.InputOffset()], "\r\n"))}
		for i := range texts {
			line, column := r.FieldPos(i)
			record.cells[i] = lines[line-1] + column - 1
		}
		found[number] = record
		return nil
	})
}

// quoted writes a cell, in quotation marks where it needs them.
func (f *csvFile) quoted(text string) string {
	if strings.ContainsRune(text, f.separator) || strings.ContainsAny(text, "\"\r\n") {
		return `"` + strings.ReplaceAll(text, `"`, `""`) + `"`
	}
	return text
}
