// Package inspect looks at real folders and archives: it finds the projects in them,
// holds each against what it was built from, and has the rules judge it. It changes
// nothing.
package inspect

import (
	"errors"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/rules"
	"vestibula/core/takeover"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Look is how things are looked at.
type Look struct {
	// Template is what is held against them; nil means that of their labels and, where
	// there is none, the defaults.
	Template *template.Template
	Values   template.Values // that are known beside those of a label
	Only     func(rule string) bool
	Asked    []string // rules that are asked for by name
	Passing  bool     // backups are named, and not read
	Ignore   []string // patterns of paths that are passed by, beside those of the template
	Limit    int      // how many things a template may make
	Now      time.Time
	Store    *project.Store // opens projects
	Done     func(n int)    // is told how many entries were just read; may be nil
	// Judged is told of each project that was judged, while others still are; may be nil.
	Judged func(s *Subject)

	sets    map[*template.Template]*rules.Set
	numbers map[counted][]string // where the numbers stand that count on
}

// rules returns the rules of a template, as far as they are wanted.
func (l *Look) rules(t *template.Template) (*rules.Set, error) {
	if set := l.sets[t]; set != nil {
		return set, nil
	}
	set, errs := rules.Configure(t, l.Asked...)
	if len(errs) > 0 {
		return nil, settingsError{errs}
	}
	if l.Only != nil {
		set = set.Select(l.Only)
	}
	if l.sets == nil {
		l.sets = map[*template.Template]*rules.Set{}
	}
	l.sets[t] = set
	return set, nil
}

// A Report is what was found at one path.
type Report struct {
	Path     string          // as it was given
	Dir      address.Address // the folder that was read; empty of an archive
	Subjects []*Subject
	Unread   []tree.Unread // paths are from Dir
	Unjudged []string      // what lies beside the subjects, and belongs to none of them
	Outside  []string      // names in an archive that lead out of it
	Locked   bool          // an archive that needs a password
	Copies   []Copy        // projects with one identity
	Lost     []Lost        // what looks like a project, and has no label
	Backups  []string      // paths of backups that were not read, as there was else to be judged
}

// A Subject is a folder that was judged as a whole: a project, or any other folder.
type Subject struct {
	Name     string          // of the folder, from what was looked at; "." for that itself
	Dir      address.Address // where it lies; empty in an archive
	Root     *tree.Node
	Project  *project.Project   // nil where there is no label
	Template *template.Template // whose rules; nil for the defaults
	Values   template.Values
	Inferred bool     // the values were read from names
	Open     []string // fields whose values are not known
	Rules    []string // that were held against it
	Facts    tree.Facts
	Links    []string // which were not followed
	Findings []rules.Finding
	Meant    []Meant
	LeftOut  []string // what was not looked at, and why that matters
	Due      []Delivery
	Below    string // findings are those of what lies below this path; empty for all
	Kept     *Kept  // of a backup; nil of anything else
	Err      error  // why it could not be judged
}

// A Lost folder lies beside projects, and looks as if it were built from the template of one of
// them; there is no label in it.
type Lost struct {
	Path     string // from what was looked at
	Template *template.Template
	Values   template.Values // that its names say
	Into     string          // the folder that it was built into, from what was looked at
}

// A Meant finding is one that was accepted, with the reason.
type Meant struct {
	rules.Finding
	Why string
}

// folderSkipped are folders that nobody keeps things in, and that can be huge.
func folderSkipped(p string, folder bool) bool {
	return folder && (p == ".git" || strings.HasSuffix(p, "/.git"))
}

// At looks at a folder or an archive. The error says that it cannot be read at all;
// that of one of several things is in its subject.
func (l *Look) At(at string) (*Report, error) {
	info, err := place.Stat(at)
	if err != nil {
		return nil, err
	}
	l.numbers = map[counted][]string{}
	r := &Report{Path: at}
	if real, err := place.Real(at); err == nil && l.Template == nil && !l.Passing {
		if s := l.kept(real, "."); s != nil {
			r.Dir, r.Subjects = real, []*Subject{s}
			return r, nil
		}
	}
	if !info.IsDir() {
		listing, err := packed.List(at)
		if err != nil {
			return nil, err
		}
		r.Outside, r.Locked = listing.Outside, listing.Locked
		name := filepath.Base(at)
		root := listing.Root
		// Whoever packs a folder packs its name as well, mostly.
		if len(root.Children) == 1 && root.Children[0].Kind == tree.Folder {
			root = root.Children[0]
			name = root.Name
		} else {
			name = strings.TrimSuffix(strings.TrimSuffix(name[:len(name)-len(filepath.Ext(name))], ".tar"), ".")
		}
		l.unlabelled(r, root, "", []string{name})
		return r, l.beside(r, root)
	}
	found, err := project.Below(at, folderSkipped, l.Done)
	if err != nil {
		return nil, err
	}
	r.Dir = found.Dir
	if found.Inside {
		own := &found.Projects[0]
		r.Unread = own.Unread
		s := &Subject{Name: ".", Dir: own.Dir, Root: own.Root, Below: found.Below}
		r.Subjects = []*Subject{s}
		l.project(r, s, own.Label, own.Err)
		r.withhold()
		return r, nil
	}
	r.Unread = found.Unseen()
	r.unfinished(found.Dir, found.Root)
	list := keptBelow(found.Root)
	l.holdKept(r, found, list)
	if len(found.Projects) == 0 && l.Template == nil && len(r.Subjects) > 0 {
		return r, l.beside(r, found.Root)
	}
	if l.Template != nil || len(found.Projects) == 0 {
		l.unlabelled(r, found.Root, string(found.Dir), strings.Split(strings.Trim(found.Dir.Slashed(), "/"), "/"))
	} else {
		l.projectsBelow(r, found)
	}
	r.withhold()
	return r, l.beside(r, found.Root)
}

// errUnfinished is why a folder that never became whole is not judged.
var errUnfinished = errors.New("it is left of a run that was cut short, and not whole")

// unfinished tells of folders that never became whole, and takes what lies in them out of what is
// judged.
func (r *Report) unfinished(dir address.Address, root *tree.Node) {
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		n.Children = slices.DeleteFunc(n.Children, func(c *tree.Node) bool {
			below := path.Join(at, c.Name)
			if c.Kind != tree.Folder || !strings.HasSuffix(c.Name, change.Unfinished) {
				walk(c, below)
				return false
			}
			r.Subjects = append(r.Subjects, &Subject{Name: below, Dir: dir.Join(below), Root: c, Err: errUnfinished})
			return true
		})
	}
	walk(root, "")
}

// withhold takes back what was found in folders that could not be read: they look empty.
func (r *Report) withhold() {
	for _, u := range r.Unread {
		for _, s := range r.Subjects {
			at := u.Path
			if s.Name != "." {
				var below bool
				if at, below = strings.CutPrefix(u.Path, s.Name+"/"); !below {
					continue
				}
			}
			s.Findings = slices.DeleteFunc(s.Findings, func(f rules.Finding) bool { return strings.HasPrefix(f.Path, at+"/") })
		}
	}
}

// beside notes what was not judged, as it lies beside all subjects. It comes last: what
// is passed by is taken out of the whole tree.
func (l *Look) beside(r *Report, root *tree.Node) error {
	ignored, err := match.Ignore(l.Ignore)
	if err != nil {
		return err
	}
	known := map[string]bool{} // subjects, what cannot be read, and with false the ways there
	note := func(at string) {
		known[at] = true
		for at = path.Dir(at); at != "."; at = path.Dir(at) {
			if !known[at] {
				known[at] = false
			}
		}
	}
	for _, s := range r.Subjects {
		if s.Name == "." {
			return nil
		}
		note(s.Name)
	}
	for _, u := range r.Unread {
		note(u.Path)
	}
	ignored.Prune(root)
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		for _, c := range n.Children {
			below := path.Join(at, c.Name)
			if told, way := known[below]; told {
				continue
			} else if way {
				walk(c, below)
			} else {
				r.Unjudged = append(r.Unjudged, below)
			}
		}
	}
	walk(root, "")
	l.lost(r, root)
	return nil
}

// Tree reads what lies in a folder or an archive, but for what is hidden and what
// programs leave there.
func Tree[P ~string](at P, done func(n int)) (*tree.Node, []tree.Unread, error) {
	info, err := place.Stat(at)
	if err != nil {
		return nil, nil, err
	}
	var root *tree.Node
	var unread []tree.Unread
	if info.IsDir() {
		root, unread, err = place.Read(at, folderSkipped, done)
	} else if listing, failed := packed.List(string(at)); failed != nil {
		err = failed
	} else {
		root = listing.Root
	}
	if err != nil {
		return nil, nil, err
	}
	return root, unread, Prune(root)
}

// Everything reads all that lies in a folder, hidden things among it.
func Everything[P ~string](dir P, done func(n int)) (*tree.Node, []tree.Unread, error) {
	return place.Read(dir, folderSkipped, done)
}

// Prune takes out what is hidden, and what programs leave.
func Prune(root *tree.Node) error {
	ignored, err := match.Ignore(nil)
	if err == nil {
		ignored.Prune(root)
	}
	return err
}

// projectsBelow judges the projects that were found below a folder.
func (l *Look) projectsBelow(r *Report, found *project.Found) {
	known := map[string]*Subject{}
	for i := range found.Projects {
		own := &found.Projects[i]
		s := &Subject{Name: own.Path, Dir: own.Dir, Root: own.Root}
		r.Subjects = append(r.Subjects, s)
		if own.Label != nil && own.Label.ID != "" {
			if other, twice := known[own.Label.ID]; twice {
				r.Copies = append(r.Copies, Copy{Copy: s, Of: other})
			}
			known[own.Label.ID] = s
		}
		l.project(r, s, own.Label, own.Err)
	}
	var copies project.Copies
	for i := range r.Copies {
		c := &r.Copies[i]
		if c.Copy.Project == nil || c.Of.Project == nil {
			continue
		}
		if copies.Original(c.Of.Project) == c.Copy.Dir {
			c.Copy, c.Of = c.Of, c.Copy
		}
		c.Sure = copies.Original(c.Copy.Project) == c.Of.Dir && c.Of.Project.Named()
	}
	r.oneNumber()
	l.between(r)
}

// oneNumber finds projects that lie beside each other and have one number.
func (r *Report) oneNumber() {
	known := map[string]*Subject{}
	for _, s := range r.Subjects {
		if s.Project == nil {
			continue
		}
		for _, f := range s.Project.Template.Fields {
			v := s.Project.Values[f.Name]
			if f.Next == template.Uncounted || f.Borrowed || v.Kind != value.Number {
				continue
			}
			key := string(s.Dir.Parent()) + "\x00" + s.Project.Label.Template + "\x00" + f.Name + "\x00" + v.String()
			if f.Per != nil {
				apart, _, _ := f.Per.Write(func(slot string) value.Value { return s.Project.Values[slot] }, 2)
				key += "\x00" + apart
			}
			if other := known[key]; other != nil {
				s.Findings = append(s.Findings, rules.Taken(f.Name, v, path.Base(other.Name)))
			} else {
				known[key] = s
			}
		}
	}
}

// apart marks the projects in a project, which are subjects of their own.
func (l *Look) apart(r *Report, s *Subject) {
	project.Labelled(s.Root, func(n *tree.Node, at string) {
		inner := &Subject{Name: path.Join(s.Name, at), Dir: s.Dir.Join(at), Root: &tree.Node{Name: n.Name, Children: n.Children}}
		n.Children, n.Marks = nil, n.Marks|tree.Apart
		if s.Below != "" && !strings.HasPrefix(at+"/", s.Below+"/") {
			return
		}
		r.Subjects = append(r.Subjects, inner)
		own, _, err := project.ReadLabel(inner.Dir)
		l.project(r, inner, own, err)
	})
}

// project judges a project by its label.
func (l *Look) project(r *Report, s *Subject, own *label.Label, err error) {
	if l.Judged != nil {
		defer l.Judged(s)
	}
	l.apart(r, s)
	if err == nil {
		s.Project, err = l.Store.Open(s.Dir, own)
	}
	if err != nil && l.Template == nil {
		s.Err = err
		return
	}
	var t *template.Template
	values := template.Values{}
	if s.Project != nil {
		t = s.Project.Template
		values = s.Project.Values
		s.Open = s.Project.Open()
	}
	if l.Template != nil && (t == nil || l.Template.Text != t.Text) {
		t = l.Template
		known := template.Values{}
		for name, v := range values {
			if f := t.Field(name); f != nil && !f.Made() && (f.Type.Kind == v.Kind || v.Kind == value.Pending) {
				known[name] = v
			}
		}
		values = known
	}
	l.held(s, t, values, strings.Split(strings.Trim(s.Dir.Slashed(), "/"), "/"))
}

// unlabelled judges a folder without a label: by the template that was named, or by
// the defaults. Names are those of the folders on the way to it, and its own.
func (l *Look) unlabelled(r *Report, root *tree.Node, dir string, names []string) {
	s := &Subject{Name: ".", Dir: address.Address(dir), Root: root}
	if l.Template == nil {
		r.Subjects = append(r.Subjects, s)
		l.judge(s, nil, &rules.Real{Root: root})
		return
	}
	search := &takeover.Search{Template: l.Template, Dir: address.Address(path.Join(names...)), Root: root, Given: l.Values, Labelled: true, Limit: l.Limit, Now: l.Now}
	if dir != "" {
		search.Dir = s.Dir
	}
	list, err := search.Find()
	if err != nil {
		s.Err = err
		r.Subjects = append(r.Subjects, s)
		return
	}
	if len(list) == 0 {
		list = []*takeover.Folder{{Path: ".", Root: root, Values: l.Values}}
	}
	for _, f := range list {
		one := &Subject{Name: f.Path, Root: f.Root, Inferred: true}
		if dir != "" {
			one.Dir = s.Dir.Join(f.Path)
		}
		way := names
		if f.Path != "." {
			way = slices.Concat(names, strings.Split(f.Path, "/"))
		}
		r.Subjects = append(r.Subjects, one)
		l.held(one, l.Template, f.Values, way)
	}
}

// Archived are the projects that were archived from the folders of a report: from the one
// that was looked at, those on the way to projects, and those in which no project is left.
func (r *Report) Archived() (list []*bundle.Away) {
	known := map[address.Address]bool{}
	look := func(dir address.Address) {
		for ; !known[dir] && dir.Within(r.Dir); dir = dir.Parent() {
			known[dir] = true
			if l := bundle.AwayIn(dir); l != nil {
				list = append(list, l.Projects...)
			}
		}
	}
	look(r.Dir)
	for _, s := range r.Subjects {
		if s.Dir != "" && s.Name != "." {
			look(s.Dir.Parent())
		}
	}
	for _, at := range r.Unjudged {
		look(r.Dir.Join(at))
	}
	return list
}
