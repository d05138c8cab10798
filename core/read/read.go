// Package read lists what the names of files say: over any number of projects and
// folders, with the values of the projects beside those of the names.
package read

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// An Entry is a file whose name a convention reads; or a folder, where a convention
// names folders.
type Entry struct {
	Project    *project.Project // nil where it lies in none
	Path       string           // from the project's own folder, or from what was read
	Folder     bool
	Convention *template.Convention // nil of a misfit
	Values     []value.Value        // of the convention's fields
	Misfit     *pattern.Misfit      // why it was not read; nil where it was
}

// Value returns what an entry says of a field: its name or, where that says nothing, its
// project; and the project too where the name says the same, and its form may have kept
// less of it.
func (e *Entry) Value(field string) value.Value {
	var known value.Value
	if e.Project != nil {
		known = e.Project.Values[field]
	}
	if e.Convention != nil {
		for i, f := range e.Convention.Fields {
			if v := e.Values[i]; f.Name == field && v.Given() {
				if known.Kind == value.Text && v.Kind == value.Text && e.Convention.Pattern.Agrees(field, v, known) {
					return known
				}
				return v
			}
		}
	}
	return known
}

// A Source is a tree whose names are read.
type Source struct {
	Project  *project.Project // nil of what is no project
	Template *template.Template
	Name     string // of the folder itself
	Root     *tree.Node
}

// A Reader reads sources. It must not be shared between goroutines.
type Reader struct {
	Only    []string // conventions; none for all
	Filters []naming.Filter

	folders map[*template.Template]*naming.Folders
	tests   map[testKey]test
}

type testKey struct {
	owner  any // a convention or a template
	filter int
}

// A test is what a filter means for names of a convention, or for projects of a template;
// nil where these have no such field.
type test func(e *Entry) bool

// A Found is what was read.
type Found struct {
	Entries []*Entry
	Misfits []*Entry // what conventions speak of, and do not read, or not in one way
	Others  int      // files that no convention speaks of
	Dropped int      // that the filters leave out
}

// Has reports whether a field that filters ask for is one of a template: of its own, or of
// its conventions.
func Has(t *template.Template, field string) bool {
	if t.Field(field) != nil {
		return true
	}
	return slices.ContainsFunc(t.Names, func(c *template.Convention) bool {
		return slices.ContainsFunc(c.Fields, func(f *template.Field) bool { return f.Name == field })
	})
}

// reader returns what reads the names of a template's projects.
func (r *Reader) reader(t *template.Template) *naming.Folders {
	f := r.folders[t]
	if f == nil {
		from := t
		if len(r.Only) > 0 {
			from = &template.Template{Lines: t.Lines}
			for _, c := range t.Names {
				if slices.Contains(r.Only, c.Name) {
					from.Names = append(from.Names, c)
				}
			}
		}
		f = naming.NewFolders(from)
		if r.folders == nil {
			r.folders = map[*template.Template]*naming.Folders{}
		}
		r.folders[t] = f
	}
	return f
}

// Read reads the names in a source. The error says that a filter does not fit a field.
func (r *Reader) Read(s *Source) (*Found, error) {
	found := &Found{}
	reader := r.reader(s.Template)
	var failed error
	var walk func(n *tree.Node, name, at string)
	walk = func(n *tree.Node, name, at string) {
		for _, c := range n.Children {
			below := path.Join(at, c.Name)
			if c.Kind == tree.Folder {
				if any, held := reader.Speaks(name, ""); any && held {
					if conv, values, misfit := reader.Read(name, c.Name); misfit == nil && len(conv.For) == 0 {
						failed = cmp.Or(failed, r.take(found, s, &Entry{Project: s.Project, Path: below, Folder: true, Convention: conv, Values: slices.Clone(values)}))
					}
				}
				walk(c, c.Name, below)
				continue
			}
			if c.Marks&tree.Link == 0 {
				failed = cmp.Or(failed, r.name(found, s, reader, name, below))
			}
		}
	}
	walk(s.Root, s.Name, "")
	return found, failed
}

// Name reads the name of one file, in a folder of some name.
func (r *Reader) Name(found *Found, s *Source, folder, at string) error {
	return r.name(found, s, r.reader(s.Template), folder, at)
}

func (r *Reader) name(found *Found, s *Source, reader *naming.Folders, folder, at string) error {
	name := path.Base(at)
	conv, values, misfit := reader.Read(folder, name)
	if misfit == nil {
		return r.take(found, s, &Entry{Project: s.Project, Path: at, Convention: conv, Values: slices.Clone(values)})
	}
	_, ending := tree.Split(name)
	any, held := reader.Speaks(folder, ending)
	if !misfit.Tied && (!any || s.Project != nil && (!held || makes(s.Template, name))) {
		found.Others++
		return nil
	}
	m := *misfit
	found.Misfits = append(found.Misfits, &Entry{Project: s.Project, Path: at, Misfit: &m})
	return nil
}

// makes reports whether a name is that of a file which a template makes.
func makes(t *template.Template, name string) bool {
	return slices.ContainsFunc(t.Lines, func(l *template.Line) bool {
		if l.Kind != tree.File || len(l.Names) == 0 {
			return false
		}
		r := l.Names[len(l.Names)-1].Reader()
		return r.Read(name, make([]value.Value, len(r.Fields()))) == nil
	})
}

// take adds an entry that the filters keep.
func (r *Reader) take(found *Found, s *Source, e *Entry) error {
	for i := range r.Filters {
		test, err := r.test(i, s, e)
		if err != nil {
			return err
		}
		if test == nil || !test(e) {
			found.Dropped++
			return nil
		}
	}
	found.Entries = append(found.Entries, e)
	return nil
}

// test returns what a filter means for an entry.
func (r *Reader) test(i int, s *Source, e *Entry) (test, error) {
	key := testKey{e.Convention, i}
	if t, known := r.tests[key]; known {
		return t, nil
	}
	filter := &r.Filters[i]
	var typ *value.Type
	for _, f := range e.Convention.Fields {
		if f.Name == filter.Field {
			typ = &f.Type
		}
	}
	if f := s.Template.Field(filter.Field); typ == nil && f != nil && s.Project != nil {
		typ = &f.Type
	}
	var t test
	if typ != nil {
		holds, err := filter.Test(typ)
		if err != nil {
			return nil, err
		}
		t = func(e *Entry) bool { return holds(e.Value(filter.Field)) }
	}
	if r.tests == nil {
		r.tests = map[testKey]test{}
	}
	r.tests[key] = t
	return t, nil
}

// Newest keeps, of entries that differ only in numbers and days, the newest: by its day,
// then by its numbers. They lie in one folder.
func Newest(entries []*Entry) (kept []*Entry) {
	type key struct {
		project    *project.Project
		dir        string
		convention *template.Convention
		rest       string
	}
	at := map[key]int{}
	for _, e := range entries {
		var rest strings.Builder
		for i, f := range e.Convention.Fields {
			if !counts(f) {
				rest.WriteString(naming.Plainly(e.Values[i].String()))
			}
			rest.WriteByte(0)
		}
		_, ending := tree.Split(path.Base(e.Path))
		k := key{e.Project, path.Dir(e.Path), e.Convention, rest.String() + ending}
		i, known := at[k]
		switch {
		case !known:
			at[k] = len(kept)
			kept = append(kept, e)
		case newer(e, kept[i]):
			kept[i] = e
		}
	}
	return kept
}

func counts(f *template.Field) bool { return f.Type.Kind == value.Number || f.Type.Kind.Calendar() }

// newer reports whether an entry comes after another one.
func newer(a, b *Entry) bool {
	for _, calendar := range []bool{true, false} {
		for i, f := range a.Convention.Fields {
			if !counts(f) || f.Type.Kind.Calendar() != calendar {
				continue
			}
			if d := a.Values[i].Compare(b.Values[i]); d != 0 {
				return d > 0
			}
		}
	}
	return false
}
