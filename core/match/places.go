package match

import (
	"maps"
	"path"
	"slices"

	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Place is a folder that a template asks for, in a project that is or is to be.
type Place struct {
	Line *template.Line // whose clauses are its; nil where it only leads to others, or is the top of all
	Name *pattern.Name  // that it is called by; nil where that is no pattern
	Want *tree.Node
	Real *tree.Node // nil where it is not there
	Path string     // from the own folder, as it is on the disk or would be; "" is that itself
	// Values are what is known there: those of the project, and over them those that the
	// folders on the way show.
	Values template.Values
	// Open says that the folder stands for any number of them: its values name one.
	Open bool
	// Up is the place that it lies in, or nil.
	Up *Place
}

// A seen folder is a real one, and where it lies.
type seen struct {
	real *tree.Node
	path string
}

// place is what a wanted folder is, with the values that are known in it.
func (m *matcher) place(w *Wanted, want *tree.Node, up *Place, at seen) *Place {
	p := &Place{Line: w.Template.ClausesOf(want), Name: m.Template.NameOf(want), Want: want, Real: at.real, Path: at.path, Up: up}
	p.Open = at.real == nil && (want.Marks&tree.Open != 0 || up != nil && up.Open)
	p.Values = w.Values
	if up != nil {
		p.Values = up.Values
	}
	name := want.Name
	if want.Marks&tree.Open != 0 && at.real != nil {
		name = at.real.Name
	}
	if p.Open {
		return p
	}
	var shown template.Values
	for _, b := range m.says(want, name) {
		if b.part || w.Values[b.slot].Given() {
			continue // a name may show only a part of it
		}
		if shown == nil {
			shown = maps.Clone(p.Values)
		}
		shown[b.slot] = b.value
	}
	if shown != nil {
		p.Values = shown
	}
	return p
}

// Places finds the folders that a template asks for in the real folder of a project,
// those that are not there among them, from the outermost on. The children of the real
// tree must be sorted by their names.
func Places(w *Wanted, real *tree.Node) []*Place {
	m := newMatcher(w)
	m.top = real
	there := map[*tree.Node][]seen{}
	looking := *w
	looking.Number = nil
	looking.Matched = func(want, real *tree.Node, at string, _ func(func(*Thing) bool) string) {
		if want.Kind == tree.Folder && real.Marks&tree.Link == 0 {
			there[want] = append(there[want], seen{real, at})
		}
	}
	m.Wanted = &looking
	m.same(w.Own, real, spot{node: real})

	var places []*Place
	var walk func(want *tree.Node, up *Place, at seen)
	walk = func(want *tree.Node, up *Place, at seen) {
		p := m.place(w, want, up, at)
		places = append(places, p)
		for _, c := range want.Children {
			if c.Kind != tree.Folder || c.Marks&tree.Due != 0 {
				continue
			}
			found := false
			for _, s := range there[c] {
				if at.real == nil || path.Dir(s.path) != path.Join(".", at.path) {
					continue
				}
				found = true
				walk(c, p, s)
			}
			if !found || c.Marks&(tree.Open|tree.Later) == tree.Open|tree.Later {
				walk(c, p, seen{path: path.Join(at.path, c.Name)})
			}
		}
	}
	walk(w.Own, nil, seen{real, ""})
	return places
}

// Known is what is known of a slot at a place.
func (p *Place) Known(slot string) value.Value { return p.Values[slot] }

// For returns the folder, by its path from the own folder, in which a file of a convention with
// some values belongs, if the place agrees with them; and what is known there. Of a place that
// stands for any number of folders, the values name one. Not ok is what contradicts the place, or
// names no folder.
func (p *Place) For(conv *template.Convention, values []value.Value) (dir string, known template.Values, ok bool) {
	if naming.Contradiction(conv, values, p.Values) != "" {
		return "", nil, false
	}
	known = p.Values
	if p.Open {
		known = known.Clone()
		for i, f := range conv.Fields {
			if values[i].Given() && known[f.Name].Kind != f.Type.Kind { // a folder may say a part of it
				known[f.Name] = values[i]
			}
		}
	}
	dir, ok = p.Called(known)
	return dir, known, ok
}

// Asks are the fields that the names of a place which stands for any number of folders need,
// and that nothing there is known of.
func (p *Place) Asks() (fields []string) {
	for ; p != nil && p.Open; p = p.Up {
		if p.Name == nil {
			continue
		}
		for _, slot := range p.Name.Pattern.Slots() {
			if !p.Values[slot].Given() && !slices.Contains(fields, slot) {
				fields = append(fields, slot)
			}
		}
	}
	return fields
}

// Called is the path of a place for values: of one that stands for any number of folders, of that
// which they name. An optional level whose name comes out empty is left out.
func (p *Place) Called(values template.Values) (dir string, ok bool) {
	if p.Up == nil || !p.Open {
		return p.Path, true
	}
	up, ok := p.Up.Called(values)
	if !ok || p.Name == nil {
		return "", false
	}
	name, whole, err := p.Name.Write(func(slot string) value.Value { return values[slot] }, 2)
	return path.Join(up, name), whole && err == nil
}
