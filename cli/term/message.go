package term

import (
	"fmt"
	"strings"

	"vestibula/core/outline"
)

// A Place is a place in a text that a message is about.
type Place struct {
	File   string
	Line   int
	Column int
	Width  int
	Text   string // of the line
	Marks  []Span // what to mark beside Width, where it is several places
	Proof  string // lines that show that it is so
}

// A Span is a place in a line.
type Span struct{ Column, Width int }

// Message draws a message about a place: where, what, the line with a mark
// under the place, and what to do.
//
//	commission.folders:14:22: there is no field named "stage"
//	  14 |     <#:00> <stage>/ | each: step in stages
//	     |            ^^^^^^^
//	     this line repeats for "step": did you mean <step>?
func (s *Screen) Message(p Place, style Style, message, help string) {
	where := p.File
	if p.Line > 0 {
		where = fmt.Sprintf("%s:%d:%d", p.File, p.Line, max(p.Column, 1))
	}
	text := Visible(message)
	if p.Line > 0 { // of a folder there are many, and each is one line
		text = Strong.Render(text)
	}
	s.Text(style.Render(Visible(where)+":") + " " + text)
	indent := Spaces(2)
	if p.Line > 0 {
		number := Sprintf("%4d", p.Line)
		bar := Dim.Render(" │ ")
		if !s.Terminal {
			bar = " | "
		}
		most := quoted
		if s.Width > 0 {
			most = max(40, s.Width-8)
		}
		line, before, marked := excerpt(p, most)
		s.Line(Dim.Render(number), bar, line)
		under := Spaces(before) + style.Render(Shown(strings.Repeat("^", marked)))
		for i, m := range p.Marks {
			if i == 0 {
				under = ""
			}
			under += Spaces(before+m.Column-p.Column-Columns(under)) + style.Render(Shown(strings.Repeat("^", m.Width)))
		}
		s.Line("    ", bar, under)
		indent = Spaces(7)
	}
	if p.Proof != "" {
		for line := range strings.SplitSeq(p.Proof, "\n") {
			s.Line(indent, Visible(line))
		}
		s.Line()
	}
	if help != "" {
		s.Indented(len(indent), Lines(help), Accent)
	}
}

// quoted is how many characters of a line a message quotes at the most: a window
// round the place that it is about.
const quoted = 160

// excerpt returns a line as it can be shown, the columns in front of the place
// and the columns to mark. Tabs are shown as four spaces; of a long line, what
// stands round the place.
func excerpt(p Place, most int) (line Shown, before, marked int) {
	show := func(r []rune) Shown { return Visible(strings.ReplaceAll(string(r), "\t", "    ")) }
	r := []rune(p.Text)
	start := min(max(p.Column-1, 0), len(r))
	end := min(start+max(p.Width, 1), len(r))
	lead, tail := Shown(""), Shown("")
	if from := max(0, start-most/2); len(r) > most && from > 0 {
		r, start, end, lead = r[from:], start-from, end-from, "…"
	}
	if len(r) > most {
		r, end, tail = r[:most], min(end, most), "…"
	}
	return lead + show(r) + tail, Columns(lead + show(r[:start])), max(1, Columns(show(r[start:end])))
}

// manyErrors is how many errors of a template are drawn.
const manyErrors = 100

// Errors draws all errors of a template.
func (s *Screen) Errors(file, text string, errs outline.Errors) {
	lines := strings.Split(text, "\n")
	for i, e := range errs {
		if i > 0 {
			s.Line()
		}
		if i == manyErrors {
			s.Text(Sprintf("and %s more", Number(len(errs)-i)))
			return
		}
		p := Place{File: file, Line: e.Line, Column: e.Column, Width: e.Width}
		if e.Line <= len(lines) {
			p.Text = strings.TrimRight(lines[e.Line-1], "\r")
		}
		s.Message(p, Bad, e.Message, e.Help)
	}
}
