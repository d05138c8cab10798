package pattern

import (
	"unicode/utf8"

	"vestibula/core/value"
)

// Write makes the name with values that are looked up by the names of slots. Whole
// says that a value was known for each of them; width is that of a bare <#>.
func (n *Name) Write(lookup func(slot string) value.Value, width int) (name string, whole bool, err error) {
	most := 0
	for i := range n.parts {
		if b := &n.parts[i]; b.name != "" {
			most = max(most, b.field.Index+1)
		}
	}
	f := Filling{Values: make([]value.Value, most), Width: width}
	for i := range n.parts {
		if b := &n.parts[i]; b.name != "" {
			f.Values[b.field.Index] = lookup(b.name)
		}
	}
	out, err := n.Append(nil, &f)
	return string(out), !f.Open, err
}

// Agrees reports whether a value that was read from a slot can be the one that is
// known: both look the same there, or what was read is a part of it, as the month of
// a date.
func (n *Name) Agrees(slot string, read, known value.Value) bool {
	if !read.Given() || !known.Given() || known.Kind == value.Pending || read.Equal(known) {
		return true
	}
	if read.Kind != known.Kind {
		if covers, both := read.Covers(known); both {
			covered, _ := known.Covers(read)
			return covers || covered
		}
	}
	for i := range n.parts {
		b := &n.parts[i]
		if b.name != slot {
			continue
		}
		if limit := b.field.Type.Max; limit != nil && known.Kind == value.Text {
			known.Text = Cut(known.Text, *limit)
		}
		x, err := b.form.Append(nil, read)
		y, otherErr := b.form.Append(nil, known)
		if otherErr == nil && read.Kind == value.Text && string(y) == read.Text {
			continue // of initials, nothing more is read
		}
		if err != nil || otherErr != nil || string(x) != string(y) {
			return false
		}
	}
	return true
}

// Shows reports whether two values of a slot look the same wherever it stands.
func (n *Name) Shows(slot string, v, w value.Value) bool {
	for i := range n.parts {
		if b := &n.parts[i]; b.name == slot {
			x, err := b.form.Append(nil, v)
			y, otherErr := b.form.Append(nil, w)
			if err != nil || otherErr != nil || string(x) != string(y) {
				return false
			}
		}
	}
	return true
}

// Partly reports whether a name says of a text only its initials, wherever the slot stands.
func (n *Name) Partly(slot string) bool {
	any := false
	for i := range n.parts {
		if b := &n.parts[i]; b.name == slot {
			if any = true; len(b.form.tokens) != 1 || b.form.tokens[0].style == nil || !b.form.tokens[0].style.initials {
				return false
			}
		}
	}
	return any
}

// TextOf is how a value looks in the slots of a field, or not ok where it cannot stand
// there. Read says that it was read from a name: of initials, nothing more is known then.
func (n *Name) TextOf(slot string, v value.Value, read bool) (text string, ok bool) {
	var out []byte
	only := read && v.Kind == value.Text && n.Partly(slot)
	for i := range n.parts {
		b := &n.parts[i]
		if b.name != slot {
			continue
		}
		if only {
			out = append(append(out, 0), v.Text...)
			continue
		}
		if limit := b.field.Type.Max; limit != nil && v.Kind == value.Text {
			v.Text = Cut(v.Text, *limit)
		}
		var err error
		if out, err = b.form.Append(append(out, 0), v); err != nil {
			return "", false
		}
	}
	return string(out), true
}

// Loose counts the slots of a name whose texts can be anything, and the
// characters that stand in it always: of two patterns that read a name, the better
// one has fewer of the first, then more of the second.
func (n *Name) Loose() (loose, fixed int) {
	for i := range n.parts {
		switch b := &n.parts[i]; {
		case b.name == "":
			fixed += utf8.RuneCountInString(b.text)
		case b.field.Type.Kind == value.Text || b.field.Type.Kind == value.Unknown:
			loose++
		}
	}
	return loose, fixed
}
