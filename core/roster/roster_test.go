package roster

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/unicode"
)

// lines writes a table as "number: cell | cell".
func lines(t *Table) []string {
	out := []string{strings.Join(t.Headings, " | ")}
	for _, r := range t.Rows {
		var cells []string
		for _, c := range r.Cells {
			text := c.Text
			if c.Problem != "" {
				text = "!" + c.Problem
			}
			cells = append(cells, text)
		}
		out = append(out, fmt.Sprintf("%d: %s", r.Number, strings.Join(cells, " | ")))
	}
	return out
}

func TestUsualDialectsOfCSV(t *testing.T) {
	utf16 := func(s string) string {
		out, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(s)
		require.NoError(t, err)
		return out
	}
	tests := map[string]struct {
		text string
		want []string
	}{
		"commas":            {"a,b\n1,2\n", []string{"a | b", "2: 1 | 2"}},
		"semicolons":        {"a;b\n1,5;2\n", []string{"a | b", "2: 1,5 | 2"}},
		"tabs":              {"a\tb\n1\t2\n", []string{"a | b", "2: 1 | 2"}},
		"bars":              {"a|b\n1|2\n", []string{"a | b", "2: 1 | 2"}},
		"byte order mark":   {"\xEF\xBB\xBFa,b\r\n1,2\r\n", []string{"a | b", "2: 1 | 2"}},
		"UTF-16":            {utf16("a,b\nÅsa,2\n"), []string{"a | b", "2: Åsa | 2"}},
		"quoted line break": {"a,b\n\"x\ny\",2\nz,3\n", []string{"a | b", "2: x\ny | 2", "4: z | 3"}},
		"quoted separator":  {"\"a, b\";c\n\"1;2\";3\n", []string{"a, b | c", "2: 1;2 | 3"}},
		"short rows":        {"a,b,c\n1\n", []string{"a | b | c", "2: 1 |  | "}},
		"empty rows":        {"a,b\n,\n\n1,2\n", []string{"a | b", "4: 1 | 2"}},
		"blanks":            {"a , b\n 1 ,2 \n", []string{"a  |  b", "2: 1 | 2"}},
		"too many cells":    {"a,b\n1,2,3\n", []string{"a | b", "2: 1 | !the row has 3 cells, and there are 2 headings: is a separator missing its quotation marks?"}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			table, err := parseCSV([]byte(tt.text))
			require.NoError(t, err)
			require.NoError(t, table.check())
			assert.Equal(t, tt.want, lines(table))
		})
	}
}

func TestRostersThatCannotBeRead(t *testing.T) {
	dir := t.TempDir()
	for text, want := range map[string]string{
		"":                                  "it is empty",
		"\n \n":                             "it is empty",
		"a,b\n":                             "it has headings, but no row below them",
		"a,A\n1,2\n":                        `two columns are called "a" and "A"`,
		"file ref,file-ref\n1,2\n":          `two columns are called "file ref" and "file-ref"`,
		"a,\n1,2\n":                         "column B has values but no heading",
		"a,b\n\"1,2\n":                      "row 2 cannot be read: a quotation mark is not closed",
		"a\ncaf\xe9\n":                      "it is not text in UTF-8",
		strings.Repeat("x,", 300) + "\n1\n": "two columns are called",
	} {
		file := filepath.Join(dir, "r.csv")
		require.NoError(t, os.WriteFile(file, []byte(text), 0o666))
		_, err := Read(file)
		assert.ErrorContains(t, err, want, text)
	}
	var wide []string
	for i := range 300 {
		wide = append(wide, fmt.Sprintf("column %d", i))
	}
	file := filepath.Join(dir, "wide.csv")
	require.NoError(t, os.WriteFile(file, []byte(strings.Join(wide, ",")+"\n1\n"), 0o666))
	_, err := Read(file)
	assert.ErrorContains(t, err, "it has 300 columns; at most 256 are read")
	_, err = Read(filepath.Join(dir, "clients.xlsx"))
	assert.ErrorContains(t, err, "save its sheet as “CSV UTF-8”")
}

func FuzzParseCSV(f *testing.F) {
	f.Add([]byte("a;b\n1;\"2\n3\"\n"))
	f.Add([]byte("\xff\xfea\x00,\x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		table, err := parseCSV(data)
		if err != nil {
			return
		}
		for _, r := range table.Rows {
			if len(r.Cells) != len(table.Headings) {
				t.Fatal("a row is not as wide as the headings")
			}
		}
		_ = table.check()
	})
}
