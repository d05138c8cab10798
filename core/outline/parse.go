package outline

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

const bom = "\uFEFF"

// clauseWords are the words that can begin a clause, and whether each takes a
// text: 1 it must, 0 it may, -1 it must not.
var clauseWords = map[string]int{
	"each": 1, "when": 1, "copy": 1, "fill": 1, "blank": -1, "guide": -1, "link": 1, "due": 0, "worth": 1, "holds": 1,
	"carry": 0, "was": 1, "use": 1, "number": 1, "later": -1, "keep": -1, "project": -1, "note": 1,
}

// Words returns the words that can begin a clause, in the order of the
// language reference.
func Words() []string {
	return []string{"each", "when", "copy", "fill", "blank", "guide", "link", "due", "worth", "holds", "carry", "was", "use", "number", "later", "keep", "project", "note"}
}

// Parse reads a template. The file is returned even where there are errors, as
// far as it could be understood; the error is then an [Errors] with all of
// them.
func Parse(text string) (*File, error) {
	p := &parser{file: &File{}}
	if len(text) > MaxBytes {
		p.fail(Pos{1, 1}, 1, "this template is larger than %d MB", "leave starter texts to files of their own and use `copy` or `fill`", MaxBytes>>20)
		return p.file, p.errs
	}
	p.split(text)
	p.nest()
	if len(p.errs) > 0 {
		return p.file, p.errs.Sorted()
	}
	return p.file, nil
}

type parser struct {
	file  *File
	errs  Errors
	used  rune // the space or tab that this file is indented with
	mixed bool // it has both, and that was told
}

func (p *parser) fail(at Pos, width int, message, help string, args ...any) {
	p.errs = append(p.errs, &Error{Pos: at, Width: max(width, 1), Message: fmt.Sprintf(message, args...), Help: help})
}

// split takes header and lines apart.
func (p *parser) split(text string) {
	if rest, found := strings.CutPrefix(text, bom); found {
		text, p.file.bom = rest, true
	}
	lines := slices.Collect(strings.Lines(text))
	n := p.header(lines)
	for ; n < len(lines); n++ {
		p.file.Lines = append(p.file.Lines, p.line(lines[n], n+1))
	}
}

// line reads one line, without its place in the tree.
func (p *parser) line(text string, number int) *Line {
	l := &Line{Number: number}
	h := p.file.Header
	if h != nil && h.astray && number >= h.from && number <= h.to {
		l.Kind, l.Name = Comment, text
		return l
	}
	body := strings.TrimRightFunc(text, unicode.IsSpace)
	l.End = text[len(body):]
	trimmed := strings.TrimLeftFunc(body, unicode.IsSpace)
	l.Indent, body = body[:len(body)-len(trimmed)], trimmed
	l.Name = body
	switch {
	case body == "":
		return l
	case len(body) > MaxLine:
		p.fail(l.Pos(), 1, "this line has more than %d bytes", "no system takes a name that long", MaxLine)
		return l
	case !utf8.ValidString(body):
		bad := strings.IndexFunc(body, func(r rune) bool { return r == utf8.RuneError })
		p.fail(Pos{number, 1 + width(l.Indent) + width(body[:bad])}, 1, "this character is not valid text", "save the template as UTF-8")
		return l
	case strings.HasPrefix(body, "//"):
		l.Kind = Comment
		return l
	}
	if word, found := strings.CutSuffix(body, ":"); found && l.Indent == "" && isWord(word) {
		l.Kind, l.Name = Part, word
		return l
	}
	l.Kind = Entry
	p.entry(l, body)
	return l
}

// entry takes the name and the clauses of a line apart.
func (p *parser) entry(l *Line, body string) {
	name, column, rest := body, 1+width(l.Indent), ""
	if i := indexOutside(body, '|'); i >= 0 {
		name, rest = body[:i], body[i:]
	}
	l.Name = strings.TrimRightFunc(name, unicode.IsSpace)
	gap := name[len(l.Name):]
	column += width(l.Name)
	for rest != "" {
		var c Clause
		text := strings.TrimLeftFunc(rest[1:], unicode.IsSpace)
		c.Lead = gap + rest[:len(rest)-len(text)]
		c.Column = column + width(c.Lead)
		if end := indexOutside(text, '|'); end >= 0 && !isNote(text) {
			text, rest = text[:end], text[end:]
		} else {
			rest = ""
		}
		p.clause(l, &c, text)
		written := width(c.Lead + c.Word + c.Colon + c.Text)
		gap = strings.TrimPrefix(text, c.Word+c.Colon+c.Text)
		column += written
		l.Clauses = append(l.Clauses, c)
	}
	_, uses := l.Clause("use")
	_, when := l.Clause("when")
	if l.Name == "" && (!uses || len(l.Clauses) > 2 || len(l.Clauses) == 2 && !when) {
		p.fail(l.Pos(), 1, "there is no name in front of this clause", "write the name of the folder first; only `| use: PART` can stand alone, with `when:` or without")
	}
}

// isNote reports whether a clause is a note, whose text runs to the end of the
// line, bars included.
func isNote(text string) bool {
	word, _, found := strings.Cut(text, ":")
	return found && strings.TrimRightFunc(word, unicode.IsSpace) == "note"
}

func (p *parser) clause(l *Line, c *Clause, text string) {
	text = strings.TrimRightFunc(text, unicode.IsSpace)
	word, value, colon := strings.Cut(text, ":")
	c.Word = strings.TrimRightFunc(word, unicode.IsSpace)
	if colon {
		c.Text = strings.TrimLeftFunc(value, unicode.IsSpace)
		c.Colon = text[len(c.Word) : len(text)-len(c.Text)]
	}
	at := Pos{l.Number, c.Column}
	takes, known := clauseWords[c.Word]
	switch {
	case c.Word == "":
		p.fail(at, 1, "there is nothing behind this bar", "remove it, or write a clause such as `note: what it is for`")
	case !known:
		p.fail(at, width(c.Word), "there is no clause \"%s\"", Meant(c.Word, Words(), "the clauses are "+strings.Join(Words(), ", ")), c.Word)
	case takes > 0 && c.Text == "":
		p.fail(at, width(c.Word), "`%s` needs something behind a colon", "", c.Word)
	case takes < 0 && colon:
		p.fail(at, width(c.Word), "`%s` stands alone", fmt.Sprintf("remove what follows it: `| %s`", c.Word), c.Word)
	}
	if _, twice := l.Clause(c.Word); twice && known && c.Word != "was" {
		p.fail(at, width(c.Word), "`%s` stands twice in this line", "", c.Word)
	}
}

// indented tells, once, that a line is indented with other signs than those above.
func (p *parser) indented(l *Line) {
	for i, r := range l.Indent {
		if r != '\t' {
			r = ' '
		}
		if p.used == 0 {
			p.used = r
		}
		if r != p.used && !p.mixed {
			p.mixed = true
			p.fail(Pos{l.Number, 1 + i}, 1, "this line is indented with %s, but the lines above with %s", "use one of them in the whole file", spaceName(r), spaceName(p.used))
		}
	}
}

// nest puts each line into the line that it lies in.
func (p *parser) nest() {
	type level struct {
		indent int
		line   *Line // nil for the top level
	}
	var open []level
	for _, l := range p.file.Lines {
		if l.Kind != Entry && l.Kind != Part {
			continue
		}
		p.indented(l)
		indent := width(l.Indent)
		if len(open) == 0 {
			open = []level{{indent, nil}}
		}
		back := false
		for len(open) > 1 && indent < open[len(open)-1].indent {
			open, back = open[:len(open)-1], true
		}
		top := &open[len(open)-1]
		switch {
		case l.Kind == Part:
			p.file.Parts = append(p.file.Parts, l)
			open = []level{{0, nil}, {-1, l}}
			continue
		case top.indent == -1: // the first line of a part
			if indent == 0 {
				open = open[:1]
			} else {
				top.indent = indent
			}
		case indent > top.indent && back:
			if !p.mixed {
				p.fail(l.Pos(), 1, "this line stands between two levels", "indent it as far as the line whose neighbour it is")
			}
		case indent > top.indent:
			if len(open) > MaxDepth {
				p.fail(l.Pos(), 1, "folders lie more than %d deep here", "no system takes that", MaxDepth)
				return
			}
			open = append(open, level{indent, lastIn(p.file, top.line)})
		case indent < top.indent:
			p.fail(l.Pos(), 1, "this line is indented less than the first one", "indent it as far as the line whose neighbour it is")
		}
		l.Level = len(open) - 1
		if parent := open[len(open)-1].line; parent != nil {
			parent.Children = append(parent.Children, l)
		} else {
			p.file.Entries = append(p.file.Entries, l)
		}
	}
}

// lastIn returns the line that was last put into parent, or into the top level.
func lastIn(f *File, parent *Line) *Line {
	lines := f.Entries
	if parent != nil {
		lines = parent.Children
	}
	if len(lines) == 0 {
		return parent
	}
	return lines[len(lines)-1]
}

func spaceName(r rune) string {
	if r == '\t' {
		return "tabs"
	}
	return "spaces"
}

// indexOutside returns the index of the first c in s that is not between < and
// >, or -1. A < that is never closed does not count as one.
func indexOutside(s string, c byte) int {
	for i := 0; i < len(s); i++ {
		switch s[i] {
		case c:
			return i
		case '<':
			if end := strings.IndexAny(s[i+1:], "<>|"); end >= 0 && s[i+1+end] == '>' {
				i += end + 1
			}
		}
	}
	return -1
}

func isWord(s string) bool {
	if s == "" {
		return false
	}
	for i, r := range s {
		if !unicode.IsLetter(r) && (i == 0 || !unicode.IsDigit(r) && r != '-' && r != '_') {
			return false
		}
	}
	return true
}

// IsWord reports whether s can name a field, a part or a naming convention: a
// letter, then letters, digits, hyphens and underscores.
func IsWord(s string) bool { return isWord(s) }

func width(s string) int { return utf8.RuneCountInString(s) }
