package pattern

import (
	"fmt"
	"strings"

	"vestibula/core/value"
)

// A Field is what a slot is bound to: the place of its value among all values,
// and the type of these.
type Field struct {
	Index    int
	Type     *value.Type
	Optional bool // it may have no value: at the end of a pattern it is left out then
}

// A Name is a pattern whose slots are bound to fields. It is safe for use by
// several goroutines.
type Name struct {
	Pattern *Pattern
	parts   []bound
	own     int  // index of the part that is <#>, or -1
	slots   bool // there are any
}

// A bound is a run of text, or a slot with its field and form.
type bound struct {
	text  string // as written in the pattern
	name  string // of the field; empty for a run of text
	field Field
	form  *Form
	step  int
	bare  bool // <#> without a form
}

// Bind joins the pattern to fields. Lookup returns the field of that name, or
// says why there is none. The slot <#> is looked up under [OwnNumber]. All
// errors are returned.
func (p *Pattern) Bind(lookup func(name string) (Field, *Error)) (*Name, []*Error) {
	n := &Name{Pattern: p, own: -1}
	var errs []*Error
	for _, piece := range p.Pieces {
		b := bound{text: piece.Text, name: piece.Field}
		if piece.Field == "" {
			n.parts = append(n.parts, b)
			continue
		}
		n.slots = true
		f, err := lookup(piece.Field)
		if err != nil {
			err.At, err.Width = piece.At, width(piece.Text)
			errs = append(errs, err)
			continue
		}
		b.field, b.form, b.step = f, Plain(f.Type), piece.Step
		if b.step != 0 && (!f.Type.Kind.Steps() && f.Type.Kind != value.Unknown || piece.Field == OwnNumber) {
			errs = append(errs, &Error{At: piece.At, Width: width(piece.Text), Message: fmt.Sprintf("a %s has no next one and none before it", f.Type.Kind), Help: "leave the step out"})
		}
		if piece.Form != "" && f.Type.Kind != value.Unknown {
			if b.form, err = ParseForm(piece.Form, f.Type); err != nil {
				err.At += piece.At + width(piece.Text) - width(piece.Form) - 1
				errs = append(errs, err)
			}
		} else if f.Type.Kind == value.List {
			errs = append(errs, &Error{At: piece.At, Width: width(piece.Text), Message: fmt.Sprintf("\"%s\" is a list, and a name holds one value", piece.Field), Help: fmt.Sprintf("repeat the line: | each: item in %s, and write <item>", piece.Field)})
		}
		if piece.Field == OwnNumber {
			if b.bare = piece.Form == ""; n.own < 0 {
				n.own = len(n.parts) // what stands in front of it is the series
			}
		}
		n.parts = append(n.parts, b)
	}
	return n, errs
}

// tail is the part from which on a name is left out where the optional field at its end has no
// value: the text that joins it to the slot before, and its own slot; -1 where there is none.
func (n *Name) tail() int {
	last := len(n.parts) - 1
	if last < 1 || n.parts[last].name == "" || !n.parts[last].field.Optional {
		return -1
	}
	from := last
	if n.parts[last-1].name == "" {
		from--
	}
	slots := 0
	for i := range n.parts[:from] {
		if n.parts[i].name == n.parts[last].name {
			return -1
		}
		if n.parts[i].name != "" {
			slots++
		}
	}
	if slots == 0 {
		return -1
	}
	return from
}

// short is the name without its optional end, or nil.
func (n *Name) short() *Name {
	from := n.tail()
	if from < 0 {
		return nil
	}
	p := *n.Pattern
	p.Pieces = p.Pieces[:min(from, len(p.Pieces))]
	return &Name{Pattern: &p, parts: n.parts[:from], own: n.own, slots: n.slots}
}

// Numbered reports whether the name holds <#>, and whether that is bare, so
// that its width depends on its siblings.
func (n *Name) Numbered() (numbered, bare bool) {
	return n.own >= 0, n.own >= 0 && n.parts[n.own].bare
}

// Constant reports whether the name has no slots.
func (n *Name) Constant() bool { return !n.slots }

// A Filling is what the slots of names are filled with.
type Filling struct {
	Values []value.Value // by Field.Index
	Width  int           // digits of a bare <#>
	Open   bool          // set where a slot had no value and was written as itself
	// Changed, where it is not nil, is told of each text that could not stand
	// in a name as it was given.
	Changed func(field, was, is string)
}

// Append writes the name behind dst. A slot whose value is unknown is written
// as itself.
func (n *Name) Append(dst []byte, f *Filling) ([]byte, error) {
	return n.append(dst, f, len(n.parts))
}

// AppendPrefix writes what stands in front of <#>.
func (n *Name) AppendPrefix(dst []byte, f *Filling) ([]byte, error) {
	return n.append(dst, f, n.own)
}

func (n *Name) append(dst []byte, f *Filling, end int) ([]byte, error) {
	start, left, tail, joint := len(dst), false, n.tail(), 0
	for i := range n.parts[:end] {
		b := &n.parts[i]
		if i == tail {
			joint = len(dst)
		}
		if b.name == "" {
			dst = append(dst, b.text...)
			continue
		}
		v := &f.Values[b.field.Index]
		switch {
		case b.bare:
			dst = appendPadded(dst, v.Number, f.Width)
			continue
		case !v.Given():
			dst = append(dst, b.text...)
			f.Open = true
			continue
		case v.Kind == value.Pending:
			dst = append(append(append(dst, '('), v.Text...), ')')
			continue
		case v.Empty():
			if left = true; tail >= 0 && i == len(n.parts)-1 {
				dst = dst[:joint]
			}
			continue
		}
		if b.step != 0 {
			w, ok := v.Shift(b.step, b.field.Type)
			if !ok {
				return dst, fmt.Errorf("%s \"%s\" has no value so far from it", b.name, v)
			}
			v = &w
		}
		was := v.Text
		if limit := b.field.Type.Max; limit != nil && v.Kind == value.Text && len(was) > *limit {
			v = &value.Value{Kind: value.Text, Text: Cut(was, *limit)}
		}
		from := len(dst)
		var err error
		if dst, err = b.form.append(dst, v); err != nil {
			return dst, fmt.Errorf("%s \"%s\" %w", b.name, v, err)
		}
		if f.Changed != nil && v.Kind == value.Text && b.form.keepsSigns() {
			if clean, _ := Clean(v.Text); clean != was {
				f.Changed(b.name, was, string(dst[from:]))
			}
		}
	}
	if left && end == len(n.parts) {
		// An optional value that was left out leaves no gap behind.
		dst = append(dst[:start], strings.Join(strings.Fields(string(dst[start:])), " ")...)
	}
	return dst, nil
}

// Cut shortens a text to at most limit characters, at the end of a word where
// there is one.
func Cut(s string, limit int) string {
	r := []rune(s)
	if len(r) <= limit {
		return s
	}
	end := limit
	if r[limit] != ' ' {
		for end > 0 && r[end-1] != ' ' {
			end--
		}
	}
	if end == 0 {
		end = limit
	}
	return strings.TrimRight(string(r[:end]), " ")
}
