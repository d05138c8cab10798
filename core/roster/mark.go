package roster

import (
	"bytes"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"
)

// The headings of the columns in which rows are marked. They are added behind
// all others the first time.
const (
	headingBuilt = "built"
	headingWhen  = "built on"
	headingWhere = "built in"
)

// A Mark says of a row that it was built, when and where.
type Mark struct {
	When  time.Time
	Where string
}

// markColumns returns the columns that marks stand in, by their headings, and
// whether they are all there.
func (t *Table) markColumns() (columns []int, all bool) {
	for _, heading := range []string{headingBuilt, headingWhen, headingWhere} {
		i := slices.IndexFunc(t.Headings, func(h string) bool { return Folded(h) == Folded(heading) })
		columns = append(columns, i)
	}
	return columns, !slices.Contains(columns, -1)
}

// IsMark reports whether a column is one of those that marks stand in.
func (t *Table) IsMark(column int) bool {
	columns, all := t.markColumns()
	return all && slices.Contains(columns, column)
}

// Marked reports whether a row is marked as built.
func (t *Table) Marked(r *Row) bool {
	columns, all := t.markColumns()
	if !all {
		return false
	}
	switch strings.ToLower(r.Cells[columns[0]].Text) {
	case "", "no", "false", "0", "-":
		return false
	}
	return true
}

// WithMarks returns the bytes of the file with marks for rows, given by their
// numbers. Nothing else in the file changes.
func (t *Table) WithMarks(marks map[int]Mark) ([]byte, error) {
	columns, all := t.markColumns()
	var edits []edit
	if !all {
		for i, h := range []string{headingBuilt, headingWhen, headingWhere} {
			if columns[i] >= 0 {
				return nil, fmt.Errorf("it has a column %q of its own, which marks are written in: give that column another heading", t.Headings[columns[i]])
			}
			columns[i] = len(t.Headings) + i
			edits = append(edits, edit{t.Heading, columns[i], h, true})
		}
	}
	for _, r := range t.Rows {
		if m, ok := marks[r.Number]; ok {
			var row []edit
			for i, text := range []string{"yes", m.When.Format("2006-01-02 15:04"), m.Where} {
				row = append(row, edit{row: r.Number, column: columns[i], text: text})
			}
			slices.SortFunc(row, func(a, b edit) int { return a.column - b.column })
			edits = append(edits, row...)
		}
	}
	return t.file.with(edits)
}

// Unchanged reports whether the file still holds what was read from it.
func (t *Table) Unchanged(path string) error {
	data, err := os.ReadFile(path)
	if err == nil && !bytes.Equal(data, t.data) {
		err = fmt.Errorf("somebody has changed it meanwhile")
	}
	return err
}
