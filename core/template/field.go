package template

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/value"
)

// A Field is what must be known to build.
type Field struct {
	Name     string
	Ask      string // the question; never empty
	Type     value.Type
	Default  *Raw // nil where there is none
	Example  *Raw
	Pos      outline.Pos
	Optional bool  // the default is nothing
	Next     Scope // where no value is given, one more than the highest number there
	nextAt   *Node
	Per      *pattern.Name // of a project's own number: what it counts apart for; or nil
	perNode  *Node
	Within   string // of a time: the field or the item of a longer one that it must lie in
	withinAt outline.Pos
	is       *pattern.Name
	isNode   *Node
	used     bool
	needed   bool // to build: not only naming conventions and lines for later use it
	Borrowed bool // it belongs to a naming convention, and lines for later use it
	declared bool // its type was written down
}

// Needed reports whether a project has a value of the field from when it is built: not only naming
// conventions and lines for later use it.
func (f *Field) Needed() bool { return f.needed }

// Made reports whether the field is made from other fields and never asked for.
func (f *Field) Made() bool { return f.isNode != nil }

// Is returns the pattern that a field is made by, as it was written; empty for one that is
// asked for.
func (f *Field) Is() string {
	if f.is == nil {
		return ""
	}
	return f.is.Pattern.Source
}

// A Raw is a value as it was written, before the type of its field is known: a
// text, or the items of a list.
type Raw struct {
	Text  string
	Items []string
	List  bool
}

// Parse reads a raw value of the field. The error is a clause that can stand
// behind the field's name.
func (f *Field) Parse(r Raw, now time.Time) (value.Value, error) {
	switch {
	case !r.List && strings.TrimSpace(r.Text) == value.Open:
		if f.Type.Kind == value.List || f.Type.Kind == value.YesNo {
			return value.Value{}, fmt.Errorf("is a %s, and cannot be left open", f.Type.Kind)
		}
		return value.OfOpen(f.Name), nil
	case r.List && f.Type.Kind != value.List:
		return value.Value{}, fmt.Errorf("takes one value, not a list")
	case r.List:
		return value.NewList(r.Items)
	case strings.TrimSpace(r.Text) == "" && f.Optional:
		return value.Nothing(f.Type.Kind), nil
	}
	return f.Type.Parse(r.Text, now)
}

// fieldKeys are the keys of a field's definition.
var fieldKeys = []string{"ask", "type", "default", "example", "of", "is", "min", "max", "next", "per", "within", "without", "months", "new-year"}

// Limits on what a header says, far above what a person writes.
const (
	MaxFields      = 300
	MaxOptions     = 1000
	MaxConventions = 100
)

// fields reads the mapping under "fields:".
func (c *compiler) fields(n *Node) {
	if !c.want(n, Mapping, "fields", "fields:\n  client: Who is it for?") {
		return
	}
	if len(n.Pairs) > MaxFields {
		c.fail(n.Pairs[MaxFields].KeyPos, n.Pairs[MaxFields].KeyWidth, fmt.Sprintf("a template has at most %d fields", MaxFields), "")
		return
	}
	for _, p := range n.Pairs {
		if !outline.IsWord(p.Key) || slices.Contains(reservedWords, p.Key) {
			help := "use letters, digits and hyphens, beginning with a letter; the words and, or, not, is, in are taken"
			if one := joined(p.Key); one != p.Key && outline.IsWord(one) {
				help = fmt.Sprintf("the name of a field is one word: write %s: here, and <%s> where it stands", one, one)
				c.misnamed = append(c.misnamed, p.Key)
			}
			c.fail(p.KeyPos, p.KeyWidth, fmt.Sprintf("\"%s\" cannot name a field", p.Key), help)
			continue
		}
		c.t.Fields = append(c.t.Fields, c.field(p, false))
	}
}

var reservedWords = []string{"and", "or", "not", "is", "in"}

// field reads the definition of one field, which may be a naming convention's own.
func (c *compiler) field(p Pair, own bool) *Field {
	f := &Field{Name: p.Key, Pos: p.KeyPos, Ask: outline.Question(p.Key), Type: value.Type{Kind: value.Text, Language: c.t.Language}}
	switch {
	case p.Value.Kind == Null:
		return f
	case p.Value.Kind == Scalar:
		f.Ask = p.Value.Text
		return f
	case !c.want(p.Value, Mapping, p.Key, p.Key+": { ask: …, type: … }"):
		return f
	}
	var kind, of, lo, hi, without, newYear *Node
	for _, q := range c.unbroken(p.Value.Pairs) {
		v := q.Value
		switch q.Key {
		case "type":
			if c.want(v, Scalar, q.Key, "type: date") {
				kind = v
			}
		case "of":
			of = v
		case "min":
			lo = v
		case "max":
			hi = v
		case "without":
			without = v
		case "new-year":
			newYear = v
		default:
			c.fieldKey(f, q)
		}
	}
	c.fieldType(f, kind, of, lo, hi)
	if without != nil {
		c.without(f, without)
	}
	if newYear != nil {
		c.newYear(f, newYear)
	}
	c.fieldSamples(f, p.Value)
	f.declared = kind != nil || of != nil
	if f.Next > Uncounted && !own && f.Type.Kind != value.Number {
		c.fail(p.KeyPos, p.KeyWidth, fmt.Sprintf("`next` goes with a number, and \"%s\" is a %s", p.Key, f.Type.Kind), "write type: number")
	}
	return f
}

// fieldKey reads what of a field has nothing to do with its type.
func (c *compiler) fieldKey(f *Field, q Pair) {
	switch v := q.Value; q.Key {
	case "ask":
		if c.want(v, Scalar, q.Key, "ask: Who is it for?") {
			f.Ask = v.Text
		}
	case "is":
		if c.want(v, Scalar, q.Key, `is: "<client:LT><received:yy>"`) {
			f.isNode = v
		}
	case "months":
		if v.Kind != Sequence || len(v.List) != 12 {
			c.fail(q.KeyPos, q.KeyWidth, "`months` needs the names of the twelve months", "months: [Januar, Februar, …]")
		} else {
			f.Type.Months = v.Texts()
		}
	case "default":
		f.Default = rawOf(v)
	case "example":
		f.Example = rawOf(v)
	case "next":
		c.next(f, v)
	case "per":
		if c.want(v, Scalar, q.Key, `per: "<day:yyyy>"`) {
			f.perNode = v
		}
	case "within":
		if c.want(v, Scalar, q.Key, "within: month") {
			f.Within, f.withinAt = v.Text, v.Pos
		}
	default:
		c.unknownKey(q, "field", fieldKeys)
	}
}

func rawOf(n *Node) *Raw {
	return &Raw{Text: n.Text, Items: n.Texts(), List: n.Kind == Sequence}
}

// fieldType settles the type of a field, once all its keys are known.
func (c *compiler) fieldType(f *Field, kind, of, lo, hi *Node) {
	if of != nil {
		f.Type.Kind = value.Choice
		f.Type.Of = c.options(of)
	}
	if kind != nil {
		k, ok := value.KindNamed(kind.Text)
		if !ok {
			help := outline.Meant(kind.Text, value.KindNames(), "the types are "+strings.Join(value.KindNames(), ", "))
			c.fail(kind.Pos, kind.width(), fmt.Sprintf("there is no type \"%s\"", kind.Text), help)
		}
		takesOf := k == value.Choice || k == value.Term
		switch {
		case !ok:
		case takesOf && of == nil:
			c.fail(kind.Pos, kind.width(), fmt.Sprintf("a %s needs the values that are allowed", k), "add `of: [first, second]`")
		case !takesOf && of != nil:
			c.fail(of.Pos, 2, fmt.Sprintf("`of` goes with a choice or a term, not with a %s", k), "leave out the type")
		}
		if ok {
			f.Type.Kind = k
		}
		if k == value.Term && len(f.Type.Of) > 99 {
			c.fail(of.Pos, 2, "a year cannot have more than 99 terms", "use a choice")
		}
	}
	for _, bound := range []struct {
		node *Node
		key  string
		into **int
	}{{lo, "min", &f.Type.Min}, {hi, "max", &f.Type.Max}} {
		if bound.node == nil {
			continue
		}
		n, err := strconv.Atoi(bound.node.Text)
		switch {
		case f.Type.Kind != value.Number && f.Type.Kind != value.Text:
			c.fail(bound.node.Pos, bound.node.width(), fmt.Sprintf("`%s` goes with a number or a text, not with a %s", bound.key, f.Type.Kind), "")
		case err != nil || n < 0 || n > value.MaxNumber || n == 0 && f.Type.Kind == value.Text:
			c.fail(bound.node.Pos, bound.node.width(), fmt.Sprintf("\"%s\" is not a whole number that can be used here", bound.node.Text), "")
		default:
			*bound.into = &n
		}
	}
	if f.Type.Min != nil && f.Type.Max != nil && *f.Type.Min > *f.Type.Max {
		c.fail(lo.Pos, lo.width(), "`min` is larger than `max`", "swap them")
	}
}

// unbroken says where a comma has broken a text between braces, once for each, and leaves
// such out: { of: A, B } has a key called B.
func (c *compiler) unbroken(pairs []Pair) (whole []Pair) {
	for i := 0; i < len(pairs); i++ {
		p := pairs[i]
		rest := []string{p.Value.Text}
		for p.Value.Kind == Scalar && i+1 < len(pairs) && pairs[i+1].Value.Kind == Null && pairs[i+1].KeyPos.Line == p.KeyPos.Line && !slices.Contains(fieldKeys, pairs[i+1].Key) {
			i++
			rest = append(rest, pairs[i].Key)
		}
		if len(rest) == 1 {
			whole = append(whole, p)
			continue
		}
		help := fmt.Sprintf("write %s: \"%s\"", p.Key, strings.Join(rest, ", "))
		if p.Key == "of" || p.Key == "default" || p.Key == "example" {
			help = fmt.Sprintf("write %s: [%s]", p.Key, strings.Join(rest, ", "))
		}
		c.fail(p.Value.Pos, p.Value.width(), "between braces a comma ends a text", help)
	}
	return whole
}

// options reads `of`: a list of codes, or codes with what they mean.
func (c *compiler) options(n *Node) []value.Option {
	var options []value.Option
	add := func(code, meaning string, at outline.Pos) {
		code = strings.TrimSpace(code)
		_, isFine := pattern.Parse(code)
		switch {
		case code == "" || strings.Trim(code, ".") == "" || len(isFine) > 0 || strings.ContainsAny(code, "<>"):
			c.fail(at, utf8.RuneCountInString(code), fmt.Sprintf("\"%s\" cannot be part of a name", code), "use letters, digits and hyphens")
		case slices.ContainsFunc(options, func(o value.Option) bool { return strings.EqualFold(o.Code, code) }):
			c.fail(at, utf8.RuneCountInString(code), fmt.Sprintf("\"%s\" stands here twice", code), "")
		default:
			options = append(options, value.Option{Code: code, Meaning: meaning})
		}
	}
	if max(len(n.List), len(n.Pairs)) > MaxOptions {
		c.fail(n.Pos, n.width(), fmt.Sprintf("at most %d values can be listed", MaxOptions), "leave out `of`, so that any text is allowed")
		return nil
	}
	switch n.Kind {
	case Sequence:
		for _, it := range n.List {
			if c.want(it, Scalar, "of", "of: [first, second]") {
				add(it.Text, "", it.Pos)
			}
		}
	case Mapping:
		for _, p := range n.Pairs {
			if c.want(p.Value, Scalar, p.Key, "of: { BK: book }") {
				add(p.Key, p.Value.Text, p.KeyPos)
			}
		}
	default:
		c.fail(n.Pos, n.width(), "`of` needs a list of the values that are allowed", "of: [first, second]")
	}
	return options
}

// newYear reads which of the terms is the first of the next calendar year.
func (c *compiler) newYear(f *Field, n *Node) {
	i := slices.IndexFunc(f.Type.Of, func(o value.Option) bool { return strings.EqualFold(o.Code, n.Text) })
	switch {
	case f.Type.Kind != value.Term:
		c.fail(n.Pos, n.width(), fmt.Sprintf("`new-year` goes with a term, and \"%s\" is a %s", f.Name, f.Type.Kind), "leave it out")
	case i < 0:
		c.fail(n.Pos, n.width(), fmt.Sprintf("\"%s\" is not one of %s", n.Text, f.Type.Allowed()), "")
	case i == 0:
		c.fail(n.Pos, n.width(), "the list begins with that term, and lies in one calendar year then", "leave new-year out")
	default:
		f.Type.NewYear = i + 1
	}
}

// maxWithout bounds what a text cannot hold: how many texts, and their characters.
const maxWithout = 20

// without reads what a text cannot hold.
func (c *compiler) without(f *Field, n *Node) {
	if f.Type.Kind != value.Text {
		c.fail(n.Pos, n.width(), fmt.Sprintf("`without` goes with a text, and \"%s\" is a %s", f.Name, f.Type.Kind), "leave it out")
		return
	}
	for _, w := range n.Texts() {
		if strings.TrimSpace(w) == "" || len(w) > maxWithout || len(f.Type.Without) == maxWithout {
			c.fail(n.Pos, n.width(), fmt.Sprintf("`without` needs a text, or some, of at most %d characters, with more than spaces in them", maxWithout), `without: " - "`)
			return
		}
		f.Type.Without = append(f.Type.Without, w)
	}
}

// fieldSamples checks default and example against the type.
func (c *compiler) fieldSamples(f *Field, def *Node) {
	for _, q := range def.Pairs {
		raw := f.Default
		if q.Key == "example" {
			raw = f.Example
		} else if q.Key != "default" {
			continue
		}
		if raw == nil { // it follows from a mistake that is told, and was not read
			continue
		}
		if q.Key == "default" && (q.Value.Kind == Null || q.Value.Kind == Scalar && strings.TrimSpace(raw.Text) == "") {
			f.Optional = true
			continue
		}
		if f.Type.Kind == value.Choice && len(f.Type.Of) == 0 || f.Type.Kind == value.Term && len(f.Type.Of) == 0 {
			continue
		}
		if _, err := f.Parse(*raw, time.Unix(0, 0).UTC()); err != nil {
			c.fail(q.Value.Pos, q.Value.width(), fmt.Sprintf("the %s of \"%s\" %s", q.Key, f.Name, err), "")
		}
	}
}

// made binds the fields that are made from others, and orders them so that each
// is made after those it needs.
func (c *compiler) made() {
	state := map[*Field]int{} // 1: being visited, 2: done
	var visit func(f *Field)
	visit = func(f *Field) {
		if state[f] != 0 || f.isNode == nil {
			return
		}
		state[f] = 1
		p, errs := pattern.Parse(f.isNode.Text)
		for _, slot := range p.Slots() {
			i := c.fieldIndex(slot)
			if i < 0 || i >= len(c.t.Fields) {
				continue
			}
			if g := c.t.Fields[i]; state[g] == 1 {
				c.fail(f.isNode.Pos, f.isNode.width(), fmt.Sprintf("\"%s\" is made from \"%s\", which is made from it", f.Name, g.Name), "break the circle")
			} else {
				visit(g)
			}
		}
		name, more := p.Bind(func(name string) (pattern.Field, *pattern.Error) { return c.lookup(nil, name) })
		c.patternErrors(f.isNode.Pos, append(errs, more...))
		f.is = name
		if f.Type.Kind != value.Text {
			c.fail(f.isNode.Pos, f.isNode.width(), fmt.Sprintf("\"%s\" is made from other fields, so it is a text", f.Name), "leave out its type")
		}
		state[f] = 2
		c.t.made = append(c.t.made, f)
	}
	for _, f := range c.t.Fields {
		visit(f)
	}
}

// Ingredients returns the fields that a field is made from in the end; of a
// field that is not made from others, itself.
func (t *Template) Ingredients(f *Field) []*Field {
	if !f.Made() {
		return []*Field{f}
	}
	var all []*Field
	for _, name := range f.is.Pattern.Slots() {
		for _, g := range t.Ingredients(t.Field(name)) {
			if !slices.Contains(all, g) {
				all = append(all, g)
			}
		}
	}
	return all
}
