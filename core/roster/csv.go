package roster

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/unicode"
)

// readCSV reads a file of values with separators: commas, semicolons, tabs or
// bars, in UTF-8 or, with a byte order mark, in UTF-16.
func readCSV(path string) (*Table, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if info.Size() > MaxBytes {
		return nil, fmt.Errorf("it is larger than %d MB", MaxBytes>>20)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	return parseCSV(data)
}

func parseCSV(data []byte) (*Table, error) {
	decoded, err := decode(data)
	if err != nil {
		return nil, err
	}
	if strings.TrimSpace(decoded) == "" {
		return nil, errors.New("it is empty")
	}
	r := csv.NewReader(strings.NewReader(decoded))
	r.Comma = separator(decoded)
	r.FieldsPerRecord = -1
	t := &Table{}
	for {
		texts, err := r.Read()
		if err == io.EOF {
			return t, nil
		}
		var bad *csv.ParseError
		if errors.As(err, &bad) {
			return nil, fmt.Errorf("row %d cannot be read: a quotation mark is not closed, or stands inside a value", bad.StartLine)
		}
		if err != nil {
			return nil, err
		}
		line, _ := r.FieldPos(0)
		if t.Headings == nil {
			t.Headings = texts
			continue
		}
		row := t.row(line, texts)
		for i := len(t.Headings); i < len(texts); i++ {
			if strings.TrimSpace(texts[i]) != "" {
				row.Cells[len(row.Cells)-1].Problem = fmt.Sprintf("the row has %d cells, and there are %d headings: is a separator missing its quotation marks?", len(texts), len(t.Headings))
				break
			}
		}
		if !row.Empty() {
			t.Rows = append(t.Rows, row)
		}
	}
}

// decode returns the text of a file in UTF-8, or in UTF-16 with a byte order
// mark.
func decode(data []byte) (string, error) {
	if bytes.HasPrefix(data, []byte{0xFF, 0xFE}) || bytes.HasPrefix(data, []byte{0xFE, 0xFF}) {
		out, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Bytes(data)
		return string(out), err
	}
	data = bytes.TrimPrefix(data, []byte("\xEF\xBB\xBF"))
	if !utf8.Valid(data) {
		return "", errors.New("it is not text in UTF-8: save it as “CSV UTF-8”")
	}
	return string(data), nil
}

// separator returns what stands most often in the first line, outside of
// quotation marks.
func separator(text string) rune {
	line, _, _ := strings.Cut(text, "\n")
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
