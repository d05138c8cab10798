package term

import (
	"strings"

	"charm.land/lipgloss/v2"
	"charm.land/lipgloss/v2/table"
)

// Table draws rows below a heading: with a line under the heading on a
// terminal, and as plain columns elsewhere.
func (s *Screen) Table(heading []Shown, rows [][]Shown) {
	border := lipgloss.Border{Top: "─", Bottom: "─", Middle: " ", MiddleTop: "─", MiddleBottom: "─"}
	t := table.New().Headers(plain(heading)...).
		Rows(plains(rows)...).
		Border(border).BorderTop(false).BorderBottom(false).BorderLeft(false).BorderRight(false).
		BorderColumn(false).BorderRow(false).BorderHeader(false).
		StyleFunc(func(row, col int) lipgloss.Style {
			style := lipgloss.NewStyle().PaddingRight(2)
			if row == table.HeaderRow {
				return style.Inherit(Dim.Style)
			}
			return style
		})
	if s.Width > 0 && lipgloss.Width(t.String()) > s.Width {
		t.Width(s.Width).Wrap(false)
	}
	for line := range strings.SplitSeq(t.String(), "\n") {
		s.print(Shown(strings.TrimRight(line, " ")))
	}
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
		for i, cell := range row {
			if i < len(row)-1 {
				cell = Pad(cell, max(widths[i], Columns(cell))+3)
			}
			line += cell
		}
		s.Line(line)
	}
}

func plain(row []Shown) []string {
	out := make([]string, len(row))
	for i, cell := range row {
		out[i] = string(cell)
	}
	return out
}

func plains(rows [][]Shown) [][]string {
	out := make([][]string, len(rows))
	for i, row := range rows {
		out[i] = plain(row)
	}
	return out
}
