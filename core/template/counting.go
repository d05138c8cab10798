package template

import (
	"fmt"
	"slices"
	"strings"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/value"
)

// A Scope is where a number counts on: its next is one more than the highest there.
type Scope uint8

// The scopes, as `next` has them.
const (
	Uncounted  Scope = iota
	InFolder         // `yes`: among those beside it
	InProject        // `project`: in the whole project
	Everywhere       // `everywhere`: in all projects of a place
)

// scopes are the words for them.
var scopes = map[string]Scope{"yes": InFolder, "true": InFolder, "no": Uncounted, "false": Uncounted, "project": InProject, "everywhere": Everywhere}

// next reads where a number counts on.
func (c *compiler) next(f *Field, v *Node) {
	scope, known := scopes[v.Text]
	if v.Kind != Scalar || !known {
		help := outline.Meant(v.Text, []string{"yes", "project", "everywhere"}, "write `next: yes` for the folder, `next: project`, or `next: everywhere`")
		c.fail(v.Pos, v.width(), fmt.Sprintf("a number cannot count on in \"%s\"", v.Text), help)
	}
	f.Next, f.nextAt = scope, v
}

// counting settles what numbers count apart for, once all fields and lines are known.
func (c *compiler) counting() {
	for _, f := range c.t.Fields {
		if f.Borrowed {
			continue
		}
		c.pairedPer(f)
		if f.Next > InFolder && f.needed {
			c.fail(f.nextAt.Pos, f.nextAt.width(), fmt.Sprintf("\"%s\" is a project's own number, and that counts among its siblings", f.Name), "write `next: yes`; the others go with the number of a naming convention")
		}
		if f.Next > Uncounted && f.needed && f.perNode != nil {
			f.Per = c.per(f, c.t.Fields, "is not a field of this template")
		}
	}
	for _, conv := range c.t.Names {
		f := conv.NextField()
		for _, own := range conv.Fields {
			if c.fieldIndex(own.Name) < 0 {
				c.pairedPer(own)
			}
		}
		if f == nil || f.perNode == nil {
			continue
		}
		if conv.Per = c.per(f, conv.Fields, "does not stand in the pattern of "+conv.Name+", so that no name says it"); conv.Per != nil && !conv.shows(conv.Per) {
			c.fail(f.perNode.Pos, f.perNode.width(), fmt.Sprintf("the pattern of %s does not show enough to count apart for %s", conv.Name, conv.Per.Pattern.Source), "show in `per` no more than the names do")
		}
	}
}

// pairedPer refuses `per` where nothing counts.
func (c *compiler) pairedPer(f *Field) {
	if f.perNode != nil && f.Next == Uncounted {
		c.fail(f.perNode.Pos, f.perNode.width(), "`per` says what a number counts apart for, and this one does not count on", "write `next: yes` beside it")
	}
}

// per joins the pattern of `per` to fields.
func (c *compiler) per(counted *Field, fields []*Field, lacking string) *pattern.Name {
	node := counted.perNode
	p, errs := pattern.Parse(node.Text)
	if len(errs) == 0 && len(p.Slots()) == 0 {
		c.fail(node.Pos, node.width(), "`per` has no slot: it would never begin again", `write one such as per: "<day:yyyy>"`)
		return nil
	}
	name, more := p.Bind(func(slot string) (pattern.Field, *pattern.Error) {
		i := slices.IndexFunc(fields, func(f *Field) bool { return f.Name == slot })
		switch {
		case i < 0:
			return pattern.Field{}, &pattern.Error{Message: fmt.Sprintf("\"%s\" %s", slot, lacking), Help: "name one of " + strings.Join(otherNames(fields, counted), ", ")}
		case fields[i] == counted:
			return pattern.Field{}, &pattern.Error{Message: fmt.Sprintf("\"%s\" cannot count apart for itself", slot), Help: "name another field"}
		}
		return pattern.Field{Index: i, Type: &fields[i].Type}, nil
	})
	if errs = append(errs, more...); len(errs) > 0 {
		c.patternErrors(node.Pos, errs)
		return nil
	}
	return name
}

func otherNames(fields []*Field, but *Field) (names []string) {
	for _, f := range fields {
		if f != but {
			names = append(names, f.Name)
		}
	}
	return names
}

// shows reports whether names of the convention say all that another pattern asks of
// times: a name with a month says no day.
func (conv *Convention) shows(what *pattern.Name) bool {
	day := value.Value{Kind: value.Date, Year: 2027, Part: 11, Day: 29}
	given := func(slot string) value.Value {
		i := slices.IndexFunc(conv.Fields, func(f *Field) bool { return f.Name == slot })
		return conv.Fields[i].Type.Specimen(slot, day)
	}
	name, _, err := conv.Pattern.Write(given, 2)
	r := conv.Pattern.Reader()
	read := make([]value.Value, len(r.Fields()))
	if err != nil || r.Read(name, read) != nil {
		return true // which is told elsewhere
	}
	for _, slot := range what.Pattern.Slots() {
		i := slices.Index(r.Fields(), slot)
		if want := given(slot); i >= 0 && want.Kind.Calendar() && !what.Shows(slot, read[i], want) {
			return false
		}
	}
	return true
}
