package table

import (
	"fmt"
	"strings"
	"testing"
	"time"

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
		if r.Problem != "" {
			cells = append(cells, "!"+r.Problem)
		}
		out = append(out, fmt.Sprintf("%d: %s", r.Number, strings.Join(cells, " | ")))
	}
	return out
}

// readCSV reads a table in CSV.
func readCSV(data []byte) (*Table, error) {
	return Read("r.csv", data, Options{Names: []string{"name"}})
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
		"commas":              {"a,b\n1,2\n", []string{"a | b", "2: 1 | 2"}},
		"semicolons":          {"a;b\n1,5;2\n", []string{"a | b", "2: 1,5 | 2"}},
		"tabs":                {"a\tb\n1\t2\n", []string{"a | b", "2: 1 | 2"}},
		"bars":                {"a|b\n1|2\n", []string{"a | b", "2: 1 | 2"}},
		"byte order mark":     {"\xEF\xBB\xBFa,b\r\n1,2\r\n", []string{"a | b", "2: 1 | 2"}},
		"UTF-16":              {utf16("a,b\nÅsgerd,2\n"), []string{"a | b", "2: Åsgerd | 2"}},
		"quoted line break":   {"a,b\n\"x\ny\",2\nz,3\n", []string{"a | b", "2: x\ny | 2", "3: z | 3"}},
		"quoted separator":    {"\"a, b\";c\n\"1;2\";3\n", []string{"a, b | c", "2: 1;2 | 3"}},
		"short rows":          {"a,b,c\n1\n", []string{"a | b | c", "2: 1 |  | "}},
		"empty rows":          {"a,b\n,\n\n1,2\n", []string{"a | b", "4: 1 | 2"}},
		"blanks":              {"a , b\n 1 ,2 \n", []string{"a | b", "2: 1 | 2"}},
		"rows without marks":  {"a,b,built,built on,built in\n1,2,yes,x,y\n3,4\n5,6", []string{"a | b | built | built on | built in", "2: 1 | 2 | yes | x | y", "3: 3 | 4 |  |  | ", "4: 5 | 6 |  |  | "}},
		"a title above":       {"Our year,,\n,,\nname,b\nx,2\n", []string{"name | b", "4: x | 2"}},
		"a declared sign":     {"sep=;\r\nname;b\r\n1,5;2\r\n", []string{"name | b", "2: 1,5 | 2"}},
		"an older code page":  {"name,b\nM\xfcller,2\n", []string{"name | b", "2: Müller | 2"}},
		"boxes not ticked":    {"a,b\n1,yes\n,no\n,FALSE\n,\n", []string{"a | b", "2: 1 | yes"}},
		"values, no heading":  {"a,,b\n1,2,3\n", []string{"a |  | b", "2: 1 | 2 | 3"}},
		"half a row":          {"a,b,c\n1,2,3\n4,5", []string{"a | b | c", "2: 1 | 2 | 3", "3: 4 | !the file ends in the middle of this row: save it again | "}},
		"a cell under a mark": {"a,built,built on,built in\n1,call first,,\n2,yes,,\n", []string{"a | built | built on | built in", "2: 1 | call first |  |  | !“call first” stands under “built”, where only yes or nothing does: is a separator in a text that has no quotation marks?", "3: 2 | yes |  | "}},
		"too many cells":      {"a,b\n1,2,3\n", []string{"a | b", "2: 1 | 2 | !the row has 3 cells, and there are 2 headings: is a separator missing its quotation marks?"}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			table, err := readCSV([]byte(tt.text))
			require.NoError(t, err)
			assert.Equal(t, tt.want, lines(table))
			assert.Equal(t, name == "short rows", len(table.Short) > 0)
		})
	}
}

func TestTablesThatCannotBeRead(t *testing.T) {
	for text, want := range map[string]string{
		"":                                  "it is empty",
		"\n \n":                             "it is empty",
		"a,b\n":                             "it has headings, but no row below them",
		"a,A\n1,2\n":                        `two columns are called "a" and "A"`,
		"file ref,file-ref\n1,2\n":          `two columns are called "file ref" and "file-ref"`,
		"a,b\n\"1,2\n":                      "row 2 cannot be read: a quotation mark is not closed",
		"a\ncaf\x81\n":                      "it is not text in UTF-8",
		strings.Repeat("x,", 300) + "\n1\n": "two columns are called",
	} {
		_, err := Read("r.csv", []byte(text), Options{})
		assert.ErrorContains(t, err, want, text)
	}
	var wide []string
	for i := range 1200 {
		wide = append(wide, fmt.Sprintf("column %d", i))
	}
	_, err := Read("wide.csv", []byte(strings.Join(wide, ",")+"\n1\n"), Options{})
	assert.ErrorContains(t, err, "it has 1200 columns; at most 1000 are read")
	for name, tt := range map[string][2]string{
		"old.xls":      {string(compound) + "Workbook", "it is a workbook of the old kind: save it as XLSX"},
		"locked.xlsx":  {string(compound) + "E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00", "it is protected by a password: save a copy without one"},
		"clients.ods":  {"PK\x03\x04", "a damaged one"},
		"text.xlsx":    {"a,b\n1,2\n", "it is called a workbook, but is none"},
		"broken.xlsx":  {"PK\x03\x04 and nothing more", "it is no workbook, or a damaged one"},
		"sheetless.cv": {"a,b\n1,2\n", "only workbooks (XLSX, ODS) have sheets"},
	} {
		o := Options{}
		if name == "sheetless.cv" {
			o.Sheets = []string{"Clients"}
		}
		_, err := Read(name, []byte(tt[0]), o)
		assert.ErrorContains(t, err, tt[1], name)
	}
}

// Marks change nothing but the cells that they stand in, whatever the dialect.
func TestMarksInCSVLeaveTheRestAsItIs(t *testing.T) {
	when := time.Date(2027, 3, 9, 14, 30, 0, 0, time.UTC)
	utf16 := func(s string) string {
		out, err := unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().String(s)
		require.NoError(t, err)
		return out
	}
	for before, want := range map[string]string{
		"a,b\n1,2\n3,4\n": "a,b,built,built on,built in\n1,2\n3,4,yes,2027-03-09 14:30,C/x\n",
		"\xEF\xBB\xBF\"a\" ; b\r\n;\r\n\r\n \"1 \";":         "",
		"\xEF\xBB\xBF\"a\"; b\r\n;\r\n 1 ;":                  "\xEF\xBB\xBF\"a\"; b;built;built on;built in\r\n;\r\n 1 ;;yes;2027-03-09 14:30;C/x",
		"sep=;\r\nname\r\nM\xfcller\r\n":                     "sep=;\r\nname;built;built on;built in\r\nM\xfcller;yes;2027-03-09 14:30;C/x\r\n",
		"Ours\nname,b\nx\n":                                  "Ours\nname,b,built,built on,built in\nx,,yes,2027-03-09 14:30,C/x\n",
		"a\tb\n\"x\ny\"\n\"1\t\"\"\"\n":                      "a\tb\tbuilt\tbuilt on\tbuilt in\n\"x\ny\"\n\"1\t\"\"\"\t\tyes\t2027-03-09 14:30\tC/x\n",
		utf16("a,b\nÅ,1\nÖ,2\n"):                             utf16("a,b,built,built on,built in\nÅ,1\nÖ,2,yes,2027-03-09 14:30,C/x\n"),
		"built in,a,built,built on,z\n,1,,\n\"q\",2,no,,z\n": "built in,a,built,built on,z\n,1,,\nC/x,2,yes,2027-03-09 14:30,z\n",
	} {
		table, err := readCSV([]byte(before))
		if want == "" {
			assert.Error(t, err)
			continue
		}
		require.NoError(t, err, before)
		last := table.Rows[len(table.Rows)-1]
		assert.False(t, table.Marked(&last))
		after, err := table.WithMarks(map[int]Mark{last.Number: {When: when, Where: "C/x"}})
		require.NoError(t, err)
		assert.Equal(t, want, string(after))
		table, err = readCSV(after)
		require.NoError(t, err)
		last = table.Rows[len(table.Rows)-1]
		assert.True(t, table.Marked(&last), "the mark is read again")
	}
	table, err := readCSV([]byte("a\nx\ny,1\n"))
	require.NoError(t, err)
	_, err = table.WithMarks(map[int]Mark{2: {When: when, Where: "C/x"}})
	assert.ErrorContains(t, err, "row 3: the row has 2 cells", "its 1 would be read as a mark")
	table, err = readCSV([]byte("a,Built\nx,1998\n"))
	require.NoError(t, err)
	_, err = table.WithMarks(nil)
	assert.ErrorContains(t, err, `it has a column "Built" of its own`)
	assert.False(t, table.Marked(&table.Rows[0]), "a column of the user's is no mark")
}

func FuzzParseCSV(f *testing.F) {
	f.Add([]byte("a;b\n1;\"2\n3\"\n"))
	f.Add([]byte("\xff\xfea\x00,\x00"))
	f.Add([]byte("a\n,lost\nb,1"))
	f.Fuzz(func(t *testing.T, data []byte) {
		table, err := readCSV(data)
		if err != nil {
			return
		}
		for _, r := range table.Rows {
			if len(r.Cells) != len(table.Headings) {
				t.Fatal("a row is not as wide as the headings")
			}
		}
		marks := map[int]Mark{}
		for _, r := range table.Rows {
			if r.Problem == "" {
				marks[r.Number] = Mark{Where: "C/x"}
			}
		}
		out, err := table.WithMarks(marks)
		if err != nil {
			return
		}
		again, err := readCSV(out)
		if err != nil {
			t.Fatalf("marked, it cannot be read: %v\n%q\n%q", err, data, out)
		}
		for i, r := range again.Rows {
			if again.Marked(&r) != (table.Rows[i].Problem == "" || table.Marked(&table.Rows[i])) || len(again.Rows) != len(table.Rows) || strings.TrimSpace(r.Cells[0].Text) != table.Rows[i].Cells[0].Text && !table.IsMark(0) {
				t.Fatalf("row %d was changed: %q\n%q", r.Number, data, out)
			}
		}
	})
}
