// Package naming reads the names of files back into values by the naming
// conventions of a template, and finds the next free number.
package naming

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Reader reads the names of files by some conventions. It must not be shared
// between goroutines.
type Reader struct {
	rows []row
}

type row struct {
	convention   *template.Convention
	reader       *pattern.Reader
	values       []value.Value
	loose, fixed int
}

func (a row) compare(b row) int {
	return cmp.Or(cmp.Compare(a.loose, b.loose), cmp.Compare(b.fixed, a.fixed))
}

// NewReader returns a reader of names by those conventions.
func NewReader(conventions []*template.Convention) *Reader {
	r := &Reader{}
	for _, c := range conventions {
		loose, fixed := c.Pattern.Loose()
		r.rows = append(r.rows, row{c, c.Pattern.Reader(), make([]value.Value, len(c.Fields)), loose, fixed})
	}
	slices.SortStableFunc(r.rows, row.compare)
	return r
}

// Folders read the names of files by the conventions that the folder around them holds,
// else by all. They must not be shared between goroutines.
type Folders struct {
	all   *Reader
	lines []line
	known map[string]*Reader // by the name of the folder
}

type line struct {
	holds  []*template.Convention
	folder *pattern.Name
}

// NewFolders returns a reader by the conventions of a template. Lines may hold others as
// well, which do not count.
func NewFolders(t *template.Template) *Folders {
	f := &Folders{all: NewReader(t.Names), known: map[string]*Reader{}}
	for _, l := range t.Lines {
		holds := l.Holds
		if slices.ContainsFunc(holds, func(c *template.Convention) bool { return !slices.Contains(t.Names, c) }) {
			holds = slices.DeleteFunc(slices.Clone(holds), func(c *template.Convention) bool { return !slices.Contains(t.Names, c) })
		}
		if len(holds) > 0 && len(l.Names) > 0 {
			f.lines = append(f.lines, line{holds, l.Names[len(l.Names)-1]})
		}
	}
	return f
}

// Read reads the name of a file that lies in a folder of that name, as
// [Reader.Read] does.
func (f *Folders) Read(folder, name string) (*template.Convention, []value.Value, *pattern.Misfit) {
	if r := f.reader(folder); r != nil {
		c, values, misfit := r.Read(name)
		if misfit == nil || misfit.Tied {
			return c, values, misfit
		}
		if c, _, _ := f.all.Read(name); c != nil && misfit.Near() && r.Stricter(c, name) {
			return nil, nil, misfit // it has a slip, which a looser convention does not see
		}
	}
	return f.all.Read(name)
}

// Stricter reports whether a convention of the reader speaks of files with the ending of a name, and
// has fewer free texts than another convention: a name that nearly reads by it is meant so.
func (r *Reader) Stricter(than *template.Convention, name string) bool {
	_, ending := tree.Split(name)
	loose, _ := than.Pattern.Loose()
	return slices.ContainsFunc(r.rows, func(row row) bool {
		own, _ := row.convention.Pattern.Loose()
		return own < loose && (len(row.convention.For) == 0 || slices.Contains(row.convention.For, ending))
	})
}

// reader is that of what a folder holds, or nil.
func (f *Folders) reader(folder string) *Reader {
	r, known := f.known[folder]
	if !known {
		if holds := f.holds(folder); len(holds) > 0 {
			r = NewReader(holds)
		}
		f.known[folder] = r
	}
	return r
}

// Speaks reports whether a convention speaks of files with an ending, in small letters,
// in a folder of that name; and whether that is one which the folder holds.
func (f *Folders) Speaks(folder, ending string) (any, held bool) {
	r := f.reader(folder)
	if r != nil && r.speaks(ending) {
		return true, true
	}
	return r == nil && f.all.speaks(ending), false
}

func (r *Reader) speaks(ending string) bool {
	return slices.ContainsFunc(r.rows, func(row row) bool {
		return len(row.convention.For) == 0 || slices.Contains(row.convention.For, ending)
	})
}

// holds returns the conventions of the lines that a folder's name can stand for.
func (f *Folders) holds(folder string) (holds []*template.Convention) {
	for _, l := range f.lines {
		if r := l.folder.Reader(); r.Read(folder, make([]value.Value, len(r.Fields()))) != nil {
			continue
		}
		for _, c := range l.holds {
			if !slices.Contains(holds, c) {
				holds = append(holds, c)
			}
		}
	}
	return holds
}

// Points reports whether a file, by its ending, only points to something else: that two hold the same says nothing.
func Points(name string) bool {
	_, ending := tree.Split(name)
	return slices.Contains(template.Pointers, ending)
}

// Read reads the name of a file, its ending included. Of several conventions that it
// fits, the one with the fewest free texts reads it, then the one with the most fixed
// characters. The values stand in the order of the convention's fields and
// are valid until the next call. Where no convention fits, the misfit of the
// one that it came closest to is returned; where two fit alike, one that is tied.
func (r *Reader) Read(name string) (*template.Convention, []value.Value, *pattern.Misfit) {
	stem, ending := tree.Split(name)
	var best *pattern.Misfit
	var first *row
	for i := range r.rows {
		row := &r.rows[i]
		if first != nil && row.compare(*first) != 0 {
			break
		}
		misfit := row.reader.Read(stem, row.values)
		if misfit == nil && len(row.convention.For) > 0 && !slices.Contains(row.convention.For, ending) {
			misfit = pattern.Ending(len(stem), fmt.Sprintf("the ending must be .%s", strings.Join(row.convention.For, " or .")))
		}
		switch {
		case misfit != nil:
		case first == nil:
			first = row
			continue
		default:
			return nil, nil, &pattern.Misfit{Tied: true, Message: fmt.Sprintf("it fits both “%s” and “%s”, and neither better", first.convention.Name, row.convention.Name)}
		}
		if best == nil || misfit.Closer(best) {
			best = misfit
		}
	}
	switch {
	case first != nil:
		return first.convention, first.values, nil
	case best == nil:
		best = &pattern.Misfit{Message: "no naming convention speaks of it"}
	}
	return nil, nil, best
}

// Check returns an error where the name of a file, its ending included, would be read
// otherwise than it was written: from those values.
func Check(c *template.Convention, name string, values template.Values) error {
	return NewReader([]*template.Convention{c}).Check(c, name, values)
}

// Check is as the function of that name, for a reader by that convention alone.
func (r *Reader) Check(c *template.Convention, name string, values template.Values) error {
	_, read, misfit := r.Read(name)
	if misfit != nil {
		return fmt.Errorf("it could not be read back: %s", misfit.Message)
	}
	for i, f := range c.Fields {
		if !c.Pattern.Agrees(f.Name, read[i], values[f.Name]) {
			return fmt.Errorf("it would be read back with %s \"%s\", not \"%s\"", f.Name, read[i], values[f.Name])
		}
	}
	return nil
}
