package project

import (
	"slices"

	"vestibula/core/address"
	"vestibula/core/pattern"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// Copies tells which projects were copied by hand: a copy has the identity of its original, and
// lies beside it under a name that its values do not give it.
type Copies struct {
	beside map[address.Address]map[string][]address.Address // by folders and identities
}

// Original is the project that one is a copy of; "" where there is none.
func (c *Copies) Original(p *Project) address.Address {
	if p.Label.ID == "" || p.Named() {
		return ""
	}
	in := p.Dir.Parent()
	known, looked := c.beside[in]
	if !looked {
		known = map[string][]address.Address{}
		entries, _ := place.ReadDir(in)
		for _, e := range entries {
			if !e.IsDir() {
				continue
			}
			if l, _, err := ReadLabel(in.Join(e.Name())); err == nil && l.ID != "" {
				known[l.ID] = append(known[l.ID], in.Join(e.Name()))
			}
		}
		if c.beside == nil {
			c.beside = map[address.Address]map[string][]address.Address{}
		}
		c.beside[in] = known
	}
	others := slices.DeleteFunc(slices.Clone(known[p.Label.ID]), func(at address.Address) bool { return at == p.Dir })
	if len(others) != 1 {
		return ""
	}
	return others[0]
}

// Named reports whether the project's own folder is called as its values say.
func (p *Project) Named() bool {
	x, err := p.Template.Tree(p.Values, template.DefaultLimit)
	if err != nil {
		return true
	}
	_, own := p.Template.Own(x.Root)
	if own.Marks&tree.Open != 0 {
		return true
	}
	wanted, real := p.Names(x.Root)
	return slices.Equal(wanted, real)
}

// ownName is the name of the line that makes the project's own folder; nil where none does.
func (p *Project) ownName() *pattern.Name {
	x, err := p.Template.Tree(p.Values, template.DefaultLimit)
	if err != nil {
		return nil
	}
	_, own := p.Template.Own(x.Root)
	return p.Template.NameOf(own)
}

// Says are the values that the name of the project's own folder says and that are others than those
// of the project, by the line that makes it; nil where it does not read so.
func (p *Project) Says() template.Values {
	name := p.ownName()
	if name == nil {
		return nil
	}
	r := name.Reader()
	read := make([]value.Value, len(r.Fields()))
	if r.Read(p.Dir.Name(), read) != nil {
		return nil
	}
	values := template.Values{}
	for i, slot := range r.Fields() {
		f := p.Template.Field(slot)
		if known := p.Values[slot]; f == nil || f.Made() || read[i].Kind != f.Type.Kind || name.Partly(slot) {
			return nil
		} else if !name.Agrees(slot, read[i], known) {
			values[slot] = read[i]
		}
	}
	return values
}

// NamedBy are the fields that the name of the project's own folder is made of.
func (p *Project) NamedBy() (fields []string) {
	name := p.ownName()
	if name == nil {
		return nil
	}
	for _, slot := range name.Pattern.Slots() {
		if f := p.Template.Field(slot); f != nil {
			for _, g := range p.Template.Ingredients(f) {
				fields = append(fields, g.Name)
			}
		}
	}
	return fields
}
