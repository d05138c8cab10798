// Package table reads tables of values, one row for each build: CSV in any
// usual dialect, and workbooks (XLSX). It writes marks back into them and leaves
// all else in the file as it was.
package table

import (
	"bytes"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"
	"unicode"
)

// Limits on what is read.
const (
	MaxBytes   = 64 << 20
	MaxColumns = 1000
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
	Notes    []string // what a person should know of how it was read

	name  string // of the file
	data  []byte // of the whole file
	file  file
	marks *markPlace
	names []string // the headings that were expected
	parts []*Table // the sheets, of several as one
	cells int      // so many were read
}

// Options say how a table is read.
type Options struct {
	Sheets []string // of a workbook: several are read as one, and "*" is all; none: the first
	Names  []string // headings that are expected: of the first rows, the one that has most of them holds the headings
}

// A file writes other texts into some of its cells. The edits are in the order
// of the file.
type file interface {
	with(edits []edit) ([]byte, error)
	settle(t *Table) error // makes of its rows what they are below the headings
}

// An edit is a new text for a cell; columns count from 0.
type edit struct {
	row, column int
	text        string
	styled      bool // takes the style of the cell in its place, or else in front of it
}

// A Row is one row below the headings.
type Row struct {
	Number  int    // as a spreadsheet counts, from 1: see [Table.RowName]
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

// Idle reports whether nothing stands in the row but boxes that are not ticked, as they
// are when a column of them was filled to the last line.
func (r *Row) Idle() bool {
	for _, c := range r.Cells {
		if c.Problem != "" || c.Text != "" && !slices.Contains([]string{"no", "false", "off", "☐"}, strings.ToLower(c.Text)) {
			return false
		}
	}
	return true
}

// Read reads a table from what a file of that name holds. The error says, for a person,
// what is wrong with the file as a whole.
func Read(name string, data []byte, o Options) (*Table, error) {
	sheet := ""
	if len(o.Sheets) > 0 {
		sheet = o.Sheets[0]
	}
	if len(o.Sheets) > 1 || sheet == "*" {
		return readSheets(name, data, o)
	}
	var t *Table
	var err error
	switch kind := strings.ToLower(path.Ext(name)); {
	case bytes.HasPrefix(data, []byte("PK\x03\x04")) && kind == ".ods":
		t, err = parseSpreadsheet(data, sheet)
	case bytes.HasPrefix(data, []byte("PK\x03\x04")) && kind != ".numbers":
		t, err = parseWorkbook(data, sheet)
	case bytes.HasPrefix(data, compound):
		err = compoundProblem(data)
	case kind == ".numbers" || kind == ".xls":
		err = errors.New("this kind of workbook cannot be read: save it as XLSX or ODS, or its sheet as “CSV UTF-8”")
	case kind == ".xlsx" || kind == ".xlsm" || kind == ".ods":
		err = errors.New("it is called a workbook, but is none: open it in the spreadsheet and save it again")
	case sheet != "":
		err = errors.New("only workbooks (XLSX, ODS) have sheets")
	default:
		t, err = parseCSV(data)
	}
	if err != nil {
		return nil, err
	}
	t.name, t.data, t.names = name, data, o.Names
	if err := t.settle(); err != nil {
		return nil, err
	}
	return t, t.check()
}

// perSheet is how far the numbers of rows of two sheets are apart: more rows than any
// spreadsheet has.
const perSheet = 1 << 21

// readSheets reads several sheets as one table. Their columns are joined by the headings.
func readSheets(name string, data []byte, o Options) (*Table, error) {
	names := o.Sheets
	if names[0] == "*" {
		first, err := Read(name, data, Options{Names: o.Names})
		if first == nil {
			return nil, err
		}
		names = append([]string{first.Sheet}, first.Others...)
	}
	t := &Table{name: name, data: data, names: o.Names, Sheet: strings.Join(names, ", ")}
	at := map[string]int{}
	for _, sheet := range names {
		if slices.ContainsFunc(t.parts, func(p *Table) bool { return strings.EqualFold(p.Sheet, sheet) }) {
			continue
		}
		p, err := Read(name, data, Options{Sheets: []string{sheet}, Names: o.Names})
		if o.Sheets[0] == "*" && (err != nil && p == nil || p != nil && !slices.ContainsFunc(p.Headings, p.isExpected)) {
			t.Notes = append(t.Notes, fmt.Sprintf("the sheet “%s” is skipped: no heading in it is known", sheet))
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("the sheet “%s”: %w", sheet, err)
		}
		columns := make([]int, len(p.Headings))
		for i, h := range p.Headings {
			k, known := at[Folded(h)]
			if !known {
				k = len(t.Headings)
				at[Folded(h)] = k
				t.Headings = append(t.Headings, h)
			}
			columns[i] = k
		}
		for _, r := range p.Rows {
			cells := make([]Cell, len(t.Headings))
			for i, c := range r.Cells {
				if columns[i] < len(cells) && p.Headings[i] != "" {
					cells[columns[i]] = c
				}
			}
			t.Rows = append(t.Rows, Row{len(t.parts)*perSheet + r.Number, cells, r.Problem})
		}
		for _, n := range p.Notes {
			t.Notes = append(t.Notes, "sheet “"+p.Sheet+"”: "+n)
		}
		t.parts = append(t.parts, p)
	}
	for i := range t.Rows {
		for len(t.Rows[i].Cells) < len(t.Headings) {
			t.Rows[i].Cells = append(t.Rows[i].Cells, Cell{})
		}
	}
	if len(t.Rows) == 0 {
		return nil, errors.New("none of its sheets has a row below its headings")
	}
	return t, t.tooMany()
}

// RowName says, for a person, which row has a number.
func (t *Table) RowName(number int) string {
	if len(t.parts) == 0 {
		return fmt.Sprintf("row %d", number)
	}
	return fmt.Sprintf("row %d of “%s”", number%perSheet, t.parts[number/perSheet].Sheet)
}

// InSheet is the number that a row has in its own sheet, and of several sheets which it is.
func (t *Table) InSheet(number int) (sheet string, row int) {
	if len(t.parts) > 0 {
		sheet = t.parts[number/perSheet].Sheet
	}
	return sheet, number % perSheet
}

// searched is in how many rows the headings are looked for.
const searched = 20

// settle finds the row with the headings, and makes all rows below it as wide.
func (t *Table) settle() error {
	head, most := -1, 0
	for i := range t.Rows[:min(len(t.Rows), searched)] {
		n := t.expected(&t.Rows[i])
		if head < 0 || n > most {
			head, most = i, n
		}
	}
	if head < 0 {
		return errors.New("it is empty")
	}
	top := &t.Rows[head]
	t.Heading = top.Number
	for _, c := range top.Cells {
		t.Headings = append(t.Headings, c.Text)
	}
	if head > 0 {
		t.Notes = append(t.Notes, fmt.Sprintf("the headings are taken from row %d; what stands above is skipped", t.Heading))
	}
	t.Rows = t.Rows[head+1:]
	if err := t.tooMany(); err != nil {
		return err
	}
	if err := t.file.settle(t); err != nil {
		return err
	}
	t.Rows = slices.DeleteFunc(t.Rows, func(r Row) bool { return len(t.Headings) > 1 && r.Problem == "" && r.Idle() })
	for i := range t.Rows {
		for len(t.Rows[i].Cells) < len(t.Headings) {
			t.Rows[i].Cells = append(t.Rows[i].Cells, Cell{})
		}
	}
	return nil
}

// widen makes the headings as wide as the widest row.
func (t *Table) widen() {
	for _, r := range t.Rows {
		for len(t.Headings) < len(r.Cells) {
			t.Headings = append(t.Headings, "")
		}
	}
}

// expected is how many cells of a row are headings that are expected.
func (t *Table) expected(r *Row) (n int) {
	for _, c := range r.Cells {
		if t.isExpected(c.Text) {
			n++
		}
	}
	return n
}

func (t *Table) isExpected(heading string) bool {
	f := Folded(heading)
	is := func(name string) bool { return Folded(name) == f }
	return f != "" && (slices.ContainsFunc(t.names, is) || slices.ContainsFunc(markHeadings, is))
}

// check says what is wrong with the headings.
func (t *Table) check() error {
	for i := range t.Rows {
		t.Rows[i].check(t)
	}
	seen := map[string]string{}
	for i, h := range t.Headings {
		if strings.TrimSpace(h) == "" {
			if !t.columnEmpty(i) {
				t.Notes = append(t.Notes, fmt.Sprintf("column %s has values and no heading, and is skipped", ColumnName(i)))
			}
			continue
		}
		if first, twice := seen[Folded(h)]; twice {
			return fmt.Errorf("two columns are called \"%s\" and \"%s\": rename one of them", first, h)
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
			r.Problem = fmt.Sprintf("“%s” stands under “%s”, where only yes or nothing does: is a separator in a text that has no quotation marks?", string(short[:min(len(short), 40)]), markHeadings[0])
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
	if t.cells > MaxCells || len(t.Rows)*len(t.Headings) > MaxCells {
		return fmt.Errorf("it has more than %d cells", MaxCells)
	}
	return nil
}

// add adds a row that was read.
func (t *Table) add(r Row) error {
	t.Rows = append(t.Rows, r)
	t.cells += len(r.Cells)
	return t.tooMany()
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
