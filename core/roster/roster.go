// Package roster reads tables of values, one row for each build: CSV in any
// usual dialect.
package roster

import (
	"errors"
	"fmt"
	"path/filepath"
	"strings"
	"unicode"
)

// Limits on what is read.
const (
	MaxBytes   = 64 << 20
	MaxColumns = 256
	MaxRows    = 200_000
)

// A Table is a roster that was read.
type Table struct {
	Headings []string
	Rows     []Row
}

// A Row is one row below the headings.
type Row struct {
	Number int    // as the file counts, from 1; the headings stand in the first row with text
	Cells  []Cell // as many as there are headings
}

// A Cell is the text of a cell, or what is wrong with it.
type Cell struct {
	Text    string
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

// Read reads a roster. The error says, for a person, what is wrong with the file
// as a whole.
func Read(path string) (*Table, error) {
	switch strings.ToLower(filepath.Ext(path)) {
	case ".xlsx", ".xlsm", ".xls", ".ods", ".numbers":
		return nil, errors.New("a workbook cannot be read: save its sheet as “CSV UTF-8”")
	}
	t, err := readCSV(path)
	if err != nil {
		return nil, err
	}
	return t, t.check()
}

// check says what is wrong with the headings.
func (t *Table) check() error {
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
		return fmt.Errorf("it has %d columns; at most %d are read", len(t.Headings), MaxColumns)
	case len(t.Rows) == 0:
		return errors.New("it has headings, but no row below them")
	case len(t.Rows) > MaxRows:
		return fmt.Errorf("it has %d rows; at most %d are read at a time", len(t.Rows), MaxRows)
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
