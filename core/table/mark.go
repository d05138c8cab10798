package table

import (
	"fmt"
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

// A markPlace is where marks stand.
type markPlace struct {
	columns []int // of built, when and where; -1 for one that is not there
	all     bool  // all three are there
}

// findMarks finds the columns that marks stand in, by their headings.
func findMarks(headings []string) *markPlace {
	m := &markPlace{}
	for _, heading := range []string{headingBuilt, headingWhen, headingWhere} {
		m.columns = append(m.columns, slices.IndexFunc(headings, func(h string) bool { return Folded(h) == Folded(heading) }))
	}
	m.all = !slices.Contains(m.columns, -1)
	return m
}

// markPlace is found once: every row is asked for its mark.
func (t *Table) markPlace() *markPlace {
	if t.marks == nil {
		t.marks = findMarks(t.Headings)
	}
	return t.marks
}

// IsMark reports whether a column is one of those that marks stand in.
func (t *Table) IsMark(column int) bool {
	m := t.markPlace()
	return m.all && slices.Contains(m.columns, column)
}

// Marked reports whether a row is marked as built.
func (t *Table) Marked(r *Row) bool {
	m := t.markPlace()
	if !m.all {
		return false
	}
	return isYes(r.Cells[m.columns[0]].Text)
}

func isYes(text string) bool {
	return slices.Contains([]string{"yes", "true", "x", "1", "✓", "✔"}, strings.ToLower(text))
}

func isNo(text string) bool {
	return slices.Contains([]string{"", "no", "n", "off", "false", "0", "-"}, strings.ToLower(text))
}

// WithMarks returns the bytes of the file with marks for rows, given by their
// numbers. Nothing else in the file changes: a row with more cells than headings is
// refused, for its texts would come to stand below the headings of marks.
func (t *Table) WithMarks(marks map[int]Mark) ([]byte, error) {
	m := t.markPlace()
	columns := slices.Clone(m.columns)
	var edits []edit
	if !m.all {
		for i, h := range []string{headingBuilt, headingWhen, headingWhere} {
			if columns[i] >= 0 {
				return nil, fmt.Errorf("it has a column %q of its own, which marks are written in: give that column another heading", t.Headings[columns[i]])
			}
			columns[i] = len(t.Headings) + i
			edits = append(edits, edit{t.Heading, columns[i], h, true})
		}
	}
	for _, r := range t.Rows {
		mark, marked := marks[r.Number]
		if r.Problem != "" && (marked || !m.all) {
			return nil, fmt.Errorf("row %d: %s", r.Number, r.Problem)
		}
		if marked {
			var row []edit
			for i, text := range []string{"yes", mark.When.Format("2006-01-02 15:04"), mark.Where} {
				row = append(row, edit{row: r.Number, column: columns[i], text: text})
			}
			slices.SortFunc(row, func(a, b edit) int { return a.column - b.column })
			edits = append(edits, row...)
		}
	}
	return t.file.with(edits)
}

// Bytes returns the file that the table was read from.
func (t *Table) Bytes() []byte { return t.data }
