// Package table reads tables of values, one row for each build: CSV in any
// usual dialect, and workbooks (XLSX). It writes marks back into them and leaves
// all else in the file as it was.
package table

import (
	"bytes"
	"errors"
	"fmt"
	"path"
	"strings"
	"time"
	"unicode"
)

// Limits on what is read.
const (
	MaxBytes   = 64 << 20
	MaxColumns = 256
	MaxRows    = 200_000
	MaxCells   = 4_000_000
	MaxText    = 32_767 // characters of a cell: what spreadsheets hold
	maxMerged  = 10_000 // merged areas of a sheet
)

// A Table is a file that was read.
type Table struct {
	Headings []string
	Heading  int // the number of the row that the headings stand in
	Rows     []Row
	Short    []int    // the numbers of rows with fewer cells than headings; the others count as empty
	Sheet    string   // of a workbook: the one that was read
	Others   []string // of a workbook: the names of its other sheets

	data  []byte // of the whole file
	file  file
	marks *markPlace
}

// A file writes other texts into some of its cells. The edits are in the order
// of the file.
type file interface {
	with(edits []edit) ([]byte, error)
}

// An edit is a new text for a cell; columns count from 0.
type edit struct {
	row, column int
	text        string
	styled      bool // takes the style of the cell in its place, or else in front of it
}

// A Row is one row below the headings.
type Row struct {
	Number  int    // as a spreadsheet counts, from 1; the headings stand in the first row with text
	Cells   []Cell // as many as there are headings
	Problem string // what is wrong with the row as a whole
}

// A Cell is the text of a cell, or what is wrong with it.
type Cell struct {
	Text    string
	Day     time.Time // of a cell that holds a date as such
	Problem string
}

// Empty reports whether nothing stands in the row.
func (r *Row) Empty() bool {
	for _, c := range r.Cells {
		if c.Text != "" || c.Problem != "" {
			return false
		}
	}
	return true
}

// Read reads a table from what a file of that name holds; sheet is the name of a
// sheet of a workbook, or "" for the first one. The error says, for a person, what
// is wrong with the file as a whole.
func Read(name string, data []byte, sheet string) (*Table, error) {
	var t *Table
	var err error
	switch kind := strings.ToLower(path.Ext(name)); {
	case bytes.HasPrefix(data, []byte("PK\x03\x04")) && kind != ".ods" && kind != ".numbers":
		t, err = parseWorkbook(data, sheet)
	case bytes.HasPrefix(data, compound):
		err = compoundProblem(data)
	case kind == ".ods" || kind == ".numbers" || kind == ".xls":
		err = errors.New("this kind of workbook cannot be read: save it as XLSX, or its sheet as “CSV UTF-8”")
	case kind == ".xlsx" || kind == ".xlsm":
		err = errors.New("it is called a workbook, but is none: open it in the spreadsheet and save it again")
	case sheet != "":
		err = errors.New("only workbooks (XLSX) have sheets")
	default:
		t, err = parseCSV(data)
	}
	if err != nil {
		return nil, err
	}
	t.data = data
	return t, t.check()
}

// check says what is wrong with the headings.
func (t *Table) check() error {
	for i := range t.Rows {
		t.Rows[i].check(t)
	}
	seen := map[string]string{}
	for i, h := range t.Headings {
		if strings.TrimSpace(h) == "" {
			if t.columnEmpty(i) {
				continue
			}
			return fmt.Errorf("column %s has values but no heading", ColumnName(i))
		}
		if first, twice := seen[Folded(h)]; twice {
			return fmt.Errorf("two columns are called %q and %q: rename one of them", first, h)
		}
		seen[Folded(h)] = h
	}
	switch {
	case len(seen) == 0:
		return errors.New("it has no headings: write the names of the fields into its first row")
	case len(t.Headings) > MaxColumns:
		return tooWide(len(t.Headings))
	case len(t.Rows) == 0:
		return errors.New("it has headings, but no row below them")
	}
	return nil
}

// check says what is wrong with a row as a whole, and which of its texts are too
// long.
func (r *Row) check(t *Table) {
	for i := range r.Cells {
		if c := &r.Cells[i]; len(c.Text) > MaxText {
			c.Text, c.Problem = "", fmt.Sprintf("its text is longer than %d characters", MaxText)
		}
	}
	if m := t.markPlace(); m.all && r.Problem == "" {
		if text := r.Cells[m.columns[0]].Text; !isYes(text) && !isNo(text) {
			short := []rune(text)
			r.Problem = fmt.Sprintf("“%s” stands under “%s”, where only yes or nothing does: is a separator in a text that has no quotation marks?", string(short[:min(len(short), 40)]), headingBuilt)
		}
	}
}

func tooWide(columns int) error {
	return fmt.Errorf("it has %d columns; at most %d are read", columns, MaxColumns)
}

// tooMany says that more was read than a table may hold.
func (t *Table) tooMany() error {
	if len(t.Rows) > MaxRows {
		return fmt.Errorf("it has more than %d rows", MaxRows)
	}
	if len(t.Rows)*len(t.Headings) > MaxCells {
		return fmt.Errorf("it has more than %d cells", MaxCells)
	}
	return nil
}

func (t *Table) columnEmpty(i int) bool {
	for _, r := range t.Rows {
		if r.Cells[i].Text != "" {
			return false
		}
	}
	return true
}

// Folded returns what is equal for headings and field names that mean the same:
// their letters and digits, in small.
func Folded(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}

// ColumnName returns the letters by which spreadsheets name the i-th column,
// from 0: A, B, … Z, AA.
func ColumnName(i int) string {
	name := ""
	for i++; i > 0; i = (i - 1) / 26 {
		name = string(rune('A'+(i-1)%26)) + name
	}
	return name
}

// row makes a row of as many cells as there are headings.
func (t *Table) row(number int, texts []string) Row {
	r := Row{Number: number, Cells: make([]Cell, len(t.Headings))}
	for i := range r.Cells {
		if i < len(texts) {
			r.Cells[i].Text = strings.TrimSpace(texts[i])
		}
	}
	return r
}
