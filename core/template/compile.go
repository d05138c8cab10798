package template

import (
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A scope is the loops around a line, the innermost first.
type scope struct {
	outer *scope
	loop  *loop
	depth int
	entry *Line
}

type compiler struct {
	t        *Template
	errs     outline.Errors
	parts    map[string]*outline.Line
	using    []string // the parts being compiled, for finding circles
	used     map[string]bool
	inSource bool     // a slot found now decides how often something is repeated
	later    int      // how many lines around are for later
	misnamed []string // names of fields that were told to be none
	blind    bool     // the header cannot be read: its fields are not known
}

// Parse reads a template. Name is that of its file, for messages. Starters is
// the folder that `copy` and `fill` take files from; it must not lead outside
// of that folder (an [os.Root]'s FS does not), and may be nil. The error is an
// [outline.Errors] with all that is wrong.
func Parse(name, text string, starters fs.FS) (*Template, error) {
	file, err := outline.Parse(text)
	c := &compiler{
		t:     &Template{Name: name, Text: text, file: file, starters: starters},
		parts: map[string]*outline.Line{}, used: map[string]bool{},
	}
	if err != nil {
		c.errs = err.(outline.Errors)
	}
	if file.Header != nil {
		c.header(file.Header)
	}
	c.later++ // what a field is made from is needed where that field is
	c.made()
	c.later--
	c.laterFields(file)
	c.outline(file)
	c.ownFolder()
	c.within()
	c.counting()
	for _, f := range c.t.Fields {
		if f.needed && f.Made() && len(c.errs) == 0 {
			for _, g := range c.t.Ingredients(f) {
				g.needed = true
			}
		}
	}
	c.errs = slices.DeleteFunc(c.errs, func(e *outline.Error) bool { // what the header would have said is no mistake of the outline
		return e.Lacks != "" && (c.blind || slices.Contains(c.misnamed, e.Lacks))
	})
	if len(c.errs) > 0 {
		return nil, c.errs.Sorted()
	}
	c.t.Warnings = c.t.Warnings.Sorted()
	return c.t, nil
}

func (c *compiler) fail(at outline.Pos, width int, message, help string) {
	c.errs = append(c.errs, &outline.Error{Pos: at, Width: max(width, 1), Message: message, Help: help})
}

// failLacking tells that something is named that the header does not have.
func (c *compiler) failLacking(at outline.Pos, width int, what, name, help string) {
	c.errs = append(c.errs, &outline.Error{Pos: at, Width: max(width, 1), Message: fmt.Sprintf("there is no %s \"%s\"", what, name), Help: help, Lacks: name})
}

func (c *compiler) warn(at outline.Pos, width int, message, help string) {
	c.t.Warnings = append(c.t.Warnings, &outline.Error{Pos: at, Width: max(width, 1), Message: message, Help: help})
}

// want reports whether a node is of a kind, and says so where it is not.
func (c *compiler) want(n *Node, kind NodeKind, key, like string) bool {
	if n.Kind == kind {
		return true
	}
	if kind == Mapping && n.Kind == Scalar {
		c.blind = true
	}
	if kind == Mapping && n.Kind == Scalar && strings.ContainsAny(n.Text, " :") {
		if e := mistake(n.Text); e != nil {
			c.fail(outline.Pos{Line: n.Line + e.Line - 1, Column: n.Column + e.Column - 1}, e.Width, e.Message, e.Help)
			return false
		}
	}
	words := [...]string{"a text", "a list", "keys with values", "something"}
	c.fail(n.Pos, n.width(), fmt.Sprintf("`%s` needs %s, not %s", key, words[kind], [...]string{"a text", "a list", "keys with values", "nothing"}[n.Kind]), "for example "+strings.ReplaceAll(like, "\n", " "))
	return false
}

func (c *compiler) unknownKey(p Pair, where string, known []string) {
	help := outline.Meant(p.Key, known, "the keys are "+strings.Join(known, ", "))
	switch {
	case p.Value.Kind == Null && strings.ContainsAny(p.Key, " ?!.,") && p.Value.Line == p.KeyPos.Line:
		help = "between braces a comma ends a text: put the whole text in quotes"
	case where == "field" && slices.Contains(conventionKeys, p.Key):
		help = "it belongs to a naming convention: those stand under names:, beside fields:"
	case where == "convention" && slices.Contains(fieldKeys, p.Key):
		help = "it belongs to a field: those of a convention stand in its own fields:"
	}
	c.fail(p.KeyPos, p.KeyWidth, fmt.Sprintf("there is no key \"%s\" in a %s", p.Key, where), help)
}

func (c *compiler) header(h *outline.Header) {
	root, errs := ParseYAML(h.Text, h.Line)
	c.errs = append(c.errs, errs...)
	c.blind = root == nil
	if c.blind || !c.want(root, Mapping, "---", "title: Bookbinding commission") {
		c.blind = true
		return
	}
	var names *Node
	for _, p := range root.Pairs {
		if p.Key == "language" && c.want(p.Value, Scalar, p.Key, "language: de") {
			if !slices.Contains(pattern.Languages(), p.Value.Text) {
				c.fail(p.Value.Pos, p.Value.width(), fmt.Sprintf("no language \"%s\" is known", p.Value.Text), "they are "+strings.Join(pattern.Languages(), ", "))
			}
			c.t.Language = p.Value.Text
		}
	}
	for _, p := range root.Pairs {
		switch p.Key {
		case "language": // fields are named in it, and so it came first
		case "title":
			if c.want(p.Value, Scalar, p.Key, "title: Bookbinding commission") {
				c.t.Title = p.Value.Text
			}
		case "about":
			if c.want(p.Value, Scalar, p.Key, "about: One folder for each commission") {
				c.t.About = p.Value.Text
			}
		case "fields":
			c.fields(p.Value)
		case "rules":
			c.rules(p.Value)
		case "names":
			names = p.Value
		case "ignore":
			if p.Value.Kind != Scalar && p.Value.Kind != Sequence {
				c.want(p.Value, Sequence, p.Key, "ignore: [\"*.tmp\"]")
				continue
			}
			c.t.Ignore = p.Value.Texts()
		case "texts":
			if p.Value.Kind != Scalar && p.Value.Kind != Sequence {
				c.want(p.Value, Sequence, p.Key, "texts: [tex, bib]")
				continue
			}
			for _, ending := range p.Value.Texts() {
				c.t.Texts = append(c.t.Texts, strings.ToLower(strings.TrimPrefix(ending, ".")))
			}
		default:
			c.unknownKey(p, "header", outline.HeaderKeys())
		}
	}
	if names != nil {
		c.conventions(names) // their slots are fields, so they come after these
	}
}

func (c *compiler) rules(n *Node) {
	if n.Kind == Null || !c.want(n, Mapping, "rules", "rules: { depth: 4 }") {
		return
	}
	for _, p := range n.Pairs {
		value := *p.Value
		if as := switched[value.Text]; as != "" && value.Kind == Scalar {
			value.Text = as
		}
		c.t.Rules = append(c.t.Rules, Setting{p.Key, p.KeyPos, p.KeyWidth, &value})
	}
}

// switched are other words by which a rule is turned on or off.
var switched = map[string]string{"yes": "on", "true": "on", "no": "off", "false": "off"}

// outline compiles the entries, and the parts where they are used.
func (c *compiler) outline(file *outline.File) {
	for _, l := range file.Parts {
		if c.parts[l.Name] != nil {
			c.fail(l.Pos(), len(l.Name), fmt.Sprintf("there are two parts called \"%s\"", l.Name), "give one of them another name")
		}
		c.parts[l.Name] = l
		if len(l.Children) == 0 {
			c.fail(l.Pos(), len(l.Name), "this part holds nothing", "indent its lines below it")
		}
	}
	if !c.afford(file) {
		return
	}
	c.t.top = c.block(nil, file.Entries)
	c.formers(c.t.top, map[string]*Line{})
	if len(file.Entries) == 0 && len(c.errs) == 0 {
		line := 1
		if file.Header != nil {
			line = strings.Count(file.Header.Text, "\n") + 2
		}
		c.fail(outline.Pos{Line: line, Column: 1}, 1, "this template has no folders", "write one folder in each line, and indent what lies inside another")
	}
	for _, l := range file.Parts {
		if !c.used[l.Name] {
			c.warn(l.Pos(), len(l.Name), fmt.Sprintf("the part \"%s\" is never used", l.Name), fmt.Sprintf("write `| use: %s` behind a folder, or remove it", l.Name))
			c.block(nil, l.Children)
		}
	}
	for _, f := range c.t.Fields {
		meanings := slices.ContainsFunc(f.Type.Of, func(o value.Option) bool { return o.Meaning != "" })
		if !f.used && f.Default == nil && !meanings { // people sort and find by it, or it is a legend
			c.warn(f.Pos, utf8.RuneCountInString(f.Name), fmt.Sprintf("the field \"%s\" is asked for but never used", f.Name), fmt.Sprintf("write <%s> in a name, or remove the field", f.Name))
		}
	}
}

// laterFields makes fields of naming conventions known to the outline that lines for
// later have slots of.
func (c *compiler) laterFields(file *outline.File) {
	var walk func(lines []*outline.Line, later bool)
	walk = func(lines []*outline.Line, later bool) {
		for _, l := range lines {
			_, here := l.Clause("later")
			if here || later {
				p, _ := pattern.Parse(strings.ReplaceAll(l.Name, "/", " "))
				holds, _ := l.Clause("holds")
				for _, slot := range p.Slots() {
					if c.fieldIndex(slot) < 0 && len(c.t.Fields) < MaxFields {
						c.borrow(slot, holds.Text)
					}
				}
			}
			walk(l.Children, here || later)
		}
	}
	walk(file.Entries, false)
	for _, l := range file.Parts {
		walk(l.Children, false)
	}
}

// borrow adds a field of a naming convention to those of the template: of one that
// the line holds, else of the first that has it.
func (c *compiler) borrow(slot, holds string) {
	var found *Field
	for _, conv := range c.t.Names {
		held := slices.ContainsFunc(strings.Split(holds, ","), func(name string) bool { return strings.TrimSpace(name) == conv.Name })
		for _, f := range conv.Fields {
			if f.Name == slot && (found == nil || held) {
				found = f
			}
		}
	}
	if found != nil {
		own := *found
		own.used, own.Borrowed = true, true
		c.t.Fields = append(c.t.Fields, &own)
	}
}

// ownFolder finds the line of the project's own folder: the one that says `project`,
// else the last of those at the top that hold nothing but one folder.
func (c *compiler) ownFolder() {
	var own []*Line
	var walk func(b *block, repeats bool)
	walk = func(b *block, repeats bool) {
		for _, e := range b.entries {
			repeats := repeats || e.Each != nil
			if e.Marks&tree.Own != 0 {
				own = append(own, e)
				clause, _ := e.Syntax.Clause("project")
				at := outline.Pos{Line: e.Syntax.Number, Column: clause.Column}
				switch {
				case repeats:
					c.fail(at, len("project"), "a build makes one project, and this line repeats", "build each of them by itself, or from a table")
				case len(own) > 1:
					c.fail(at, len("project"), fmt.Sprintf("a template makes one project, and line %d is its own folder already", own[0].Syntax.Number), "leave one of them")
				}
			}
			walk(e.inside, repeats)
		}
	}
	if c.t.top == nil {
		return
	}
	if walk(c.t.top, false); len(own) > 0 {
		c.t.hasOwn = true
		return
	}
	for b := c.t.top; len(b.entries) == 1; b = b.entries[0].inside {
		e := b.entries[0]
		if e.Kind != tree.Folder || e.Each != nil || e.When != nil || e.Marks&tree.Later != 0 {
			break
		}
		if len(e.inside.entries) == 0 && len(own) > 0 && !valued(e.last()) {
			break // an empty folder that is called so everywhere is no project
		}
		own = append(own, e)
	}
	if len(own) > 0 {
		own[len(own)-1].Marks |= tree.Own
		c.t.hasOwn = true
	}
}

// MaxLines is how many lines an outline may have when its parts stand where they
// are used.
const MaxLines = 200_000

// afford counts the lines of the outline with all parts where they are used, before
// any of them is put there, and says where they become too many.
func (c *compiler) afford(file *outline.File) bool {
	sizes := map[string]int{} // of parts; -1 while it is counted, in a circle
	fine := true
	var count func(lines []*outline.Line) int
	count = func(lines []*outline.Line) int {
		n := len(lines)
		for _, l := range lines {
			n += count(l.Children)
			clause, ok := l.Clause("use")
			for name := range strings.SplitSeq(clause.Text, ",") {
				part := c.parts[strings.TrimSpace(name)]
				if !ok || part == nil || sizes[part.Name] < 0 {
					continue
				}
				size, known := sizes[part.Name]
				if !known {
					sizes[part.Name] = -1
					size = count(part.Children)
					sizes[part.Name] = size
				}
				if n = min(n+size, MaxLines+1); n > MaxLines && fine {
					fine = false
					c.fail(l.TextPos(clause), utf8.RuneCountInString(clause.Text), fmt.Sprintf("with all parts in their places this template would have more than %d lines", MaxLines), "use fewer parts inside of parts; what repeats can be written with `each`")
				}
			}
		}
		return n
	}
	count(file.Entries)
	for _, l := range file.Parts {
		count(l.Children)
	}
	return fine
}

func (c *compiler) block(s *scope, lines []*outline.Line) *block {
	b := &block{}
	for _, l := range lines {
		if clause, uses := l.Clause("use"); uses && l.Name == "" {
			c.inPlace(s, b, l, clause)
			continue
		}
		c.put(b, c.entry(s, l))
	}
	return b
}

// inPlace puts the lines of parts into a block, as a line of `use` alone does.
func (c *compiler) inPlace(s *scope, b *block, l *outline.Line, clause outline.Clause) {
	for name := range strings.SplitSeq(clause.Text, ",") {
		name = strings.TrimSpace(name)
		lines := c.part(l.TextPos(clause), name)
		c.using = append(c.using, name)
		inner := c.block(s, lines)
		c.using = c.using[:len(c.using)-1]
		for _, e := range inner.entries {
			if clause, has := l.Clause("when"); has {
				e.When = c.when(s, l, clause).And(e.When)
			}
			c.put(b, e)
		}
	}
}

// put adds a line to a block.
func (c *compiler) put(b *block, e *Line) {
	b.entries = append(b.entries, e)
	if numbered, bare := e.last().Numbered(); numbered {
		b.numbered, b.bare, b.fixed = true, b.bare || bare, b.fixed || e.fixed
	}
	b.chained = b.chained || len(e.Names) > 1
	if e.leads() {
		e.Marks |= tree.Step
	}
}

// leads reports whether a line's folder holds nothing but one folder that a value
// names.
func (e *Line) leads() bool {
	if e.Kind != tree.Folder || e.starter != nil || e.Each != nil || e.inside == nil || len(e.inside.entries) != 1 {
		return false
	}
	only := e.inside.entries[0]
	return only.Kind == tree.Folder && only.Each == nil && valued(only.Names[0])
}

// valued reports whether a value stands in a name.
func valued(name *pattern.Name) bool {
	return slices.ContainsFunc(name.Pattern.Slots(), func(slot string) bool { return slot != pattern.OwnNumber })
}

func (e *Line) last() *pattern.Name { return e.Names[len(e.Names)-1] }

// kind settles whether the line is a folder or a file.
func (c *compiler) kind(e *Line, last outline.Segment, slashed bool) {
	e.Kind = tree.Folder
	l := e.Syntax
	has := func(word string) bool { _, ok := l.Clause(word); return ok }
	fileOnly := ""
	for _, word := range []string{"fill", "blank", "guide"} {
		if has(word) {
			fileOnly = word
		}
	}
	ending := tree.Extension(last.Text)
	folder := slices.ContainsFunc([]string{"use", "holds", "later", "project"}, has)
	if clause, links := l.Clause("link"); links {
		for _, other := range []string{"copy", "fill", "blank", "guide", "due", "use", "holds", "project"} {
			if has(other) {
				c.fail(outline.Pos{Line: l.Number, Column: clause.Column}, len("link"), fmt.Sprintf("a link cannot have `%s`: what it leads to has it", other), "leave one of them out")
				return
			}
		}
		if len(l.Children) > 0 {
			c.fail(outline.Pos{Line: l.Number, Column: clause.Column}, len("link"), "nothing can lie in a link: it lies in what the link leads to", "indent less what is below")
		}
		e.Kind = tree.Symlink
		return
	}
	switch {
	case slashed || len(l.Children) > 0 || has("use"):
		if fileOnly != "" {
			clause, _ := l.Clause(fileOnly)
			c.fail(outline.Pos{Line: l.Number, Column: clause.Column}, len(fileOnly), fmt.Sprintf("`%s` goes with a file, and this is a folder: something lies in it, or its name ends in /", fileOnly), "")
		}
	case fileOnly != "":
		e.Kind = tree.File
	case folder:
	case ending != "":
		e.Kind = tree.File
		if !slices.Contains(commonEndings, strings.ToLower(ending)) {
			c.warn(last.Pos, utf8.RuneCountInString(last.Text), fmt.Sprintf("this line is read as a file, because its name ends in .%s", ending), fmt.Sprintf("if it is a folder, write %s/", last.Text))
		}
	case has("due"):
		e.Kind, e.Marks = tree.File, tree.Either
	}
	if e.Kind == tree.File && !has("due") && !has("copy") && !has("fill") && !has("guide") && slices.Contains(neverEmpty, strings.ToLower(ending)) {
		c.warn(last.Pos, utf8.RuneCountInString(last.Text), fmt.Sprintf("this file would be empty, and an empty .%s cannot be opened", ending), "begin it with `| copy: PATH` from a file of yours")
	}
}

// commonEndings are endings that nobody takes for part of a folder's name.
var commonEndings = strings.Fields(`txt md rtf doc docx dot dotx odt ott pages pdf tex epub csv tsv xls xlsx xlsm xltx ods numbers
	ppt pptx potx odp key jpg jpeg png gif tif tiff bmp svg webp heic raw dng psd ai eps indd afphoto afdesign
	mp3 wav aif aiff flac m4a ogg mp4 mov avi mkv zip tar gz 7z rar html htm css js json xml yaml yml toml ini cfg conf
	log url webloc lnk ics vcf eml msg sql db py go r sh bat ps1 c h cpp java rb ts gpx kml dwg dxf skp step stl obj blend
	folders gitkeep gitignore bib srt psb xcf kra cr2 nef arw`)

// neverEmpty are endings of files that no program opens when they are empty.
var neverEmpty = strings.Fields(`doc docx dotx odt ott pages pdf xls xlsx xlsm xltx ods numbers ppt pptx potx odp key
	jpg jpeg png gif tif tiff bmp webp heic psd ai indd mp3 wav aiff flac m4a mp4 mov avi mkv zip gz 7z rar epub`)
