package match

import (
	"slices"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// olderOf reads older names of a convention.
func (m *matcher) olderOf(conv *template.Convention) *naming.Older {
	o := m.olders[conv]
	if o == nil {
		if m.olders == nil {
			m.olders = map[*template.Convention]*naming.Older{}
		}
		o = naming.NewOlder(conv, conv.Was)
		m.olders[conv] = o
	}
	return o
}

// conflict is the name, without its ending, of the file beside which a program that keeps drives in step has put this one;
// "" for none.
func (s spot) conflict(beside *tree.Node) string {
	stem, _ := tree.Split(s.node.Name)
	return naming.ConflictBeside(stem, func(other string) bool {
		_, there := find(beside.Children, other+s.node.Name[len(stem):])
		return there
	})
}

// maxFree is how many names of any shape are read in one match: it takes some ten times as long as a
// pattern, and where there are more, nobody fixes them one by one.
const maxFree = 20_000

// freely reads a name of any shape, where it can be read in one way only.
func (m *matcher) freely(conv *template.Convention, stem string, known template.Values) *naming.Reading {
	if m.freed++; m.freed > maxFree || naming.ByMachine(naming.Single(stem)) {
		return nil
	}
	f := m.free[conv]
	if f == nil {
		if m.free == nil {
			m.free = map[*template.Convention]*naming.Free{}
		}
		f = naming.NewFree(conv, nil)
		m.free[conv] = f
	}
	g := f.Read(stem, known)
	switch {
	case g.Slip != "" || len(g.Guesses) == 0:
		return nil
	case len(g.Guesses) == 1:
		return naming.ReadingOf(conv, g.Guesses[0].Values)
	}
	for order := range m.ordersOf(conv, f, known)[g.Shape] {
		if len(m.ordersOf(conv, f, known)[g.Shape]) > 1 {
			return nil
		}
		for _, one := range g.Guesses {
			if one.Order == order {
				return naming.ReadingOf(conv, one.Values)
			}
		}
	}
	return nil
}

// ordersOf are the orders in which names in the folder where the matcher stands write their days, by the shapes of
// those that can be read in one way only.
func (m *matcher) ordersOf(conv *template.Convention, f *naming.Free, known template.Values) map[string]map[naming.Order]bool {
	beside := m.way[len(m.way)-1].real
	key := orderKey{beside, conv}
	if all := m.orders[key]; all != nil {
		return all
	}
	all := map[string]map[naming.Order]bool{}
	for _, n := range beside.Children {
		stem, ending := tree.Split(n.Name)
		if n.Kind != tree.File || len(conv.For) > 0 && !slices.Contains(conv.For, ending) {
			continue
		}
		g := f.Read(stem, known)
		if len(g.Guesses) == 1 && g.Guesses[0].Order != "" {
			if all[g.Shape] == nil {
				all[g.Shape] = map[naming.Order]bool{}
			}
			all[g.Shape][g.Guesses[0].Order] = true
		}
	}
	if m.orders == nil {
		m.orders = map[orderKey]map[string]map[naming.Order]bool{}
	}
	m.orders[key] = all
	return all
}

// An orderKey is a folder and a convention of what lies there.
type orderKey struct {
	in   *tree.Node
	conv *template.Convention
}
