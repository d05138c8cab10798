package term

import (
	"slices"
	"strings"

	"github.com/charmbracelet/x/ansi"
)

// A Column is one of a table.
type Column struct {
	Name Shown
	// Whole says that it is never cut nor left out: it holds what decides.
	Whole bool
	// Path says that it holds paths: they are the first to be cut, in front.
	Path bool
	// Last says how soon it is left out where the window is narrow: those with the most first.
	Last int
}

// Named returns columns of which any can be cut, and that are left out from the last on.
func Named(names ...Shown) []Column {
	list := make([]Column, len(names))
	for i, n := range names {
		list[i] = Column{Name: n, Last: i}
	}
	return list
}

// leastColumn is how narrow a column becomes before one is left out.
const leastColumn, columnGap = 12, 2

// leastSaid is how wide a window is in which it is said that a column was left out.
const leastSaid = 40

// Table draws rows below a heading, where columns have names. In a window that is too narrow, columns are cut, the
// widest first, and then left out, which is said; those that are [Column.Whole] never are: where they have no room
// beside each other, a row is several lines.
func (s *Screen) Table(columns []Column, rows [][]Shown) {
	widths := s.widths(columns, rows)
	if total := -columnGap; s.Width > 0 {
		for _, w := range widths {
			if w > 0 {
				total += w + columnGap
			}
		}
		if total > s.Width {
			s.stack(widths, rows)
			return
		}
	}
	draw := func(cells []Shown, style *Style) {
		var line Shown
		gap := 0
		for i, cell := range cells {
			if widths[i] == 0 {
				continue
			}
			if columns[i].Path {
				cell = CutFront(cell, widths[i])
			}
			if cell = Cut(cell, widths[i]); style != nil {
				cell = style.Render(cell)
			}
			line += Spaces(gap) + cell
			gap = widths[i] - Columns(cell) + columnGap
		}
		s.print(Shown(strings.TrimRight(string(line), " ")))
	}
	names := make([]Shown, len(columns))
	for i, c := range columns {
		names[i] = c.Name
	}
	if slices.ContainsFunc(names, func(n Shown) bool { return n != "" }) {
		draw(names, &Dim)
	}
	for _, row := range rows {
		draw(row, nil)
	}
	var dropped []Shown
	for i, name := range names {
		if widths[i] == 0 && name != "" {
			dropped = append(dropped, name)
		}
	}
	if len(dropped) > 0 && s.Width >= leastSaid {
		s.Text(Dim.Render("not shown in so narrow a window: " + Join(dropped, ", ")))
	}
}

// stack draws each row as its first cell, with the others that are not left out below it.
func (s *Screen) stack(widths []int, rows [][]Shown) {
	const indent = 4
	for _, row := range rows {
		first := true
		for i, cell := range row {
			switch {
			case widths[i] == 0 || cell == "":
			case first:
				s.Text(cell)
				first = false
			default:
				s.Indented(indent, cell, Style{})
			}
		}
	}
}

// widths are those of the columns of a table; 0 for one that is left out.
func (s *Screen) widths(columns []Column, rows [][]Shown) []int {
	natural, total := make([]int, len(columns)), -columnGap
	for i, c := range columns {
		natural[i] = Columns(c.Name)
		for _, row := range rows {
			natural[i] = max(natural[i], Columns(row[i]))
		}
		total += natural[i] + columnGap
	}
	widths := slices.Clone(natural)
	drop := func(pick func(i int) bool, better func(i, than int) bool) int {
		best := -1
		for i, c := range columns {
			if !c.Whole && widths[i] > 0 && pick(i) && (best < 0 || better(i, best)) {
				best = i
			}
		}
		return best
	}
	for s.Width > 0 && total > s.Width {
		if i := drop(func(i int) bool { return widths[i] > leastColumn }, func(i, than int) bool {
			if columns[i].Path != columns[than].Path {
				return columns[i].Path
			}
			return widths[i] > widths[than]
		}); i >= 0 {
			widths[i]--
			total--
			continue
		}
		i := drop(func(int) bool { return true }, func(i, than int) bool { return columns[i].Last > columns[than].Last })
		if i < 0 {
			break
		}
		total -= widths[i] + columnGap
		widths[i] = 0
		// What was cut for it can have its room.
		for k := range columns {
			for widths[k] > 0 && total < s.Width && widths[k] < natural[k] {
				widths[k]++
				total++
			}
		}
	}
	return widths
}

// Columns draws rows below each other, each cell as wide as the widest of its
// column.
func (s *Screen) Columns(rows [][]Shown) {
	var widths []int
	for _, row := range rows {
		for i, cell := range row {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			widths[i] = max(widths[i], min(Columns(cell), noteColumn))
		}
	}
	for _, row := range rows {
		var line Shown
		for i, cell := range row[:max(len(row)-1, 0)] {
			line += Pad(cell, max(widths[i], Columns(cell))+3)
		}
		if len(row) == 0 {
			continue
		}
		last := row[len(row)-1]
		if s.Width == 0 || Columns(line+last) <= s.Width {
			s.Line(line + last)
			continue
		}
		// What has no room beside the others stands below them.
		plain := ansi.Strip(string(line))
		s.Line(line)
		indent := len(plain) - len(strings.TrimLeft(plain, " ")) + 4
		for _, part := range Wrapped(last, max(s.Width-indent, 20)) {
			s.print(Spaces(indent) + part)
		}
	}
}
