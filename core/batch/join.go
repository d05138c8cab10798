package batch

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/value"
)

// Join finds the columns of a table that hold the fields of a template, by their
// names, however these are written. Joins, such as "client=Who", go first. It
// returns the columns by the names of the fields, and the headings that belong to
// no field. A list may have several columns with numbers behind their name, "stage 1",
// "stage 2", with an item in each. The error says, for a person, which join cannot be made.
func Join(t *template.Template, from *table.Table, joins []string) (columns map[string][]int, unknown []string, err error) {
	at := map[string]int{}
	for i, h := range from.Headings {
		at[table.Folded(h)] = i
	}
	columns, used := map[string][]int{}, map[int]bool{}
	join := func(f *template.Field, heading string) bool {
		if i, ok := at[table.Folded(heading)]; ok && !used[i] && table.Folded(heading) != "" {
			columns[f.Name], used[i] = []int{i}, true
			return true
		}
		for n := 1; f.Type.Kind == value.List; n++ {
			i, ok := at[table.Folded(heading)+strconv.Itoa(n)]
			if !ok || used[i] {
				break
			}
			columns[f.Name], used[i] = append(columns[f.Name], i), true
		}
		return len(columns[f.Name]) > 0
	}
	for _, text := range joins {
		field, heading, _ := strings.Cut(text, "=")
		if f := t.Field(field); f == nil || f.Made() || heading == "" || !join(f, heading) {
			return nil, nil, fmt.Errorf("\"%s\" joins no field to a column", text)
		}
	}
	for _, name := range t.FieldNames() {
		if _, chosen := columns[name]; chosen {
			continue
		}
		f := t.Field(name)
		if f == nil || join(f, name) {
			continue
		}
		if single := singular(name); f.Type.Kind == value.List && single != "" {
			join(f, single)
		}
	}
	for i, h := range from.Headings {
		if !used[i] && !from.IsMark(i) && strings.TrimSpace(h) != "" {
			unknown = append(unknown, h)
		}
	}
	return columns, unknown, nil
}

// singular is what one item of a list is called, by the list's name, or "".
func singular(name string) string {
	if name == "people" {
		return "person"
	}
	for many, one := range map[string]string{"ies": "y", "ses": "s", "xes": "x", "ches": "ch"} {
		if stem, is := strings.CutSuffix(name, many); is {
			return stem + one
		}
	}
	stem, is := strings.CutSuffix(name, "s")
	if !is {
		return ""
	}
	return stem
}

// Expected are the headings that a table for a template may have.
func Expected(t *template.Template, joins []string) []string {
	names := t.FieldNames()
	for _, text := range joins {
		_, heading, _ := strings.Cut(text, "=")
		names = append(names, heading)
	}
	for _, n := range slices.Clone(names) {
		names = append(names, n+"1")
		if one := singular(n); one != "" {
			names = append(names, one+"1")
		}
	}
	return names
}

// Lacking are the fields that no column and no common value says, and that are needed.
func (b *Batch) Lacking() (fields []*template.Field) {
	for _, f := range b.Template.Missing(template.Values{}) {
		if _, common := b.Common[f.Name]; !common && len(b.Columns[f.Name]) == 0 && !counts(f) {
			fields = append(fields, f)
		}
	}
	return fields
}

// ParseRows reads the numbers of rows, such as 3,7-9; "" means all.
func ParseRows(text string) (wanted func(row int) bool, err error) {
	if text == "" {
		return func(int) bool { return true }, nil
	}
	var ranges [][2]int
	for part := range strings.SplitSeq(text, ",") {
		first, last, isRange := strings.Cut(strings.TrimSpace(part), "-")
		lo, err := strconv.Atoi(strings.TrimSpace(first))
		hi := lo
		if err == nil && isRange {
			hi, err = strconv.Atoi(strings.TrimSpace(last))
		}
		if err != nil || lo < 1 || hi < lo {
			return nil, fmt.Errorf("\"%s\" is no row", part)
		}
		ranges = append(ranges, [2]int{lo, hi})
	}
	return func(row int) bool {
		for _, r := range ranges {
			if r[0] <= row && row <= r[1] {
				return true
			}
		}
		return false
	}, nil
}
