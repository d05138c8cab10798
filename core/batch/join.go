package batch

import (
	"fmt"
	"strconv"
	"strings"

	"vestibula/core/table"
	"vestibula/core/template"
)

// Join finds the columns of a table that hold the fields of a template, by their
// names, however these are written. Joins, such as "client=Who", go first. It
// returns the columns by the names of the fields, and the headings that belong to
// no field. The error says, for a person, which join cannot be made.
func Join(t *template.Template, from *table.Table, joins []string) (columns map[string]int, unknown []string, err error) {
	at := map[string]int{}
	for i, h := range from.Headings {
		at[table.Folded(h)] = i
	}
	columns, used := map[string]int{}, map[int]bool{}
	for _, text := range joins {
		field, heading, _ := strings.Cut(text, "=")
		i, ok := at[table.Folded(heading)]
		if f := t.Field(field); f == nil || f.Made() || !ok || heading == "" {
			return nil, nil, fmt.Errorf("%q joins no field to a column", text)
		}
		columns[field], used[i] = i, true
	}
	for _, name := range t.FieldNames() {
		if _, chosen := columns[name]; chosen {
			continue
		}
		if i, ok := at[table.Folded(name)]; ok && !used[i] {
			columns[name], used[i] = i, true
		}
	}
	for i, h := range from.Headings {
		if !used[i] && !from.IsMark(i) && strings.TrimSpace(h) != "" {
			unknown = append(unknown, h)
		}
	}
	return columns, unknown, nil
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
			return nil, fmt.Errorf("%q is no row", part)
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
