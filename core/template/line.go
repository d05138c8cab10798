package template

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"vestibula/core/condition"
	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"

	"github.com/bmatcuk/doublestar/v4"
)

// A Line is a line of the outline with what it means: ready to be repeated, filled,
// and found again in a real folder. A line of a part is there once for each place
// where the part is used.
type Line struct {
	Syntax *outline.Line
	From   int32           // what its nodes are known by in trees, from 1: see [Template.LineOf]
	Names  []*pattern.Name // more than one for a chain
	Kind   tree.Kind
	Marks  tree.Marks
	Each   *loop
	When   condition.Condition
	Note   string // what it is for, or empty
	Worth  int    // the points that a delivery gives, or 0
	Carry  Carry
	// What comes to lie in the folder: files that read under one of some naming
	// conventions, of some kinds, with some endings, or that come from some paths.
	Holds   []*Convention
	Kinds   []string // of [FileKinds]
	Endings []string // in small letters, without the dot
	Shapes  []string // of names, such as IMG_*.heic, in small letters
	Sources []string // patterns for paths in a source, such as PROXY/**/*.mp4
	Was     []Former // what it was called before

	varied  bool // what lies inside repeats by this line's item
	number  int  // what <#> begins with
	fixed   bool
	starter *starter
	link    *target
	guide   bool
	due     *loop // the date of `due`, as the end of a range; nil where it has none
	inside  *block
}

// A Carry says what becomes of a line when its project is carried forward to its
// next period.
type Carry uint8

// What becomes of lines.
const (
	Unsaid Carry = iota // what the innermost line around it says, or nothing
	Copies
	Moves
)

// A Former is a former name of a line, or its former path in the project.
type Former struct {
	Names []*pattern.Name // one for each name between slashes
	Path  bool            // it was written with a slash

	at    outline.Pos
	width int
}

// Pointers are the endings of small files that only point to something: a document online, an address, another file. They
// move and are named as files; that two hold the same says nothing, and nothing is filled into them.
var Pointers = strings.Fields("url webloc website lnk desktop gdoc gsheet gslides gdraw gform gtable gsite gmap gjam glink gscript")

// FileKinds are the kinds of files that `holds` names, with the endings of each.
var FileKinds = map[string][]string{
	"pictures":  strings.Fields("jpg jpeg png gif tif tiff bmp webp heic heif raw dng cr2 cr3 nef arw orf rw2 raf srw svg psd xcf kra ai eps"),
	"sound":     strings.Fields("wav aif aiff flac mp3 m4a aac ogg oga opus wma mid midi"),
	"video":     strings.Fields("mp4 mov avi mkv m4v mpg mpeg mts m2ts webm wmv mxf 3gp"),
	"documents": strings.Fields("pdf doc docx odt rtf txt md pages tex epub ppt pptx odp key"),
	"tables":    strings.Fields("xls xlsx xlsm ods csv tsv numbers"),
	"archives":  strings.Fields("zip tar gz tgz bz2 xz 7z rar"),
}

// HoldsAnything reports whether the line says what comes to lie in its folder.
func (l *Line) HoldsAnything() bool {
	return len(l.Holds)+len(l.Kinds)+len(l.Endings)+len(l.Shapes) > 0
}

// HoldsText says what the folder holds, as it is written in the template.
func (l *Line) HoldsText() string {
	clause, _ := l.Syntax.Clause("holds")
	return clause.Text
}

// Takes reports whether files with an ending, given in small letters, are among the
// kinds and endings that the folder holds. A convention rules the endings in its `for`: of these, a
// name has to read by it.
func (l *Line) Takes(ending string) bool {
	if slices.ContainsFunc(l.Holds, func(c *Convention) bool { return slices.Contains(c.For, ending) }) {
		return false
	}
	return slices.Contains(l.Endings, ending) || slices.ContainsFunc(l.Kinds, func(kind string) bool { return slices.Contains(FileKinds[kind], ending) })
}

// TakesFile reports whether a file of a name is among the kinds, endings and shapes that the folder
// holds: see [Line.Takes].
func (l *Line) TakesFile(name string) bool { return l.Takes(endingOf(name)) || l.Shaped(name) }

// Shaped reports whether a name has one of the shapes that the folder holds.
func (l *Line) Shaped(name string) bool {
	return slices.ContainsFunc(l.Shapes, func(shape string) bool {
		fits, err := doublestar.Match(shape, strings.ToLower(name))
		return fits && err == nil
	})
}

func endingOf(name string) string { return strings.ToLower(tree.Extension(name)) }

// Repeats says how the line is repeated: the name of the item, and the fields that its
// number comes from: a list, or the ends of a range. They are empty where there is none.
func (l *Line) Repeats() (item, list, first, last string) {
	if l.Each == nil {
		return "", "", "", ""
	}
	e := l.Each
	return e.name, e.of, e.from.of, e.to.of
}

// Span says of a line that repeats from one time to another, what its item is called and of which
// type it is, and the fields that the ends come from.
func (l *Line) Span() (item string, of *value.Type, from, to []string) {
	if l.Each == nil || !l.Each.typ.Kind.Calendar() {
		return "", nil, nil, nil
	}
	slots := func(e *end) []string {
		switch {
		case e.of != "":
			return []string{e.of}
		case e.name != nil:
			return e.name.Pattern.Slots()
		}
		return nil
	}
	return l.Each.name, l.Each.typ, slots(&l.Each.from), slots(&l.Each.to)
}

// LaterOf returns the first line for later whose name shows a field, or nil.
func (t *Template) LaterOf(f *Field) *Line {
	for _, l := range t.Lines {
		if l.Marks&tree.Later != 0 && slices.ContainsFunc(l.Names, func(n *pattern.Name) bool { return slices.Contains(n.Pattern.Slots(), f.Name) }) {
			return l
		}
	}
	return nil
}

// Guides reports whether the line is the page of the template for those who join.
func (l *Line) Guides() bool { return l.guide }

// OfList reports whether the line repeats for the items of a list.
func (l *Line) OfList() bool { return l.Each != nil && l.Each.of != "" }

// Inside returns the lines that lie in the folder.
func (l *Line) Inside() []*Line {
	if l.inside == nil {
		return nil
	}
	return l.inside.entries
}

// Top returns the lines at the left edge.
func (t *Template) Top() []*Line { return t.top.entries }

// A block is the lines directly inside a folder.
type block struct {
	entries  []*Line
	numbered bool // some name holds <#>
	fixed    bool // some line has a number of its own
	bare     bool // some <#> has no form
	chained  bool // some line is a chain
}

// LineOf returns the line that a node of a tree comes from, or nil.
func (t *Template) LineOf(n *tree.Node) *Line {
	if n.From < 1 || int(n.From) > len(t.Lines) {
		return nil
	}
	return t.Lines[n.From-1]
}

// NameOf returns the pattern that a node's name was made by; nil where no line makes it.
func (t *Template) NameOf(n *tree.Node) *pattern.Name {
	l := t.LineOf(n)
	if l == nil || int(n.Nth) >= len(l.Names) {
		return nil
	}
	return l.Names[n.Nth]
}

// ClausesOf returns the line whose clauses speak of a node, or nil: of a line with slashes, they
// speak of its last folder, and the others only lead there.
func (t *Template) ClausesOf(n *tree.Node) *Line {
	l := t.LineOf(n)
	if l == nil || int(n.Nth) < len(l.Names)-1 {
		return nil
	}
	return l
}

// was reads a `was` clause: a former name, or a former path.
func (c *compiler) was(s *scope, e *Line, clause outline.Clause) {
	at := e.Syntax.TextPos(clause)
	former := Former{Path: strings.Contains(clause.Text, "/"), at: at, width: utf8.RuneCountInString(clause.Text)}
	text := strings.TrimSuffix(clause.Text, "/")
	if strings.HasPrefix(text, "/") { // at the project's top
		text = text[1:]
		at.Column++
	}
	for name := range strings.SplitSeq(text, "/") {
		former.Names = append(former.Names, c.name(s, e.Syntax, outline.Segment{Text: strings.TrimSpace(name), Pos: at}))
		at.Column += utf8.RuneCountInString(name) + 1
	}
	e.Was = append(e.Was, former)
}

// formers says where one thing is to have become two: lines beside each other that had
// one name, or any that had one path. Of lines that are there under conditions, it may
// be the one or the other.
func (c *compiler) formers(b *block, paths map[string]*Line) {
	names := map[string]*Line{}
	for _, e := range b.entries {
		for i := range e.Was {
			was := &e.Was[i]
			var parts []string
			for _, n := range was.Names {
				parts = append(parts, tree.Folded(n.Pattern.Source))
			}
			known, key := names, strings.Join(parts, "/")
			if was.Path {
				known = paths
			}
			first := known[key]
			switch {
			case first == nil:
				known[key] = e
			case first.Syntax == e.Syntax || first.When != nil && e.When != nil:
			default:
				c.fail(was.at, was.width, fmt.Sprintf("line %d says so as well, and one thing cannot become two", first.Syntax.Number), "leave it at the line that takes over what is there")
			}
		}
		if e.inside != nil {
			c.formers(e.inside, paths)
		}
	}
}
