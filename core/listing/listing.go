// Package listing reads a structure as people write it down, and makes an outline of it:
// drawn trees, bulleted and numbered lists, headings, paths one a line, the columns of a
// table, or plain indented lines. Nothing that was drawing stays in a name.
//
// A line lies in the nearest line before it that begins further to the left: so uneven
// indents are read as they look. It is not for prose: see [ErrNoList].
package listing

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/tree"
)

// Bounds of what is read.
const (
	MaxBytes = 4 << 20
	MaxLines = 50_000
	maxName  = 255 // bytes
	maxDepth = 100
	maxNote  = 300 // characters
)

// ErrNoList says that a text is no list.
var ErrNoList = errors.New("this text is no list of folders: write each in a line of its own, and what lies in it indented below")

// A Form is how a structure is written down.
type Form string

// The forms.
const (
	Tree     Form = "a drawn tree"
	Bullets  Form = "a list with bullets or numbers"
	Headings Form = "headings"
	Paths    Form = "paths, one a line"
	Columns  Form = "the columns of a table"
	Plain    Form = "indented lines"
)

// A Listing is a structure that was read.
type Listing struct {
	Form    Form
	Entries []*Entry
	Count   int      // of all entries
	Changed []string // names that held signs which no name can have, as they are now
	Slots   []string // fields that stand in names, each once
	Left    []string // lines before and after the list, of the letter that it stands in
	// Numbered says that the numbers in front of names are kept as the template's own: several levels
	// have some, or one was skipped. Ordered says that there are any.
	Numbered, Ordered bool
}

// An Entry is a folder or a file.
type Entry struct {
	Name   string
	Folder bool   // it was written as one
	Note   string // what stood beside it
	Number string // what it was numbered by: a number, or a letter
	Inside []*Entry
}

var (
	// boxes are what trees are drawn with: lines, corners and tees of all weights, and
	// what stands for them on a typewriter.
	boxes    = lazily("^[\\s\u00a0│┃┆┇┊┋║╎╏├┝┠┣╠└┕┖┗╚╰┌┍┎┏╔╭┬┯┰┳╦─━┄┅┈┉═╌╍|`]*[│┃┆┇┊┋║╎╏├┝┠┣╠└┕┖┗╚╰┌┍┎┏╔╭┬┯┰┳╦─━┄┅┈┉═╌╍][\\s\u00a0─━┄┅┈┉═╌╍>]*")
	typed    = lazily("^[\\s|]*(?:[|+`\\\\]-{1,4}>?[ \t]|[|+`\\\\]-{2,4}|[|+`\\\\]_{1,4}[ \t]?)")
	beams    = lazily(`^\s*[|│┃║][\s|│┃║]*`) // beside what has no tee of its own
	bullet   = lazily(`^(?:[-–—*+•‣◦▪▫●○■□►▸➔→>»]\s+(?:\[[ xX]\]\s+)?|\[[ xX]\]\s+|☐\s*|☑\s*|✓\s*)`)
	ordinal  = lazily(`^(?:\(?(?:\d{1,3}|[a-zA-Z]|[ivx]{1,5})[.)]\s+)`)
	chapters = lazily(`^(\d{1,3}(?:\.\d{1,3})+)\.?\s+`)
	heading  = lazily(`^(#{1,6})\s+(.*?)\s*#*$`)
	ruler    = lazily(`^\s*\|?\s*:?-{2,}:?\s*(?:\|\s*:?-{2,}:?\s*)*\|?\s*$`)
	summary  = lazily(`^\d[\d,.' ]* (?:director(?:y|ies)|folders?|files?)\b.*$`)
	measure  = lazily(`^\[[^\]]*\]\s{1,2}`)
	icon     = lazily(`^[\x{1F4C1}\x{1F4C2}\x{1F5C2}\x{1F4C4}\x{1F4C3}\x{1F4DD}\x{1F5C3}\x{1F5BF}]\x{FE0F}?\s*`)
	aside    = lazily(`(?:\s{2,}|\t)(?:#|//|<-+|←|--+|–|—|\()?\s*(.*?)\)?\s*$|\s+(?:#|//|←|<--)\s+(.*)$`)
	slots    = lazily(`<([a-z][a-z0-9-]*)(?::[^<>]*)?>`)
	drive    = lazily(`^(?:[A-Za-z]:)?[\\/]`)
)

// Drawn reports whether a text holds what only drawings and lists have, and no outline: a
// person who gives it as a template means something else.
func Drawn(text string) bool {
	drawn, marked, lines := 0, 0, 0
	for line := range strings.Lines(text) {
		bare := strings.TrimSpace(line)
		if bare == "" {
			continue
		}
		if c := bare[0]; c == '<' || c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' { // neither a drawing nor a list begins so
			lines++
			continue
		}
		if ruler().MatchString(line) {
			continue
		}
		lines++
		switch {
		case boxes().MatchString(line) || typed().MatchString(line):
			drawn++
		case bullet().MatchString(bare) || heading().MatchString(bare):
			marked++
		}
	}
	return drawn > 0 || marked*2 > lines
}

// Read reads a text. The error is [ErrNoList], or says for a person what is too much.
func Read(text string) (*Listing, error) {
	if len(text) > MaxBytes {
		return nil, fmt.Errorf("this text holds more than %d MB", MaxBytes>>20)
	}
	text = strings.TrimPrefix(text, "\ufeff")
	text = strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)
	if !utf8.ValidString(text) {
		return nil, errors.New("this is no text in UTF-8: save it as UTF-8 in your editor")
	}
	var lines []string
	var blocks []int // the lines that stand behind an empty one
	for line := range strings.SplitSeq(text, "\n") {
		if strings.TrimSpace(line) == "" || strings.HasPrefix(strings.TrimSpace(line), "```") {
			blocks = append(blocks, len(lines))
			continue
		}
		if lines = append(lines, strings.TrimRightFunc(line, unicode.IsSpace)); len(lines) > MaxLines {
			return nil, fmt.Errorf("this list has more than %d lines", MaxLines)
		}
	}
	if diagram(lines) {
		return nil, ErrDiagram
	}
	lines = uncommented(lines)
	r := &reader{listing: &Listing{}}
	whole := len(lines)
	if lines, r.listing.Left = withoutLetter(lines, blocks); len(lines) == whole {
		lines = withoutTitle(lines, blocks)
	}
	switch form := formOf(lines); form {
	case "":
		return nil, ErrNoList
	case Paths:
		r.paths(lines)
	case Columns:
		r.columns(lines)
	default:
		r.listing.Form = form
		r.indented(lines)
	}
	if r.listing.Count == 0 {
		return nil, ErrNoList
	}
	r.listing.number()
	return r.listing, nil
}

// withoutTitle leaves out what stands above and below a tree of one root, apart from it, in
// a few lines of their own: they say what it is of, and how much.
func withoutTitle(lines []string, blocks []int) []string {
	left := func(list []string) (n int) {
		for _, line := range list {
			if columnOf(line) == 0 && !boxes().MatchString(line) && !typed().MatchString(line) && !(bullet().MatchString(line) && columnOf(line[1:]) > 1) {
				n++
			}
		}
		return n
	}
	from, to := 0, len(lines)
	for _, at := range blocks {
		if at > 0 && at <= 2 && left(lines[:at]) == at {
			from = at
		}
		if n := len(lines) - at; at > from && n > 0 && n <= 3 && left(lines[at:]) == n && to == len(lines) {
			to = at
		}
	}
	if to-from > 1 && left(lines[from:to]) == 1 {
		return lines[from:to]
	}
	return lines
}

// formOf tells how a structure is written down; it is empty for prose.
func formOf(lines []string) Form {
	count := map[Form]int{}
	prose, tabs := 0, 0
	for _, line := range lines {
		bare := strings.TrimSpace(line)
		if strings.Contains(line, "\t") {
			tabs++
		}
		if ruler().MatchString(line) {
			continue
		}
		switch {
		case boxes().MatchString(line) || typed().MatchString(line):
			count[Tree]++
		case heading().MatchString(bare):
			count[Headings]++
		case strings.Contains(bare, "\t") || strings.HasPrefix(bare, "|") && strings.HasSuffix(bare, "|") && len(bare) > 1:
			count[Columns]++
		case bullet().MatchString(bare) || chapters().MatchString(bare) || ordinal().MatchString(bare):
			count[Bullets]++
		case strings.ContainsAny(strings.Trim(bare, `/\`), `/\`) && !strings.Contains(bare, "<"):
			count[Paths]++
		}
		name := aside().ReplaceAllString(bare, "") // what stands beside it may be a sentence
		if words := len(strings.Fields(name)); words > 12 || strings.HasSuffix(name, ".") && words > 5 {
			prose++
		}
	}
	n := len(lines)
	switch {
	case n == 0 || count[Tree] == 0 && prose*2 >= n:
		return ""
	case count[Tree] > 0:
		return Tree
	case count[Headings]*2 >= n || count[Headings] > 0 && count[Headings]+count[Bullets] == n:
		return Headings
	case count[Columns]*2 > n, count[Columns] > 0 && tabs*2 > n:
		return Columns
	case count[Bullets]*2 > n:
		return Bullets
	case count[Paths]*2 > n:
		return Paths
	}
	return Plain
}

type reader struct {
	listing *Listing
	number  string  // what stands in front of the line that is read
	open    []level // the entries that a line may lie in
}

// A level is an entry, and how far to the left it begins.
type level struct {
	at    int
	entry *Entry
}

// tab is how far a tab goes.
const tab = 4

// indented reads trees, lists, headings and plain lines.
func (r *reader) indented(lines []string) {
	under := 0 // the heading that lists stand below
	for i, line := range lines {
		bare := strings.TrimSpace(line)
		if summary().MatchString(bare) && i == len(lines)-1 || bare == "." || ruler().MatchString(line) || strings.Trim(bare, "│┃║|") == "" {
			continue
		}
		at := columnOf(line)
		if h := heading().FindStringSubmatch(bare); h != nil && r.listing.Form == Headings {
			under = len(h[1])
			r.put(under-7, h[2], false) // left of all else
			continue
		}
		rest := line[len(line)-len(strings.TrimLeftFunc(line, unicode.IsSpace)):]
		if drawing := r.drawing(line); drawing > 0 {
			at, rest = width(line[:drawing]), line[drawing:]
		}
		if c := chapters().FindStringSubmatch(rest); c != nil && r.listing.Form == Bullets {
			at += tab * strings.Count(c[1], ".")
			rest = rest[len(c[0]):]
			r.number = c[1][strings.LastIndexByte(c[1], '.')+1:]
		} else if r.listing.Form != Plain {
			mark := bullet().FindString(rest)
			at += max(0, len(mark)-len(strings.TrimRight(mark, " "))-1) // as in lists of what is new
			rest = strings.TrimPrefix(rest, mark)
			if o := ordinal().FindString(rest); o != "" {
				rest = rest[len(o):]
				r.number = strings.Trim(o, "(). \t\u00a0")
			}
		}
		r.put(at, rest, false)
	}
}

// drawing is how much of a line, in bytes, is drawn.
func (r *reader) drawing(line string) int {
	if r.listing.Form != Tree {
		return 0
	}
	for _, form := range []*regexp.Regexp{boxes(), typed(), beams()} {
		if found := form.FindString(line); found != "" {
			return len(found)
		}
	}
	return 0
}

func columnOf(line string) int {
	return width(line[:len(line)-len(strings.TrimLeftFunc(line, unicode.IsSpace))])
}

func width(s string) (n int) {
	for _, c := range s {
		if n++; c == '\t' {
			n += tab - 1
		}
	}
	return n
}

// put adds an entry at a column.
func (r *reader) put(at int, text string, folder bool) {
	name, note, slashed := r.name(text)
	number := r.number
	r.number = ""
	if name == "" {
		return
	}
	for len(r.open) > 0 && (r.open[len(r.open)-1].at >= at || len(r.open) >= maxDepth) {
		r.open = r.open[:len(r.open)-1]
	}
	beside := r.listing.Entries
	if len(r.open) > 0 {
		beside = r.open[len(r.open)-1].entry.Inside
	}
	i := slices.IndexFunc(beside, func(e *Entry) bool { return e.Name == name })
	if i < 0 { // else it stands there twice, and is one
		r.add(&Entry{Name: name, Note: note, Number: number})
		if i = len(beside); len(r.open) > 0 {
			beside = r.open[len(r.open)-1].entry.Inside
		} else {
			beside = r.listing.Entries
		}
	}
	beside[i].Folder = beside[i].Folder || folder || slashed
	r.open = append(r.open, level{at, beside[i]})
}

// add adds an entry to the one that is open.
func (r *reader) add(e *Entry) {
	r.listing.Count++
	if len(r.open) == 0 {
		r.listing.Entries = append(r.listing.Entries, e)
		return
	}
	in := r.open[len(r.open)-1].entry
	in.Inside = append(in.Inside, e)
}

// name takes from a text what is no name: icons, sizes, notes beside it, where a link
// leads, emphasis, and the colon of a heading.
func (r *reader) name(text string) (name, note string, folder bool) {
	text = strings.TrimSpace(text)
	for _, form := range []*regexp.Regexp{measure(), icon()} {
		text = strings.TrimPrefix(text, form.FindString(text))
	}
	if at := strings.Index(text, " -> "); at > 0 {
		text = text[:at]
	}
	if found := aside().FindStringSubmatchIndex(text); found != nil && found[0] > 0 {
		for _, k := range []int{2, 4} {
			if found[k] >= 0 {
				note = strings.TrimSpace(text[found[k]:found[k+1]])
			}
		}
		text = text[:found[0]]
	}
	text = strings.TrimSpace(text)
	for _, mark := range []string{"**", "__", "`", "*", "\""} {
		if len(text) > 2*len(mark) && strings.HasPrefix(text, mark) && strings.HasSuffix(text, mark) {
			text = text[len(mark) : len(text)-len(mark)]
		}
	}
	text = strings.TrimSuffix(text, ":")
	bare := strings.TrimRight(text, `/\`)
	folder = bare != text
	name = r.plain(bare)
	return name, plainNote(note), folder
}

// plain is a name that an outline can have: signs that no name can hold become hyphens, but
// for slots.
func (r *reader) plain(name string) string {
	var b strings.Builder
	rest := name
	for rest != "" {
		found := slots().FindStringSubmatchIndex(rest)
		end := len(rest)
		if found != nil {
			end = found[0]
		}
		b.WriteString(strings.Map(func(c rune) rune {
			switch {
			case strings.ContainsRune(`"*?`, c):
				return -1
			case strings.ContainsRune(`<>|/\:`, c) || c == unicode.ReplacementChar:
				return '-'
			case unicode.IsControl(c):
				return ' '
			}
			return c
		}, strings.ReplaceAll(rest[:end], ": ", " - ")))
		if found == nil {
			break
		}
		b.WriteString(rest[found[0]:found[1]])
		if field := rest[found[2]:found[3]]; !slices.Contains(r.listing.Slots, field) {
			r.listing.Slots = append(r.listing.Slots, field)
		}
		rest = rest[found[1]:]
	}
	out := strings.Join(strings.Fields(b.String()), " ")
	for len(out) > maxName-55 { // room for what a slot becomes
		_, n := utf8.DecodeLastRuneInString(out)
		out = strings.TrimSpace(out[:len(out)-n])
	}
	if strings.Trim(out, ". -") == "" {
		return ""
	}
	if out = strings.TrimRight(out, ". -"); out != strings.Join(strings.Fields(name), " ") && len(r.listing.Changed) < 100 {
		r.listing.Changed = append(r.listing.Changed, out)
	}
	return out
}

func plainNote(note string) string {
	if r := []rune(note); len(r) > maxNote {
		note = string(r[:maxNote]) + "…"
	}
	return strings.Join(strings.Fields(strings.Map(func(c rune) rune {
		if unicode.IsControl(c) {
			return ' '
		}
		return c
	}, strings.ReplaceAll(note, "|", "-"))), " ")
}

// Text is the outline, with a header for the fields that stand in names.
func (l *Listing) Text(title string) string {
	var b strings.Builder
	if len(l.Slots) > 0 {
		b.WriteString("---\n")
		if title != "" {
			b.WriteString("title: " + outline.Quoted(title) + "\n")
		}
		b.WriteString("fields:\n")
		for _, s := range l.Slots {
			b.WriteString("  " + s + ": " + outline.Quoted(outline.Question(s)) + "\n")
		}
		b.WriteString("---\n")
	}
	l.write(&b, l.Entries, 0)
	return b.String()
}

func (l *Listing) write(b *strings.Builder, list []*Entry, depth int) {
	for _, e := range list {
		b.WriteString(strings.Repeat("    ", depth))
		if l.Numbered && e.Number != "" {
			b.WriteString("<#> ")
		}
		b.WriteString(e.Name)
		if len(e.Inside) == 0 && e.Folder && tree.Extension(e.Name) != "" {
			b.WriteByte('/')
		}
		if e.Note != "" {
			b.WriteString(" | note: " + e.Note)
		}
		b.WriteByte('\n')
		l.write(b, e.Inside, depth+1)
	}
}

// lazily compiles an expression when it is needed: most runs need none.
func lazily(expression string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })
}
