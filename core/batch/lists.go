package batch

import (
	"slices"
	"strings"

	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/value"
)

// A Listed field is a list that is made of a column: rows which differ in nothing else are one build.
type Listed struct {
	Field   string
	Heading string
	Rows    int // how many rows are made one with others
	Builds  int // how many they are then

	items map[int][]string    // of the list, by the row that stands for it
	aside map[int][]table.Row // the others, by that
}

// joinLists joins rows that differ in nothing but the column of a list: a class list has a row for
// each person. The row that stands for all is the first that is marked, else the first.
func (b *Batch) joinLists() {
	b.rows = b.Table.Rows
	if Counts(b.Template) {
		return // each row is a project with a number of its own
	}
	for _, f := range b.Template.Fields {
		if columns := b.Columns[f.Name]; f.Type.Kind == value.List && len(columns) == 1 && b.joinList(f, columns[0]) {
			return
		}
	}
}

// joinList joins rows by the column of one list, and reports whether there are such.
func (b *Batch) joinList(f *template.Field, column int) bool {
	groups := map[string][]int{}
	var order []string
	for i := range b.Table.Rows {
		row := &b.Table.Rows[i]
		key, whole := b.beside(row, column)
		if !whole {
			continue
		}
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], i)
	}
	l := &Listed{Field: f.Name, Heading: b.Table.Headings[column], items: map[int][]string{}, aside: map[int][]table.Row{}}
	gone := map[int]bool{}
	for _, key := range order {
		group := groups[key]
		if len(group) < 2 {
			continue
		}
		head := group[0]
		if i := slices.IndexFunc(group, func(i int) bool { return b.Table.Marked(&b.Table.Rows[i]) }); i >= 0 {
			head = group[i]
		}
		number := b.Table.Rows[head].Number
		for _, i := range group {
			l.items[number] = append(l.items[number], strings.TrimSpace(b.Table.Rows[i].Cells[column].Text))
			if i != head {
				l.aside[number], gone[b.Table.Rows[i].Number] = append(l.aside[number], b.Table.Rows[i]), true
			}
		}
		l.Rows, l.Builds = l.Rows+len(group), l.Builds+1
	}
	if l.Builds == 0 {
		return false
	}
	b.rows = slices.DeleteFunc(slices.Clone(b.Table.Rows), func(r table.Row) bool { return gone[r.Number] })
	b.Listed = l
	return true
}

// beside is what a row says beside one column, in those that fields are joined to. Not whole is one
// that says nothing there, or of which something is wrong.
func (b *Batch) beside(row *table.Row, column int) (key string, whole bool) {
	if row.Problem != "" || column >= len(row.Cells) || row.Cells[column].Problem != "" || strings.TrimSpace(row.Cells[column].Text) == "" {
		return "", false
	}
	for _, name := range b.Template.FieldNames() {
		for _, i := range b.Columns[name] {
			if i != column {
				key += row.Cells[i].Text + "\x00"
			}
		}
	}
	return key, true
}

// Aside are the rows that are one with a row.
func (b *Batch) Aside(row int) []table.Row {
	if b.Listed == nil {
		return nil
	}
	return b.Listed.aside[row]
}

// CouldList finds a list that nothing fills, and a column that no field is joined to, in which alone
// rows differ that would be one build; or two empty texts.
func (b *Batch) CouldList() (field, heading string) {
	used := map[int]bool{}
	for _, columns := range b.Columns {
		for _, i := range columns {
			used[i] = true
		}
	}
	for _, f := range b.Template.Fields {
		if f.Type.Kind != value.List || f.Made() || len(b.Columns[f.Name]) > 0 {
			continue
		}
		for i, h := range b.Table.Headings {
			if used[i] || b.Table.IsMark(i) || strings.TrimSpace(h) == "" {
				continue
			}
			first := map[string]string{}
			for r := range b.Table.Rows {
				row := &b.Table.Rows[r]
				key, whole := b.beside(row, i)
				if !whole {
					continue
				}
				if was, known := first[key]; known && was != row.Cells[i].Text {
					return f.Name, h
				}
				first[key] = row.Cells[i].Text
			}
		}
	}
	return "", ""
}
