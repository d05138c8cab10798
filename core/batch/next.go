package batch

import (
	"path"
	"slices"

	"vestibula/core/bundle"
	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Counter gives projects their numbers: those of fields with `next`, which are one
// more than the highest among the siblings of what bears them.
type Counter struct {
	Place   tree.Place // that is built in
	numbers naming.Numbers
	// Away returns the names of projects that were archived from a folder; may be nil.
	Away func(dir string) []string
}

// Counts reports whether a template has fields that such a counter fills.
func Counts(t *template.Template) bool {
	return slices.ContainsFunc(t.Fields, counts)
}

func counts(f *template.Field) bool { return f.Next > template.Uncounted && !f.Borrowed }

// Fill adds the numbers that values leave out. The error says why there is none.
func (c *Counter) Fill(t *template.Template, values template.Values, limit int) error {
	for _, f := range t.Fields {
		if !counts(f) || values[f.Name].Given() {
			continue
		}
		x, err := t.Tree(values, limit)
		if err != nil {
			return err
		}
		dir, name := bearer(t, x.Root, f.Name)
		if name == nil {
			continue // it shows in no name, and counts nothing
		}
		series := naming.NewSeries(f, name, f.Per)
		n, take, err := c.numbers.Next(series, dir, values, func() ([]string, error) { return c.folders(dir), nil })
		if err != nil {
			return err
		}
		take()
		values[f.Name] = value.OfNumber(n)
	}
	return nil
}

// NewCounter returns one for a place of this disk, which counts what was archived from there too.
func NewCounter(p *place.Place) *Counter {
	return &Counter{Place: p, Away: func(dir string) (names []string) {
		if l := bundle.AwayIn(p.Real.Join(dir)); l != nil {
			for _, a := range l.Projects {
				if a.Part == "" {
					names = append(names, a.Name)
				}
			}
		}
		return names
	}}
}

// folders are the names of what lies in a folder, and of what was archived from there; of one that is not there yet, none.
func (c *Counter) folders(dir string) (names []string) {
	entries, err := c.Place.List(dir)
	if err != nil {
		return nil
	}
	for _, e := range entries {
		names = append(names, e.Name)
	}
	if c.Away != nil {
		names = append(names, c.Away(dir)...)
	}
	return names
}

// bearer finds the first name in a tree that holds a slot, and the folder that it lies
// in.
func bearer(t *template.Template, root *tree.Node, slot string) (dir string, name *pattern.Name) {
	for at, n := range root.All() {
		line := t.LineOf(n)
		if line == nil || int(n.Nth) >= len(line.Names) {
			continue
		}
		if name = line.Names[n.Nth]; slices.Contains(name.Pattern.Slots(), slot) {
			return path.Dir(at), name
		}
	}
	return "", nil
}
