package table

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// A csvFile is the text of a table with separators.
type csvFile struct {
	text      string
	encoding  encoding.Encoding
	separator rune
	before    string // the line that says what the separator is
	cut       int    // the number of the last row, if no end of a line stands behind it
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
	t := &Table{file: f}
	if f.encoding == encoding.Nop && !utf8.Valid(decoded) {
		if slices.ContainsFunc(decoded, func(b byte) bool { return slices.Contains(unusedIn1252, b) }) {
			return nil, errors.New("it is not text in UTF-8: save it as “CSV UTF-8”")
		}
		f.encoding = charmap.Windows1252
		if decoded, err = f.encoding.NewDecoder().Bytes(data); err != nil {
			return nil, err
		}
		t.Notes = append(t.Notes, "it is read as Windows-1252, as older programs write it: have an eye on accents")
	}
	f.text = string(decoded)
	if m := declared().FindStringSubmatch(f.text); m != nil {
		f.before, f.text = m[0], f.text[len(m[0]):]
		f.separator, _ = utf8.DecodeRuneInString(m[1])
	}
	if strings.TrimSpace(f.text) == "" {
		return nil, errors.New("it is empty")
	}
	if f.before == "" {
		f.separator = separator(firstLines(f.text))
	}
	return t, f.each(func(number int, texts []string, r *csv.Reader) error {
		row := Row{Number: number, Cells: make([]Cell, len(texts))}
		for i, text := range texts {
			row.Cells[i].Text = strings.TrimSpace(text)
		}
		if row.Empty() {
			return nil
		}
		if r.InputOffset() == int64(len(f.text)) && !strings.HasSuffix(f.text, "\n") {
			f.cut = number
		}
		return t.add(row)
	})
}

// unusedIn1252 are the bytes that stand for nothing in that code page, and zero, which is
// in no text.
var unusedIn1252 = []byte{0, 0x81, 0x8D, 0x8F, 0x90, 0x9D}

// declared finds the line in front of all others by which some spreadsheets say what
// separates the cells.
var declared = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(?i:sep=)(.)\r?\n`) })

// firstLines are the lines in which the headings may stand.
func firstLines(text string) []string {
	lines := strings.SplitN(strings.TrimLeft(text, "\r\n"), "\n", searched+1)
	return lines[:min(len(lines), searched)]
}

// settle tells which rows are longer or shorter than the headings.
func (f *csvFile) settle(t *Table) error {
	needed := len(t.Headings) // cells of a row: marks may be missing
	for needed > 0 && t.IsMark(needed-1) {
		needed--
	}
	for i := range t.Rows {
		row := &t.Rows[i]
		n := len(row.Cells)
		for k := len(t.Headings); k < n; k++ {
			if row.Cells[k].Text != "" {
				row.Problem = fmt.Sprintf("the row has %d cells, and there are %d headings: is a separator missing its quotation marks?", n, len(t.Headings))
				break
			}
		}
		row.Cells = row.Cells[:min(n, len(t.Headings))]
		switch {
		case n >= needed || row.Idle():
		case row.Number == f.cut:
			row.Cells[n-1].Problem = "the file ends in the middle of this row: save it again"
		default:
			t.Short = append(t.Short, row.Number)
		}
	}
	return nil
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
func separator(lines []string) rune {
	best, most := ',', 0
	for _, sep := range []rune{',', ';', '\t', '|'} {
		wide := 0 // of the line that has most of them
		for _, line := range lines {
			n, quoted := 0, false
			for _, r := range line {
				switch {
				case r == '"':
					quoted = !quoted
				case r == sep && !quoted:
					n++
				}
			}
			wide = max(wide, n)
			if line == lines[0] && n > 0 {
				wide += 1000 // the first line mostly holds the headings
			}
		}
		if wide > most {
			best, most = sep, wide
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
	return f.encoding.NewEncoder().Bytes([]byte(f.before + b.String()))
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
