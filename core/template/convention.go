package template

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/bmatcuk/doublestar/v4"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Convention is a naming convention: how the files of some kind are named.
// The ending of a file stands outside of it.
type Convention struct {
	Name    string
	Pos     outline.Pos // of the pattern in the header
	Width   int
	Pattern *pattern.Name
	Fields  []*Field        // of its slots, each once; fields of the template among them
	Was     []*pattern.Name // by which older names are read: see [Convention.Shape]
	Per     *pattern.Name   // what its number counts apart for; nil means nothing
	For     []string        // the endings it is for, in small letters; none means all
}

// conventionKeys are the keys of a convention in its long form.
var conventionKeys = []string{"pattern", "fields", "for", "was"}

// conventions reads the mapping under "names:".
func (c *compiler) conventions(n *Node) {
	if !c.want(n, Mapping, "names", `names: { scan: "<received:yyyy-mm-dd> <n:000>" }`) {
		return
	}
	if len(n.Pairs) > MaxConventions {
		c.fail(n.Pairs[MaxConventions].KeyPos, n.Pairs[MaxConventions].KeyWidth, fmt.Sprintf("a template has at most %d naming conventions", MaxConventions), "")
		return
	}
	for _, p := range n.Pairs {
		if !outline.IsWord(p.Key) {
			c.fail(p.KeyPos, p.KeyWidth, fmt.Sprintf("\"%s\" cannot name a convention", p.Key), "use letters, digits and hyphens, beginning with a letter")
			continue
		}
		c.convention(p)
	}
}

func (c *compiler) convention(p Pair) {
	conv := &Convention{Name: p.Key, Pos: p.KeyPos}
	text := p.Value
	var own []*Field
	var was []*Node
	if p.Value.Kind == Mapping {
		text = nil
		for _, q := range p.Value.Pairs {
			switch q.Key {
			case "pattern":
				text = q.Value
			case "fields":
				own = c.ownFields(q.Value)
			case "for":
				for _, ending := range q.Value.Texts() {
					conv.For = append(conv.For, strings.ToLower(strings.TrimPrefix(ending, ".")))
				}
			case "was":
				was = []*Node{q.Value}
				if q.Value.Kind == Sequence {
					was = q.Value.List
				}
			default:
				c.unknownKey(q, "convention", conventionKeys)
			}
		}
		if text == nil {
			c.fail(p.KeyPos, p.KeyWidth, fmt.Sprintf("the convention \"%s\" has no pattern", p.Key), `add pattern: "<client> <n:000>"`)
			return
		}
	}
	if !c.want(text, Scalar, p.Key, p.Key+`: "<client> <n:000>"`) {
		return
	}
	conv.Pos, conv.Width = text.Pos, text.width()
	c.bindConvention(conv, text, own)
	for _, old := range was {
		if !c.want(old, Scalar, "was", `was: ["<client> <received:d.m.yyyy>"]`) {
			continue
		}
		name, _, errs := conv.Shape(old.Text)
		if len(errs) > 0 {
			c.patternErrors(old.Pos, errs)
			continue
		}
		conv.Was = append(conv.Was, name)
	}
	c.t.Names = append(c.t.Names, conv)
}

// ownFields reads the fields that belong to one convention alone.
func (c *compiler) ownFields(n *Node) []*Field {
	if !c.want(n, Mapping, "fields", "fields: { side: { of: [recto, verso] } }") {
		return nil
	}
	var own []*Field
	next := ""
	for _, p := range n.Pairs {
		if c.fieldIndex(p.Key) >= 0 {
			c.fail(p.KeyPos, p.KeyWidth, fmt.Sprintf("\"%s\" is a field of the template already", p.Key), "remove it here, or choose another name")
			continue
		}
		f := c.field(p, true)
		switch {
		case f.Next > Uncounted && next != "":
			c.fail(p.KeyPos, p.KeyWidth, fmt.Sprintf("\"%s\" and \"%s\" cannot both be the next number", next, p.Key), "leave `next: yes` at one of them")
		case f.Next > Uncounted && f.declared && f.Type.Kind != value.Number:
			c.fail(p.KeyPos, p.KeyWidth, fmt.Sprintf("`next` goes with a number, and \"%s\" is a %s", p.Key, f.Type.Kind), "write type: number")
		case f.Next > Uncounted:
			next = p.Key
			f.Type.Kind, f.declared = value.Number, true
		}
		own = append(own, f)
	}
	return own
}

// bindConvention joins the slots of a convention's pattern to fields.
func (c *compiler) bindConvention(conv *Convention, text *Node, own []*Field) {
	p, errs := pattern.Parse(text.Text)
	if strings.TrimSpace(text.Text) == "" || len(p.Slots()) == 0 && len(errs) == 0 {
		c.fail(text.Pos, text.width(), "this convention has no slot: it would give every file the same name", "write a slot such as <n:000>")
	}
	names := p.Slots()
	for i, name := range names {
		f := (*Field)(nil)
		if at := c.fieldIndex(name); at >= 0 {
			f = c.t.Fields[at]
			f.used = true
		}
		for _, o := range own {
			if o.Name == name {
				f = o
				o.used = true
			}
		}
		if f == nil {
			f = &Field{Name: name, Ask: outline.Question(name), Pos: text.Pos, Type: value.Type{Kind: value.Text, Language: c.t.Language}}
			c.nearField(text, p, name)
		}
		if !f.declared && c.fieldIndex(name) < 0 {
			f.Type.Kind = InferredKind(p, name)
		}
		if name == pattern.OwnNumber {
			c.fail(text.Pos, text.width(), "<#> is for folders: it counts the lines of a template", "write <n:000> and, under fields, n: { next: yes }")
		}
		names[i] = f.Name
		conv.Fields = append(conv.Fields, f)
	}
	for _, o := range own {
		if !o.used {
			c.warn(o.Pos, utf8.RuneCountInString(o.Name), fmt.Sprintf("the field \"%s\" does not stand in the pattern", o.Name), fmt.Sprintf("write <%s> in it, or remove the field", o.Name))
		}
	}
	name, more := p.Bind(func(name string) (pattern.Field, *pattern.Error) {
		i := slices.Index(names, name)
		return pattern.Field{Index: i, Type: &conv.Fields[i].Type, Optional: conv.Fields[i].Optional}, nil
	})
	c.patternErrors(text.Pos, append(errs, more...))
	conv.Pattern = name
}

// Shape binds another pattern to the fields of the convention: names of that shape give
// values for those of this one. Dropped are its slots that are no fields of the
// convention, and so are read and not kept.
func (conv *Convention) Shape(text string) (name *pattern.Name, dropped []string, errs []*pattern.Error) {
	p, errs := pattern.Parse(text)
	if len(errs) == 0 && len(p.Slots()) == 0 {
		errs = append(errs, &pattern.Error{Width: max(1, utf8.RuneCountInString(text)), Message: "this pattern has no slot: it reads one name alone", Help: "write a slot such as <n:000>"})
	}
	others := map[string]*value.Type{}
	name, more := p.Bind(func(slot string) (pattern.Field, *pattern.Error) {
		if slot == pattern.OwnNumber {
			return pattern.Field{}, &pattern.Error{Message: "<#> is for folders", Help: "write <n:000>"}
		}
		if i := slices.IndexFunc(conv.Fields, func(f *Field) bool { return f.Name == slot }); i >= 0 {
			return pattern.Field{Index: i, Type: &conv.Fields[i].Type, Optional: conv.Fields[i].Optional}, nil
		}
		if others[slot] == nil {
			others[slot] = &value.Type{Kind: InferredKind(p, slot)}
			if len(conv.Fields) > 0 {
				others[slot].Language = conv.Fields[0].Type.Language
			}
			dropped = append(dropped, slot)
		}
		return pattern.Field{Index: len(conv.Fields) + slices.Index(dropped, slot), Type: others[slot]}, nil
	})
	return name, dropped, append(errs, more...)
}

// nearField warns where a slot differs from a field of the template by one
// letter only: it may be meant.
func (c *compiler) nearField(text *Node, p *pattern.Pattern, name string) {
	for _, f := range c.t.Fields {
		if f.Type.Kind != value.List && outline.OneSlip(name, f.Name) {
			for _, piece := range p.Pieces {
				if piece.Field == name {
					c.warn(outline.Pos{Line: text.Line, Column: text.Column + piece.At}, utf8.RuneCountInString(piece.Text),
						fmt.Sprintf("the slot \"%s\" is new here, and one letter beside the field \"%s\"", name, f.Name), fmt.Sprintf("did you mean <%s>?", f.Name))
					return
				}
			}
		}
	}
}

// InferredKind is the kind of value that all forms of an undeclared slot suit:
// the narrowest of number, text and the calendar kinds.
func InferredKind(p *pattern.Pattern, name string) value.Kind {
	var forms []string
	for _, piece := range p.Pieces {
		if piece.Field == name && piece.Form != "" {
			forms = append(forms, piece.Form)
		}
	}
	if len(forms) == 0 {
		return value.Text
	}
	for _, k := range []value.Kind{value.Number, value.Text, value.Year, value.Quarter, value.Week, value.Month, value.Date} {
		if !slices.ContainsFunc(forms, func(pic string) bool {
			_, err := pattern.ParseForm(pic, &value.Type{Kind: k})
			return err != nil
		}) {
			return k
		}
	}
	return value.Text
}

// holds reads a `holds` clause: naming conventions, kinds, endings, and patterns of
// paths.
func (c *compiler) holds(e *Line, clause outline.Clause) {
	at := e.Syntax.TextPos(clause)
	for item := range strings.SplitSeq(clause.Text, ",") {
		what := strings.TrimSpace(item)
		pos := outline.Pos{Line: at.Line, Column: at.Column + utf8.RuneCountInString(item) - utf8.RuneCountInString(strings.TrimLeft(item, " "))}
		width := utf8.RuneCountInString(what)
		at.Column += utf8.RuneCountInString(item) + 1
		ending, isEnding := strings.CutPrefix(what, "*.")
		switch conv := c.t.Convention(what); {
		case conv != nil:
			e.Holds = append(e.Holds, conv)
		case FileKinds[what] != nil:
			e.Kinds = append(e.Kinds, what)
		case strings.Contains(what, "/"):
			if !doublestar.ValidatePattern(what) {
				c.fail(pos, width, fmt.Sprintf("\"%s\" is no pattern for paths", what), "write one such as PROXY/**/*.mp4")
			}
			e.Sources = append(e.Sources, what)
		case isEnding && tree.Extension("x."+ending) != "":
			e.Endings = append(e.Endings, strings.ToLower(ending))
		case strings.ContainsAny(what, "*?"):
			if !doublestar.ValidatePattern(what) {
				c.fail(pos, width, fmt.Sprintf("\"%s\" is no shape of names", what), "write one such as IMG_*.heic")
			}
			e.Shapes = append(e.Shapes, strings.ToLower(what))
		default:
			known := append(c.t.ConventionNames(), slices.Sorted(maps.Keys(FileKinds))...)
			help := outline.Meant(what, known, "write it under names: in the header; or name a kind, "+strings.Join(slices.Sorted(maps.Keys(FileKinds)), ", ")+", or an ending such as *.wav")
			c.failLacking(pos, width, "naming convention", what, help)
		}
	}
}

// Convention returns the naming convention with that name, or nil.
func (t *Template) Convention(name string) *Convention {
	for _, c := range t.Names {
		if c.Name == name {
			return c
		}
	}
	return nil
}

// ConventionNames returns the names of the naming conventions.
func (t *Template) ConventionNames() []string {
	names := make([]string, len(t.Names))
	for i, c := range t.Names {
		names[i] = c.Name
	}
	return names
}

// Shared returns the rows of conventions that hold in one folder together, each
// once.
func (t *Template) Shared() [][]*Convention {
	var rows [][]*Convention
	for _, l := range t.Lines {
		if len(l.Holds) > 1 && !slices.ContainsFunc(rows, func(row []*Convention) bool { return slices.Equal(row, l.Holds) }) {
			rows = append(rows, l.Holds)
		}
	}
	return rows
}

// NextField returns the field that counts on, or nil.
func (c *Convention) NextField() *Field {
	for _, f := range c.Fields {
		if f.Next > Uncounted {
			return f
		}
	}
	return nil
}

// ParseValues reads raw values by the types of the convention's fields, as
// [Template.ParseValues] does.
func (c *Convention) ParseValues(raw map[string]Raw, now time.Time) (Values, []*ValueError) {
	return parseValues(c.Fields, "convention", raw, now)
}

// Write makes the name that the values give, without an ending. Changes are the
// texts that could not stand in it as they were given. Every field needs a
// value.
func (c *Convention) Write(values Values) (name string, changes []Change, err error) {
	f := pattern.Filling{Values: make([]value.Value, len(c.Fields))}
	for i, field := range c.Fields {
		f.Values[i] = values[field.Name]
	}
	f.Changed = func(field, was, is string) { changes = append(changes, Change{field, was, is}) }
	out, err := c.Pattern.Append(nil, &f)
	if err == nil {
		err = unfit(out)
	}
	return string(out), changes, err
}
