// Package takeover finds folders that no template made and that look like the projects of one, and
// reads from their names, of any shape, and from what lies in them what they would have been built
// with. It plans nothing: with their values they are projects like any other, and package upgrade
// brings them to their template.
package takeover

import (
	"cmp"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Search is for the folders below one, or for that itself, that could be projects of a template.
type Search struct {
	Template *template.Template
	Dir      address.Address
	Root     *tree.Node // all that lies there
	Home     address.Address
	Given    template.Values                           // what somebody has said, for all of them
	Each     func(dir address.Address) template.Values // what somebody has said of one alone; may be nil
	Only     func(dir address.Address) bool            // which of them are meant; nil for all
	Labelled bool                                      // those that bear a label are looked for as well
	Limit    int
	Now      time.Time
}

// A Folder is one that looks like a project of the template.
type Folder struct {
	Dir    address.Address
	Path   string // from the folder that was searched
	Root   *tree.Node
	Values template.Values // as far as it says them
	Lacks  []*template.Field
	Left   string // why it is not taken over; "" where it is
	Why    string // what its name left open
	Wanted string // what its own folder would be called; "" where that is its name
}

// Find returns them, in the order of their paths. The error is that of the template.
func (s *Search) Find() ([]*Folder, error) {
	w, err := match.Of(s.Template, s.Template.Sample(maps.Clone(s.Given), s.Now), s.Limit, s.Now)
	if err != nil {
		return nil, err
	}
	list := s.alike(w)
	if err := s.read(list, w); err != nil {
		return nil, err
	}
	s.Settle(list)
	return list, nil
}

// alike are the folders that look like a project: the one that was named, where it does, else those below.
func (s *Search) alike(w *match.Wanted) (list []*Folder) {
	own := 0
	for _, c := range w.Own.Children {
		if c.Marks&tree.Open == 0 {
			own++
		}
	}
	tells := s.telling(w)
	var walk func(n *tree.Node, at string) (holds bool)
	walk = func(n *tree.Node, at string) (holds bool) {
		if !s.Labelled && project.Has(n, label.FileName) {
			return true
		}
		like := w.Likeness(n)
		f := &Folder{Dir: s.Dir.Join(at), Path: cmp.Or(at, "."), Root: n}
		if named := at == "" && s.Only != nil && s.Only(s.Dir); named || like >= 2 || like > 0 && (2*like >= own || tells(f.Dir.Name())) {
			if s.Only == nil || s.Only(f.Dir) {
				list = append(list, f)
				f.Left = s.taboo(f)
			}
			return false
		}
		for _, c := range n.Children {
			if c.Kind == tree.Folder && c.Marks&tree.Link == 0 && !strings.HasPrefix(c.Name, ".") && !backup(c) {
				holds = walk(c, path.Join(at, c.Name)) || holds
			}
		}
		return holds
	}
	walk(s.Root, "")
	return list
}

// telling returns what reports whether a name says what only the name of a project would say: a day, a
// number, or one of some choices.
func (s *Search) telling(w *match.Wanted) func(name string) bool {
	own := s.Template.NameOf(w.Own)
	if own == nil {
		return func(string) bool { return false }
	}
	conv := s.convention(own)
	free := naming.NewFree(conv, nil)
	return func(name string) bool {
		says := false
		for _, g := range free.Read(name, template.Values{}).Guesses {
			for _, f := range conv.Fields {
				v := g.Values[f.Name]
				if f.Type.Kind != value.Text && !v.Given() {
					return false
				}
				says = says || f.Type.Kind != value.Text
			}
		}
		return says
	}
}

// backup reports whether a folder is set aside, and no project.
func backup(n *tree.Node) bool {
	return project.Within(n, bundle.BackupName) != nil || project.Has(n, bundle.BagName) && project.Has(n, bundle.Declaration)
}

// taboo says why a folder is never taken over.
func (s *Search) taboo(f *Folder) string {
	inside := false
	for _, n := range f.Root.All() {
		inside = inside || n.Kind == tree.Folder && project.Has(n, label.FileName)
	}
	switch {
	case inside:
		return "projects lie in it"
	case f.Root.Child(".git") != nil || f.Root.Child(".hg") != nil || f.Root.Child(".svn") != nil:
		return "it is a repository, which other programs keep"
	case backup(f.Root):
		return "it is a backup"
	case !place.Owned(string(f.Dir)):
		return "it belongs to another user"
	case f.Dir == s.Home && f.Path != ".":
		return "it is your home"
	}
	return ""
}

// read reads what folders say: by the name that the template has for them, else by any shape, and from
// what lies in them.
func (s *Search) read(list []*Folder, w *match.Wanted) error {
	own, levels := s.Template.NameOf(w.Own), 0
	if at, _ := s.Template.Own(w.Expansion.Root); at != "." {
		levels = 1 + strings.Count(at, "/")
	}
	guessed, orders := make([]*naming.Guessed, len(list)), map[string]map[naming.Order]int{}
	var free *naming.Free
	var reader *pattern.Reader
	if own != nil {
		free, reader = naming.NewFree(s.convention(own), nil), own.Reader()
	}
	for i, f := range list {
		if own == nil || reads(reader, f.Dir.Name()) {
			continue
		}
		guessed[i] = free.Read(f.Dir.Name(), s.said(f))
		if g := guessed[i]; len(g.Guesses) == 1 && g.Guesses[0].Order != "" {
			if orders[g.Shape] == nil {
				orders[g.Shape] = map[naming.Order]int{}
			}
			orders[g.Shape][g.Guesses[0].Order]++
		}
	}
	for i, f := range list {
		known := s.said(f)
		if g := guessed[i]; g != nil {
			f.Why = g.Lacks
			for name, v := range decided(g, orders[g.Shape], f) {
				if field := s.Template.Field(name); field != nil && !known[name].Given() && v.Kind == field.Type.Kind {
					known[name] = v
				}
			}
		}
		names := strings.Split(strings.Trim(f.Dir.Slashed(), "/"), "/")
		names = names[max(0, len(names)-levels):]
		values, err := (&match.Showing{Template: s.Template, Known: known, Names: names, Real: f.Root, Limit: max(s.Limit, 10*f.Root.Count()), Now: s.Now}).Values()
		if err != nil {
			return err
		}
		f.Values = values
		f.Lacks = s.Template.Missing(values)
	}
	return nil
}

// reads reports whether a name is as the template has it: a text in it that begins or ends with what joins
// the parts of names is none.
func reads(r *pattern.Reader, name string) bool {
	values := make([]value.Value, len(r.Fields()))
	return r.Read(name, values) == nil && !slices.ContainsFunc(values, func(v value.Value) bool {
		return v.Kind == value.Text && strings.Trim(v.String(), " -–—_,.;+&") != v.String()
	})
}

// said is what somebody has said of a folder.
func (s *Search) said(f *Folder) template.Values {
	known := template.Values{}
	maps.Copy(known, s.Given)
	if s.Each != nil {
		maps.Copy(known, s.Each(f.Dir))
	}
	return known
}

// convention is the name of the own folder as one that names follow.
func (s *Search) convention(own *pattern.Name) *template.Convention {
	c := &template.Convention{Name: "the name", Pattern: own}
	for _, f := range s.Template.Fields {
		if strings.Contains(own.Pattern.Source, "<"+f.Name+":") || strings.Contains(own.Pattern.Source, "<"+f.Name+">") {
			c.Fields = append(c.Fields, f)
		}
	}
	return c
}

// deciding is how many names of a shape must decide alike: two people may have written in two ways, and of
// few names all can be those of one of them.
const deciding = 4

// decided is what a name of any shape says: where it could be read in several ways, those of its shape
// that can be read in one way only decide, if they agree; else only what all ways have in common is said.
func decided(g *naming.Guessed, orders map[naming.Order]int, f *Folder) template.Values {
	switch {
	case len(g.Guesses) == 0:
		return nil
	case g.Slip != "":
		f.Why = g.Slip + ", it seems"
		return nil
	case len(g.Guesses) == 1:
		return g.Guesses[0].Values
	case len(orders) == 1:
		for _, one := range g.Guesses {
			if orders[one.Order] >= deciding {
				return one.Values
			}
		}
	}
	common := maps.Clone(g.Guesses[0].Values)
	var ways []string
	for _, one := range g.Guesses {
		maps.DeleteFunc(common, func(name string, v value.Value) bool { return !one.Values[name].Equal(v) })
	}
	for name, v := range g.Guesses[0].Values {
		if _, is := common[name]; !is {
			ways = []string{v.String()}
			for _, one := range g.Guesses[1:] {
				ways = append(ways, one.Values[name].String())
			}
		}
	}
	f.Why = "it could be read as " + strings.Join(ways, " or ")
	return common
}

// Settle leaves folders that say the same project, and notes what their own folders would be called: as
// far as all is known that they lack.
func (s *Search) Settle(list []*Folder) {
	by := map[string]*Folder{}
	for _, f := range list {
		if f.Left != "" || len(f.Lacks) > 0 {
			continue
		}
		x, err := s.Template.Tree(s.Template.Complete(maps.Clone(f.Values), s.Now), max(s.Limit, 10*f.Root.Count()))
		if err != nil {
			f.Left = err.Error()
			continue
		}
		at, node := s.Template.Own(x.Root)
		if at == "." || node.Marks&tree.Open != 0 {
			continue
		}
		if path.Base(at) != f.Dir.Name() {
			f.Wanted = path.Base(at)
		}
		if other := by[at]; other != nil {
			f.Left = "it says the same project as " + other.Path
			if other.Left == "" {
				other.Left = "it says the same project as " + f.Path
			}
			continue
		}
		by[at] = f
	}
}

// Says is what a folder says, as a person reads it.
func (f *Folder) Says(t *template.Template) string {
	var parts []string
	for _, field := range t.Fields {
		if v := f.Values[field.Name]; v.Given() && !v.Empty() && !field.Made() {
			parts = append(parts, field.Name+" "+v.String())
		}
	}
	return strings.Join(parts, ", ")
}

// Missing are the names of the fields that nothing says, of all folders that are taken over.
func Missing(list []*Folder) (fields []*template.Field) {
	for _, f := range list {
		for _, field := range f.Lacks {
			if f.Left == "" && !slices.Contains(fields, field) {
				fields = append(fields, field)
			}
		}
	}
	return fields
}
