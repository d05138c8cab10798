package term

import (
	"strings"
	"unicode"

	"github.com/charmbracelet/x/ansi"
)

// Moved draws an old name or path and the new one; only what differs is in colour.
func Moved(from, to string) Shown {
	a, b := words(from), words(to)
	lead := 0
	for lead < min(len(a), len(b)) && a[lead] == b[lead] {
		lead++
	}
	tail := 0
	for tail < min(len(a), len(b))-lead && a[len(a)-1-tail] == b[len(b)-1-tail] {
		tail++
	}
	part := func(list []string) Shown {
		middle := strings.Join(list[lead:len(list)-tail], "")
		shown := Visible(strings.Join(list[:lead], ""))
		if middle != "" {
			shown += Accent.Render(Visible(middle))
		}
		return shown + Visible(strings.Join(list[len(list)-tail:], ""))
	}
	return part(a) + Dim.Render(" → ") + part(b)
}

// words parts a path into runs of letters and digits, and the signs between them.
func words(text string) (list []string) {
	letter := func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) }
	from, last := 0, false
	for i, r := range text {
		is := letter(r)
		if i > 0 && (is != last || !is) {
			list, from = append(list, text[from:i]), i
		}
		last = is
	}
	if from < len(text) {
		list = append(list, text[from:])
	}
	return list
}

// Because writes a line and the reason for what it says: beside it, or below where both have
// no room in one line. The reason is never cut.
func (s *Screen) Because(line, why Shown, style Style) {
	const gap = 3
	if s.Width == 0 || Columns(line)+gap+Columns(why) <= s.Width {
		s.print(line + Spaces(gap) + style.Render(why))
		return
	}
	s.Line(line)
	indent := Columns(line) - Columns(Shown(strings.TrimLeft(ansi.Strip(string(line)), " "))) + 2*gap
	s.Indented(indent, why, style)
}

// Indented writes a text so far in, broken into lines where it has no room in one.
func (s *Screen) Indented(indent int, text Shown, style Style) {
	room := 1 << 20
	if s.Width > 0 {
		room = max(s.Width-indent, 20)
	}
	for _, line := range Wrapped(text, room) {
		if IsCall(line) && Columns(line) > room {
			s.print(style.Render(line))
			continue
		}
		s.print(Spaces(indent) + style.Render(line))
	}
}
