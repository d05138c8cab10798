package outline

import (
	"slices"
	"strings"
)

// Add puts a new line with a name into a file: into parent, or at the top where that
// is nil; in front of a line that lies there, with the remarks that stand right above
// that, or last where before is nil. It is indented as its neighbours are. All other
// lines stay as they are, byte for byte; those below get other numbers.
func (f *File) Add(parent, before *Line, name string) *Line {
	lines := &f.Entries
	if parent != nil {
		lines = &parent.Children
	}
	l := &Line{Kind: Entry, Name: name, Indent: f.indent(parent, *lines), End: f.lineBreak()}
	if parent != nil && parent.Kind == Entry {
		l.Level = parent.Level + 1
	}
	at, place := 0, len(*lines)
	switch {
	case before != nil:
		place = slices.Index(*lines, before)
		for at = slices.Index(f.Lines, before); at > 0 && f.Lines[at-1].Kind == Comment && f.Lines[at-1].Indent == before.Indent; at-- {
		}
	case len(*lines) > 0:
		at = slices.Index(f.Lines, lastOf((*lines)[len(*lines)-1])) + 1
	case parent != nil:
		at = slices.Index(f.Lines, parent) + 1
	default:
		at = len(f.Lines)
	}
	if at > 0 && !strings.HasSuffix(f.Lines[at-1].End, "\n") {
		f.Lines[at-1].End += l.End // the file ended without a line break
		l.End = ""
	}
	*lines = slices.Insert(*lines, place, l)
	f.Lines = slices.Insert(f.Lines, at, l)
	f.renumber()
	return l
}

// Remove takes a line out of a file, with all that lies in it and the remarks in
// between. Remarks above it stay.
func (f *File) Remove(l *Line) {
	first, last := slices.Index(f.Lines, l), slices.Index(f.Lines, lastOf(l))
	if first < 0 {
		return
	}
	f.Lines = slices.Delete(f.Lines, first, last+1)
	drop := func(lines []*Line) []*Line {
		return slices.DeleteFunc(lines, func(c *Line) bool { return c == l })
	}
	f.Entries, f.Parts = drop(f.Entries), drop(f.Parts)
	for _, c := range f.Lines {
		c.Children = drop(c.Children)
	}
	f.renumber()
}

// Set gives a line a clause: in the place of the one with that word, else behind the
// others, but in front of a note, which is the last. An empty text leaves the word
// alone.
func (l *Line) Set(word, text string) {
	c := Clause{Lead: " | ", Word: word, Text: text}
	if text != "" {
		c.Colon = ": "
	}
	for i := range l.Clauses {
		if l.Clauses[i].Word == word {
			c.Lead = l.Clauses[i].Lead
			l.Clauses[i] = c
			l.place()
			return
		}
	}
	at := len(l.Clauses)
	if at > 0 && l.Clauses[at-1].Word == "note" {
		at--
	}
	if at == 0 && len(l.Clauses) > 0 {
		c.Lead, l.Clauses[0].Lead = l.Clauses[0].Lead, c.Lead // the column stays
	}
	l.Clauses = slices.Insert(l.Clauses, at, c)
	l.place()
}

// place sets the columns of the clauses anew.
func (l *Line) place() {
	column := 1 + width(l.Indent) + width(l.Name)
	for i := range l.Clauses {
		c := &l.Clauses[i]
		c.Column = column + width(c.Lead)
		column = c.Column + width(c.Word+c.Colon+c.Text)
	}
}

// lastOf returns the last line that lies in a line, or that itself.
func lastOf(l *Line) *Line {
	for len(l.Children) > 0 {
		l = l.Children[len(l.Children)-1]
	}
	return l
}

// indent is how a new line among lines in parent is indented.
func (f *File) indent(parent *Line, lines []*Line) string {
	switch {
	case len(lines) > 0:
		return lines[0].Indent
	case parent == nil:
		return ""
	}
	for _, l := range f.Lines { // as far as the first line that lies in another one
		if len(l.Children) > 0 && (l.Kind == Entry || l.Kind == Part) {
			return parent.Indent + strings.TrimPrefix(l.Children[0].Indent, l.Indent)
		}
	}
	return parent.Indent + "    "
}

// lineBreak is that of the file.
func (f *File) lineBreak() string {
	for _, l := range f.Lines {
		if strings.HasSuffix(l.End, "\r\n") {
			return "\r\n"
		}
	}
	return "\n"
}

func (f *File) renumber() {
	first := 1
	if f.Header != nil && !f.Header.astray {
		first += strings.Count(f.Header.open+f.Header.Text+f.Header.close, "\n")
	}
	for i, l := range f.Lines {
		l.Number = first + i
	}
}
