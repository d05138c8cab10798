// Package outline reads the text of a template into a syntax tree with
// positions, and writes it back byte for byte.
//
// A template is an optional header between two lines of three hyphens, then
// one line for each folder or file. A line that is indented deeper than the
// one above it lies inside it:
//
//	file    = [ "---" header "---" ] { line }
//	line    = blank | comment | part | entry
//	comment = "//" text
//	part    = word ":"                       (at the top level only)
//	entry   = name { "/" name } [ "/" ] { "|" clause }
//	clause  = word [ ":" text ]
//
// The package knows the words of clauses and where a line begins and ends. It
// does not know what a header says, what a slot is filled with, or whether a
// name can be used: those are the business of the packages above it.
package outline

import (
	"fmt"
	"slices"
	"strings"
)

// Limits on what [Parse] accepts. They are far above what a person writes, and
// keep a hostile file from exhausting memory.
const (
	MaxBytes = 8 << 20 // size of a template
	MaxLine  = 4096    // bytes of one line
	MaxDepth = 64      // levels of indentation
)

// A Pos is a place in the text of a template.
type Pos struct {
	Line   int // from 1
	Column int // in characters, from 1
}

// An Error says what is wrong at a place of a template, for a person.
type Error struct {
	Pos
	Width   int    // how many characters are meant, at least 1
	Message string // what is wrong
	Help    string // what to write instead, or empty
	Lacks   string // the field or convention that is named and that no header has; else empty
}

// Error returns place and message in one line.
func (e *Error) Error() string {
	s := fmt.Sprintf("%d:%d: %s", e.Line, e.Column, e.Message)
	if e.Help != "" {
		s += " (" + e.Help + ")"
	}
	return s
}

// Errors are all errors of one template.
type Errors []*Error

// Error returns one line for each error.
func (es Errors) Error() string {
	lines := make([]string, len(es))
	for i, e := range es {
		lines[i] = e.Error()
	}
	return strings.Join(lines, "\n")
}

// Sorted returns the errors in the order of their places, each once.
func (es Errors) Sorted() Errors {
	slices.SortStableFunc(es, func(a, b *Error) int {
		if a.Line != b.Line {
			return a.Line - b.Line
		}
		return a.Column - b.Column
	})
	return slices.CompactFunc(es, func(a, b *Error) bool { return a.Pos == b.Pos && a.Message == b.Message })
}

// A File is the syntax tree of one template.
type File struct {
	Header  *Header // nil where there is none
	Lines   []*Line // all lines below the header, in order, blank ones too
	Entries []*Line // the entries of the top level
	Parts   []*Line // the parts; their Children are what they hold
	bom     bool
}

// A Header is the YAML text between the two lines of hyphens.
type Header struct {
	Text        string // without the lines of hyphens
	Line        int    // of the file, at which the text begins
	open, close string
	astray      bool // it does not stand where it should: its lines are among the others,
	from, to    int  // these
}

// A Kind is the kind of a line.
type Kind uint8

// The kinds of lines.
const (
	Blank Kind = iota
	Comment
	Part
	Entry
)

// A Line is one line below the header.
type Line struct {
	Kind     Kind
	Number   int      // in the file, from 1
	Indent   string   // the spaces or tabs in front
	Name     string   // Entry: as written, the slashes included; Part: its word; else the whole text
	Clauses  []Clause // Entry only; a line of `use` alone has no name
	End      string   // spaces at the end, and the line break
	Children []*Line
	Level    int // how many lines it lies inside
}

// A Clause is one "| word: text" behind a name.
type Clause struct {
	Lead   string // the bar and the spaces around it
	Word   string
	Colon  string // the colon and the spaces around it; empty where there is none
	Text   string
	Column int // of the word
}

// TextPos returns the place of the first character of a clause's text.
func (l *Line) TextPos(c Clause) Pos {
	return Pos{l.Number, c.Column + width(c.Word) + width(c.Colon)}
}

// Pos returns the place of the line's name.
func (l *Line) Pos() Pos { return Pos{l.Number, 1 + width(l.Indent)} }

// Clause returns the clause with that word, and whether the line has it.
func (l *Line) Clause(word string) (Clause, bool) {
	for _, c := range l.Clauses {
		if c.Word == word {
			return c, true
		}
	}
	return Clause{}, false
}

// A Segment is one name of a chain such as `Accounts/Invoices/`.
type Segment struct {
	Text string
	Pos  Pos
}

// Segments splits the line's name at the slashes outside of slots. Slashed
// reports whether the name ends in one.
func (l *Line) Segments() (segments []Segment, slashed bool) {
	pos := l.Pos()
	rest := l.Name
	for {
		i := indexOutside(rest, '/')
		if i < 0 {
			break
		}
		segments = append(segments, Segment{rest[:i], pos})
		pos.Column += width(rest[:i+1])
		if rest = rest[i+1:]; rest == "" {
			return segments, true
		}
	}
	return append(segments, Segment{rest, pos}), false
}

// String returns the text of the file. Of a file that was only read, that is
// the text it was read from, byte for byte.
func (f *File) String() string {
	var b strings.Builder
	if f.bom {
		b.WriteString(bom)
	}
	if f.Header != nil && !f.Header.astray {
		b.WriteString(f.Header.open + f.Header.Text + f.Header.close)
	}
	for _, l := range f.Lines {
		b.WriteString(l.String())
	}
	return b.String()
}

// String returns the line as it stands in the text, its line break included.
func (l *Line) String() string {
	var b strings.Builder
	b.WriteString(l.Indent + l.Name)
	if l.Kind == Part {
		b.WriteByte(':')
	}
	for _, c := range l.Clauses {
		b.WriteString(c.Lead + c.Word + c.Colon + c.Text)
	}
	b.WriteString(l.End)
	return b.String()
}
