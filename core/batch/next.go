package batch

import (
	"fmt"
	"path"
	"slices"

	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Counter gives projects their numbers: those of fields with `next`, which are one
// more than the highest among the siblings of what bears them.
type Counter struct {
	Place tree.Place     // that is built in
	next  map[string]int // by the field, and the folder that it counts in
}

// Counts reports whether a template has fields that such a counter fills.
func Counts(t *template.Template) bool {
	return slices.ContainsFunc(t.Fields, func(f *template.Field) bool { return f.Next && !f.Borrowed })
}

// Fill adds the numbers that values leave out. The error says why there is none.
func (c *Counter) Fill(t *template.Template, values template.Values, limit int) error {
	for _, f := range t.Fields {
		if !f.Next || f.Borrowed || values[f.Name].Given() {
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
		key := f.Name + "\x00" + dir
		if c.next == nil {
			c.next = map[string]int{}
		}
		n, known := c.next[key]
		if !known {
			n = c.first(f, dir, name)
		}
		if most := f.Type.Max; most != nil && n > *most {
			return fmt.Errorf("no number is left for %q: it goes up to %d, and that is taken", f.Name, *most)
		}
		c.next[key] = n + 1
		values[f.Name] = value.OfNumber(n)
	}
	return nil
}

// first returns one more than the highest number in a folder.
func (c *Counter) first(f *template.Field, dir string, name *pattern.Name) int {
	n := 1
	if f.Type.Min != nil {
		n = *f.Type.Min
	}
	entries, err := c.Place.List(dir)
	if err != nil {
		return n // it is not there yet, and nothing in it
	}
	names := make([]string, len(entries))
	for i, e := range entries {
		names[i] = e.Name
	}
	return max(n, naming.Highest(name, f.Name, names)+1)
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
