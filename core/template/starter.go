package template

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"unicode/utf8"

	"vestibula/core/digest"
	"vestibula/core/office"
	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// MaxFill is the largest text, in bytes, that `fill` takes.
const MaxFill = 4 << 20

// A starter is the file or folder of a `copy` or `fill` clause.
type starter struct {
	fill  bool
	at    outline.Pos
	width int
	path  []*pattern.Name // one for each name between slashes
	scope *scope
	texts map[string]*fill // texts already taken apart, by path
	kinds map[string]error // paths already looked at
}

func (c *compiler) starter(s *scope, e *Line, clause outline.Clause) *starter {
	st := &starter{
		fill: clause.Word == "fill", at: e.Syntax.TextPos(clause), width: utf8.RuneCountInString(clause.Text),
		scope: s, texts: map[string]*fill{}, kinds: map[string]error{},
	}
	text := clause.Text
	switch {
	case strings.ContainsRune(text, '\\'):
		c.fail(st.at, st.width, "this path holds a backslash", "write / between folders")
		return st
	case strings.HasPrefix(text, "/") || len(text) > 1 && text[1] == ':':
		c.fail(st.at, st.width, "this path does not begin in the template's own folder", "put the file beside the template, and write its path from there")
		return st
	}
	constant, column := true, st.at.Column
	for seg := range strings.SplitSeq(text, "/") {
		if seg == ".." || seg == "." || seg == "" {
			c.fail(outline.Pos{Line: st.at.Line, Column: column}, len(seg), "a path cannot hold "+fmt.Sprintf("\"%s\"", seg)+": it must stay in the template's own folder", "put the file beside the template")
			return st
		}
		name := c.name(s, e.Syntax, outline.Segment{Text: seg, Pos: outline.Pos{Line: st.at.Line, Column: column}})
		constant = constant && name.Constant()
		st.path = append(st.path, name)
		column += utf8.RuneCountInString(seg) + 1
	}
	if constant {
		if _, err := c.t.inspect(st, text, e.Kind); err != nil {
			c.fail(st.at, st.width, err.Error(), "")
		} else if st.fill {
			c.markUsed(st, text)
		}
	}
	return st
}

// inspect says what is wrong with the starter at a path, and returns the text to
// fill, taken apart. Several trees may be made of one template at a time.
func (t *Template) inspect(st *starter, name string, kind tree.Kind) (*fill, error) {
	t.inspecting.Lock()
	defer t.inspecting.Unlock()
	err, known := st.kinds[name]
	if !known {
		err = t.inspectNow(st, name, kind)
		st.kinds[name] = err
	}
	return st.texts[name], err
}

func (t *Template) inspectNow(st *starter, name string, kind tree.Kind) error {
	if t.starters == nil {
		return fmt.Errorf("there is no folder to take \"%s\" from", name)
	}
	info, err := fs.Stat(t.starters, name)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return fmt.Errorf("there is no \"%s\" beside the template", name)
	case err != nil:
		return fmt.Errorf("\"%s\" cannot be used: it is a link that leads out of the template's folder, or it cannot be read", name)
	case info.IsDir() && kind == tree.File:
		return fmt.Errorf("\"%s\" is a folder, and this line is a file", name)
	case !info.IsDir() && kind == tree.Folder:
		return fmt.Errorf("\"%s\" is a file, and this line is a folder", name)
	case !info.IsDir() && !info.Mode().IsRegular():
		return fmt.Errorf("\"%s\" is no ordinary file", name)
	case st.fill && info.Size() > most(name):
		return fmt.Errorf("\"%s\" is too large to be filled: more than %d MB", name, most(name)>>20)
	}
	if st.fill && slices.Contains(Pointers, strings.ToLower(tree.Extension(name))) {
		return fmt.Errorf("\"%s\" only points to something else, and nothing is filled into it; use `copy`", name)
	}
	if st.fill {
		data, err := fs.ReadFile(t.starters, name)
		if err != nil {
			return fmt.Errorf("\"%s\" cannot be read", name)
		}
		if office.Is(name) {
			d, err := office.Open(data)
			if err != nil {
				return fmt.Errorf("\"%s\" cannot be filled: %w", name, err)
			}
			st.texts[name] = t.takeDocumentApart(st.scope, d)
			st.texts[name].sum = digest.Bytes(data)
			return nil
		}
		if !utf8.Valid(data) {
			return fmt.Errorf("\"%s\" is not a text in UTF-8, so it cannot be filled; use `copy`", name)
		}
		st.texts[name] = t.takeApart(st.scope, string(data))
		st.texts[name].sum = digest.Bytes(data)
	}
	return nil
}

func most(name string) int64 {
	if office.Is(name) {
		return office.MaxBytes
	}
	return MaxFill
}

// markUsed notes which fields a text is filled with.
func (c *compiler) markUsed(st *starter, name string) {
	for _, run := range st.texts[name].runs {
		if run.index >= 0 && run.index < len(c.t.Fields) {
			c.t.Fields[run.index].used, c.t.Fields[run.index].needed = true, true
		}
	}
}

// A fill is a text taken apart into runs, or an office document of which the runs are the
// slots alone.
type fill struct {
	runs     []run
	slots    int // how many of the runs are slots
	document *office.Document
	sum      string // of the starter
}

// A run is a stretch of text, or the slot of a known field.
type run struct {
	text  string
	index int // of the value, or -1 for text
	form  *pattern.Form
	edit  office.Edit // where it stands in a document
}

// takeDocumentApart finds the slots of known fields in the texts of a document.
func (t *Template) takeDocumentApart(s *scope, d *office.Document) *fill {
	f := &fill{document: d}
	for i, text := range d.Texts() {
		at := 0
		for _, r := range t.takeApart(s, text).runs {
			if r.index >= 0 {
				r.edit = office.Edit{Paragraph: i, From: at, To: at + len(r.text)}
				f.runs = append(f.runs, r)
				f.slots++
			}
			at += len(r.text)
		}
	}
	return f
}

// takeApart finds the slots of known fields in a text. All else stays as it is,
// so that a text may hold angle brackets of its own.
func (t *Template) takeApart(s *scope, text string) *fill {
	c := compiler{t: t}
	f := &fill{}
	plain := 0
	for i := 0; i < len(text); i++ {
		if text[i] != '<' {
			continue
		}
		end := strings.IndexAny(text[i+1:], "<>\n")
		if end < 0 {
			break
		}
		if text[i+1+end] != '>' {
			continue
		}
		name, pic, _ := strings.Cut(text[i+1:i+1+end], ":")
		field, ok := c.find(s, strings.TrimSpace(name))
		if !ok {
			continue
		}
		r := run{text: text[i : i+1+end+1], index: field.Index}
		if pic != "" {
			var err *pattern.Error
			if r.form, err = pattern.ParseForm(pic, field.Type); err != nil {
				continue
			}
		}
		f.runs = append(f.runs, run{text: text[plain:i], index: -1}, r)
		f.slots++
		i += end + 1
		plain = i + 1
	}
	f.runs = append(f.runs, run{text: text[plain:], index: -1})
	return f
}

// write fills the text with the values of its slots. A value without a form
// stands as it was given.
func (f *fill) write(values []value.Value) ([]byte, error) {
	var out []byte
	var edits []office.Edit
	for _, r := range f.runs {
		if r.index < 0 {
			out = append(out, r.text...)
			continue
		}
		v, from := values[0], len(out)
		values = values[1:]
		if r.form == nil || v.Empty() || v.Kind == value.Pending {
			out = append(out, asGiven(v)...)
		} else {
			var err error
			if out, err = r.form.Append(out, v); err != nil {
				return nil, err
			}
		}
		r.edit.Text = string(out[from:])
		edits = append(edits, r.edit)
	}
	if f.document != nil {
		return f.document.With(edits)
	}
	return out, nil
}

// asGiven writes a value as it stands in a text.
func asGiven(v value.Value) string {
	switch v.Kind {
	case value.Pending:
		return "(" + v.Text + ")"
	case value.List:
		items := make([]string, len(v.Items))
		for i, item := range v.Items {
			items[i] = item.String()
		}
		return strings.Join(items, ", ")
	}
	return v.String()
}

// with returns the content for the values of env. Of these it keeps the few that
// the text has slots for: there may be a great many files.
func (f *fill) with(name string, env []value.Value) *filled {
	values := make([]value.Value, 0, f.slots)
	for _, r := range f.runs {
		if r.index >= 0 {
			values = append(values, env[r.index])
		}
	}
	return &filled{name, f, values}
}

// filled is the content of a file that `fill` begins.
type filled struct {
	name   string
	text   *fill
	values []value.Value // of its slots, in their order
}

func (f *filled) Source() string { return f.name }

func (f *filled) Open() (io.ReadCloser, error) {
	data, err := f.text.write(f.values)
	return io.NopCloser(bytes.NewReader(data)), err
}

// SameStarter reports whether two contents are filled from one text: what differs between them
// are values.
func SameStarter(a, b tree.Content) bool {
	x, is := a.(*filled)
	y, too := b.(*filled)
	return is && too && x.text.sum == y.text.sum
}

// copied is the content of a file that `copy` begins.
type copied struct {
	from fs.FS
	name string
}

func (c *copied) Source() string               { return c.name }
func (c *copied) Open() (io.ReadCloser, error) { return c.from.Open(c.name) }

// begin gives a node the content of its starter, for the values of x.
func (x *expander) begin(e *Line, n *tree.Node) {
	st := e.starter
	filling := pattern.Filling{Values: x.env}
	var name []byte
	for i, seg := range st.path {
		if i > 0 {
			name = append(name, '/')
		}
		var err error
		if name, err = seg.Append(name, &filling); err != nil {
			x.failAt(st.at, st.width, err.Error())
			return
		}
	}
	if filling.Open {
		return
	}
	from := string(name)
	if !fs.ValidPath(from) {
		x.failAt(st.at, st.width, fmt.Sprintf("\"%s\" is not a path inside the template's folder", from))
		return
	}
	text, err := x.t.inspect(st, from, e.Kind)
	if err != nil {
		x.failAt(st.at, st.width, err.Error())
		return
	}
	switch {
	case st.fill:
		n.Content = text.with(from, x.env)
	case e.Kind == tree.File:
		n.Content = &copied{x.t.starters, from}
	default:
		x.copyFolder(e, n, from)
	}
}

// copyFolder makes the contents of a folder beside the template children of n.
func (x *expander) copyFolder(e *Line, n *tree.Node, from string) {
	entries, err := fs.ReadDir(x.t.starters, from)
	if err != nil {
		x.failAt(e.starter.at, e.starter.width, fmt.Sprintf("\"%s\" cannot be read", from))
		return
	}
	for _, d := range entries {
		if tree.OfProgram(d.Name()) {
			continue // a copy is a project of its own
		}
		child := &tree.Node{Name: d.Name(), From: e.From, Marks: tree.Keep}
		name := path.Join(from, d.Name())
		switch {
		case d.IsDir():
			x.copyFolder(e, child, name)
		case d.Type().IsRegular():
			child.Kind, child.Content = tree.File, &copied{x.t.starters, name}
		default:
			x.failAt(e.starter.at, e.starter.width, fmt.Sprintf("\"%s\" holds \"%s\", which is a link or no ordinary file", from, d.Name()))
			continue
		}
		if err := x.add(n, child); err != nil {
			x.failAt(e.starter.at, e.starter.width, err.Error())
			return
		}
	}
}

// Starters returns the paths of all files that the template names without a
// slot, each once, in the order of the outline. Of a folder, it returns what
// lies in it.
func (t *Template) Starters() []string {
	var paths []string
	for _, l := range t.file.Lines {
		for _, word := range []string{"copy", "fill"} {
			clause, ok := l.Clause(word)
			if !ok {
				continue
			}
			_ = fs.WalkDir(t.starters, clause.Text, func(name string, d fs.DirEntry, err error) error {
				if err == nil && !d.IsDir() && !slices.Contains(paths, name) && !tree.OfProgram(d.Name()) {
					paths = append(paths, name)
				}
				return nil
			})
		}
	}
	return paths
}
