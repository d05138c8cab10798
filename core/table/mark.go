package table

import (
	"fmt"
	"slices"
	"time"

	"vestibula/core/address"
	"vestibula/core/value"
)

// markHeadings are those of the columns in which rows are marked: whether it was built,
// when, where, and the identity of the project. They are added behind all others the first
// time. The last may be missing.
var markHeadings = []string{"built", "built on", "built in", "built as"}

// A Mark says of a row that it was built, when and where, and as what.
type Mark struct {
	When  time.Time // zero leaves what stands there
	Where string
	ID    string // the identity of the project; empty where it has none
	Clear bool   // the mark is taken out
}

// A Marking is what stands in the columns of marks of a row.
type Marking struct {
	Built         bool
	When, As      string
	Where         string // absolute, as the system writes paths
	Said, Present bool   // something stands there; the table has such columns
}

// A markPlace is where marks stand.
type markPlace struct {
	columns []int // of [markHeadings]; -1 for one that is not there
	all     bool  // those that are needed are there
}

// findMarks finds the columns that marks stand in, by their headings.
func findMarks(headings []string) *markPlace {
	m := &markPlace{}
	for _, heading := range markHeadings {
		m.columns = append(m.columns, slices.IndexFunc(headings, func(h string) bool { return Folded(h) == Folded(heading) }))
	}
	m.all = !slices.Contains(m.columns[:3], -1)
	return m
}

// markPlace is found once: every row is asked for its mark.
func (t *Table) markPlace() *markPlace {
	if t.marks == nil {
		t.marks = findMarks(t.Headings)
	}
	return t.marks
}

// Marking returns what is marked of a row.
func (t *Table) Marking(r *Row) (m Marking) {
	place := t.markPlace()
	if m.Present = place.all; !m.Present {
		return m
	}
	text := func(i int) string {
		if c := place.columns[i]; c >= 0 {
			return r.Cells[c].Text
		}
		return ""
	}
	m.Built, m.When, m.Where, m.As = isYes(text(0)), text(1), string(address.OfKey(text(2))), text(3)
	m.Said = m.Built || m.Where != "" || m.As != ""
	return m
}

// IsMark reports whether a column is one of those that marks stand in.
func (t *Table) IsMark(column int) bool {
	m := t.markPlace()
	return m.all && slices.Contains(m.columns, column)
}

// Marked reports whether a row is marked as built.
func (t *Table) Marked(r *Row) bool {
	return t.Marking(r).Built
}

func isYes(text string) bool {
	yes, _ := value.Says(text)
	return yes
}

func isNo(text string) bool {
	_, no := value.Says(text)
	return no || text == ""
}

// WithMarks returns the bytes of the file with marks for rows, by their numbers. Nothing
// else changes; of a row that is marked already, only the cells that differ.
func (t *Table) WithMarks(marks map[int]Mark) ([]byte, error) {
	if len(t.parts) > 0 {
		return t.markSheets(marks)
	}
	m := t.markPlace()
	columns := slices.Clone(m.columns)
	var edits []edit
	next := len(t.Headings)
	surplus := slices.ContainsFunc(t.Rows, func(r Row) bool { return r.Problem != "" })
	for i, h := range markHeadings {
		switch {
		case !m.all && columns[i] >= 0:
			return nil, fmt.Errorf("it has a column \"%s\" of its own, which marks are written in: give that column another heading", t.Headings[columns[i]])
		case columns[i] < 0 && (i < 3 || t.needs(marks) && !surplus): // no heading comes to stand above a surplus cell
			columns[i] = next
			next++
			edits = append(edits, edit{t.Heading, columns[i], h, true})
		}
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		mark, marked := marks[r.Number]
		if r.Problem != "" && (marked || !m.all) {
			return nil, fmt.Errorf("row %d: %s", r.Number, r.Problem)
		}
		if !marked {
			continue
		}
		texts := []string{"yes", mark.When.Format("2006-01-02 15:04"), address.Text(mark.Where).Key(), mark.ID}
		if mark.Clear {
			texts = []string{"", "", "", ""}
		}
		first := len(edits)
		for i, text := range texts {
			at, was := columns[i], ""
			if at < 0 {
				continue
			}
			if at < len(r.Cells) {
				was = r.Cells[at].Text
			}
			if i == 1 && mark.When.IsZero() && !mark.Clear || was == text || i == 0 && text == "yes" && isYes(was) {
				continue
			}
			edits = append(edits, edit{row: r.Number, column: at, text: text})
		}
		slices.SortFunc(edits[first:], func(a, b edit) int { return a.column - b.column })
	}
	if len(edits) == 0 {
		return t.data, nil
	}
	return t.file.with(edits)
}

// needs reports whether marks say an identity.
func (t *Table) needs(marks map[int]Mark) bool {
	for _, m := range marks {
		if m.ID != "" {
			return true
		}
	}
	return false
}

// markSheets marks rows of several sheets, one sheet after the other.
func (t *Table) markSheets(marks map[int]Mark) ([]byte, error) {
	data := t.data
	for i, p := range t.parts {
		own := map[int]Mark{}
		for number, m := range marks {
			if number/perSheet == i {
				own[number%perSheet] = m
			}
		}
		if len(own) == 0 {
			continue
		}
		sheet, err := Read(t.name, data, Options{Sheets: []string{p.Sheet}, Names: t.names})
		if err == nil {
			data, err = sheet.WithMarks(own)
		}
		if err != nil {
			return nil, fmt.Errorf("the sheet “%s”: %w", p.Sheet, err)
		}
	}
	return data, nil
}

// Bytes returns the file that the table was read from.
func (t *Table) Bytes() []byte { return t.data }
