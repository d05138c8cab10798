// Package naming reads the names of files back into values by the naming
// conventions of a template, and finds the next free number.
package naming

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/value"
)

// A Reader reads the names of files by some conventions. It must not be shared
// between goroutines.
type Reader struct {
	rows []row
}

type row struct {
	convention *template.Convention
	reader     *pattern.Reader
	values     []value.Value
}

// NewReader returns a reader of names by those conventions.
func NewReader(conventions []*template.Convention) *Reader {
	r := &Reader{}
	for _, c := range conventions {
		r.rows = append(r.rows, row{c, c.Pattern.Reader(), make([]value.Value, len(c.Fields))})
	}
	slices.SortStableFunc(r.rows, func(a, b row) int {
		loose, fixed := a.convention.Pattern.Loose()
		others, more := b.convention.Pattern.Loose()
		return cmp.Or(cmp.Compare(loose, others), cmp.Compare(more, fixed))
	})
	return r
}

// Split takes the ending from the name of a file. The ending is returned in
// small letters, without the dot.
func Split(name string) (stem, ending string) {
	if ending = template.Extension(name); ending == "" {
		return name, ""
	}
	return name[:len(name)-len(ending)-1], strings.ToLower(ending)
}

// Read reads the name of a file, its ending included. Of several conventions that it
// fits, the one with the fewest free texts reads it, then the one with the most fixed
// characters. The values stand in the order of the convention's fields and
// are valid until the next call. Where no convention fits, the misfit of the
// one that it came closest to is returned.
func (r *Reader) Read(name string) (*template.Convention, []value.Value, *pattern.Misfit) {
	stem, ending := Split(name)
	var best *pattern.Misfit
	for i := range r.rows {
		row := &r.rows[i]
		misfit := row.reader.Read(stem, row.values)
		if misfit == nil && len(row.convention.For) > 0 && !slices.Contains(row.convention.For, ending) {
			misfit = pattern.Ending(len(stem), fmt.Sprintf("the ending must be .%s", strings.Join(row.convention.For, " or .")))
		}
		if misfit == nil {
			return row.convention, row.values, nil
		}
		if best == nil || misfit.Closer(best) {
			best = misfit
		}
	}
	return nil, nil, best
}

// Next returns the number that follows the highest one among the names of a
// folder that fit the convention, or the smallest that the field allows where
// there is none. Odd are names that the convention speaks of and cannot read, although
// they hold a number: they were not counted.
func Next(c *template.Convention, names []string) (next int, odd []string, err error) {
	field := c.NextField()
	if field == nil {
		return 0, nil, fmt.Errorf("the convention %q has no field with `next: yes`", c.Name)
	}
	at := slices.Index(c.Fields, field)
	next = 1
	if field.Type.Min != nil {
		next = *field.Type.Min
	}
	r := NewReader([]*template.Convention{c})
	for _, name := range names {
		name = path.Base(name)
		_, values, misfit := r.Read(name)
		if misfit == nil {
			next = max(next, values[at].Number+1)
			continue
		}
		stem, ending := Split(name)
		if strings.ContainsAny(stem, "0123456789") && stem[0] != '.' && (len(c.For) == 0 || slices.Contains(c.For, ending)) {
			odd = append(odd, name)
		}
	}
	if limit := field.Type.Max; limit != nil && next > *limit {
		return 0, nil, fmt.Errorf("no number is left for %q: it goes up to %d, and that is taken", field.Name, *limit)
	}
	return next, odd, nil
}

// Highest returns the highest number that a slot has among names that a pattern reads,
// or -1 where there is none.
func Highest(name *pattern.Name, slot string, names []string) int {
	r := name.Reader()
	at, highest := slices.Index(r.Fields(), slot), -1
	values := make([]value.Value, len(r.Fields()))
	for _, text := range names {
		if at >= 0 && r.Read(text, values) == nil {
			highest = max(highest, values[at].Number)
		}
	}
	return highest
}

// Check returns an error where the name of a file, its ending included, would be read
// otherwise than it was written: from those values.
func Check(c *template.Convention, name string, values template.Values) error {
	_, read, misfit := NewReader([]*template.Convention{c}).Read(name)
	if misfit != nil {
		return fmt.Errorf("it could not be read back: %s", misfit.Message)
	}
	for i, f := range c.Fields {
		if !c.Pattern.Agrees(f.Name, read[i], values[f.Name]) {
			return fmt.Errorf("it would be read back with %s %q, not %q", f.Name, read[i], values[f.Name])
		}
	}
	return nil
}
