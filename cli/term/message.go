package term

import (
	"fmt"
	"strings"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"vestibula/core/outline"
)

// A Place is a place in a text that a message is about.
type Place struct {
	File   string
	Line   int
	Column int
	Width  int
	Text   string // of the line
}

// Message draws a message about a place: where, what, the line with a mark
// under the place, and what to do.
//
//	commission.folders:14:22: there is no field named "stage"
//	  14 |     <#:00> <stage>/ | each: step in stages
//	     |            ^^^^^^^
//	     this line repeats for "step": did you mean <step>?
func (s *Screen) Message(p Place, style lipgloss.Style, message, help string) {
	where := p.File
	if p.Line > 0 {
		where = fmt.Sprintf("%s:%d:%d", p.File, p.Line, max(p.Column, 1))
	}
	s.Text(style.Render(Visible(where)+":") + " " + Strong.Render(Visible(message)))
	indent := "  "
	if p.Line > 0 {
		number := fmt.Sprintf("%4d", p.Line)
		bar := Dim.Render(" │ ")
		if !s.Terminal {
			bar = " | "
		}
		line, before, marked := excerpt(p)
		s.Line(Dim.Render(number), bar, line)
		s.Line("    ", bar, strings.Repeat(" ", before), style.Render(strings.Repeat("^", marked)))
		indent = strings.Repeat(" ", 7)
	}
	if help != "" {
		for line := range strings.SplitSeq(s.wrap(help, len(indent)), "\n") {
			s.Line(indent, Accent.Render(Visible(line)))
		}
	}
}

func (s *Screen) wrap(text string, indent int) string {
	if s.Width <= indent {
		return text
	}
	return ansi.Wordwrap(text, s.Width-indent, "")
}

// excerpt returns a line as it can be shown, the columns in front of the place
// and the columns to mark. Tabs are shown as four blanks.
func excerpt(p Place) (line string, before, marked int) {
	show := func(r []rune) string { return Visible(strings.ReplaceAll(string(r), "\t", "    ")) }
	r := []rune(p.Text)
	start := min(max(p.Column-1, 0), len(r))
	end := min(start+max(p.Width, 1), len(r))
	return show(r), Columns(show(r[:start])), max(1, Columns(show(r[start:end])))
}

// Errors draws all errors of a template.
func (s *Screen) Errors(file, text string, errs outline.Errors) {
	lines := strings.Split(text, "\n")
	for i, e := range errs {
		if i > 0 {
			s.Line()
		}
		p := Place{File: file, Line: e.Line, Column: e.Column, Width: e.Width}
		if e.Line <= len(lines) {
			p.Text = strings.TrimRight(lines[e.Line-1], "\r")
		}
		s.Message(p, Bad, e.Message, e.Help)
	}
}
