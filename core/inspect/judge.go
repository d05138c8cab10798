package inspect

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/rules"
	"vestibula/core/standing"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// called notes what the folder is called, and what it would be.
func (s *Subject) called(t *template.Template, w *match.Wanted, real *rules.Real, names []string) {
	own, _ := t.Own(w.Expansion.Root)
	levels := min(levelsOf(own), len(names))
	if own == "." || levels == 0 {
		return
	}
	real.Way = names[len(names)-levels:]
	wanted, is := path.Base(own), real.Way[levels-1]
	if s.Inferred {
		real.Unread = unread(t, w.Own, is)
	}
	if s.Project != nil && wanted != is && w.Own.Marks&tree.Open == 0 && is != string(s.Project.Label.Shelved) {
		real.Wanted = wanted
	}
}

// unread is the pattern by which the name of a project's own folder cannot be read; "" where it can.
func unread(t *template.Template, own *tree.Node, name string) string {
	by := t.NameOf(own)
	if by == nil {
		return ""
	}
	if r := by.Reader(); r.Read(name, make([]value.Value, len(r.Fields()))) != nil {
		return by.Pattern.Source
	}
	return ""
}

// held judges a folder by a template.
func (l *Look) held(s *Subject, t *template.Template, known template.Values, names []string) {
	s.Template = t
	ignored, err := match.Passing(t, l.Ignore)
	if err != nil {
		s.Err = err
		return
	}
	ignored.Prune(s.Root)
	limit := max(l.Limit, 10*s.Root.Count())
	values := known
	if s.Inferred {
		w, err := match.Of(t, known, limit, l.Now)
		if err != nil {
			s.Err = err
			return
		}
		own, _ := t.Own(w.Expansion.Root)
		if own == "." {
			names = nil
		}
		if values, err = (&match.Showing{Template: t, Known: known, Names: names[len(names)-min(len(names), levelsOf(own)):], Real: s.Root, Limit: limit, Now: l.Now}).Values(); err != nil {
			s.Err = err
			return
		}
	}
	s.Values = t.Complete(maps.Clone(values), l.Now)
	w, err := match.Of(t, s.Values, limit, l.Now)
	if err != nil {
		s.Err = err
		return
	}
	w.Number = func(series *naming.Series, n int, apart, at string) (string, bool) {
		return l.number(s, counted{t.Name, series.Name, apart, "", n}, series.Field.Next, at)
	}
	list := s.deliveries(w, l.Now)
	real := &rules.Real{Root: s.Root, Things: match.Compare(w, s.Root)}
	list()
	if err := l.settle(s, t, w, real); err != nil {
		s.Err = err
		return
	}
	s.called(t, w, real, names)
	for _, conv := range t.Names {
		if f := conv.NextField(); f != nil && f.Next == template.Everywhere && s.Name == "." && s.Dir != "" {
			s.LeftOut = append(s.LeftOut, fmt.Sprintf("whether other projects have numbers of %s, which count on everywhere (a check of the folder around them looks)", conv.Name))
		}
	}
	if s.Project != nil {
		real.Given = s.Project.Label.Given
	}
	l.judge(s, t, real)
}

// settle finds where files belong of which the match says only that they belong elsewhere.
func (l *Look) settle(s *Subject, t *template.Template, w *match.Wanted, real *rules.Real) error {
	settled, err := standing.Settle(func() (*standing.Project, error) {
		p := &project.Project{Dir: s.Dir, Template: t, Values: s.Values}
		if s.Project != nil {
			p.Label = s.Project.Label
		}
		return &standing.Project{Layout: &project.Layout{Project: p, Root: s.Root, Wanted: w, Places: match.Places(w, s.Root)}}, nil
	}, real.Things)
	if err == nil {
		real.Settled, err = standing.Needs(settled)
	}
	return err
}

// A counted number is one that counts on.
type counted struct {
	template, convention, apart string
	in                          string // what it counts in
	n                           int
}

// number notes where a number stands, and returns what has it already: a file of the
// same name with another ending is the same thing.
func (l *Look) number(s *Subject, key counted, scope template.Scope, at string) (other string, taken bool) {
	full := path.Join(s.Name, at)
	switch scope {
	case template.InFolder:
		key.in = path.Join("/", path.Dir(full))
	case template.InProject:
		key.in = path.Join("/", s.Name)
	}
	stem, _ := tree.Split(full)
	known := l.numbers[key]
	for _, other := range known {
		if same, _ := tree.Split(other); same == stem {
			return "", false
		}
	}
	if l.numbers[key] = append(known, full); len(known) == 0 {
		return "", false
	}
	first := known[0]
	if below, inside := strings.CutPrefix(first, s.Name+"/"); inside {
		first = below
	}
	return first, true
}

func levelsOf(own string) int {
	if own == "." {
		return 0
	}
	return 1 + strings.Count(own, "/")
}

// A settingsError says that rules are not set as they can be.
type settingsError struct{ outline.Errors }

// Unwrap returns the errors with their places.
func (e settingsError) Unwrap() error { return e.Errors }

// judge holds the rules against a subject.
func (l *Look) judge(s *Subject, t *template.Template, real *rules.Real) {
	if t == nil {
		t, _ = template.Parse("defaults", "defaults\n", nil)
		real.Bare = true
		ignored, err := match.Ignore(l.Ignore)
		if err != nil {
			s.Err = err
			return
		}
		ignored.Prune(s.Root)
	}
	set, err := l.rules(t)
	if err != nil {
		s.Err = err
		return
	}
	real.Now = l.Now
	if s.Dir != "" {
		d := &disk{dir: string(s.Dir), done: l.Done}
		if p, err := place.Open(s.Dir); err == nil {
			d.Place = p
			defer p.Close()
			real.Disk = d
		}
	}
	s.Rules = slices.DeleteFunc(set.Held(true, s.Template != nil), func(name string) bool {
		return real.Disk == nil && rules.NeedsDisk(name)
	})
	found := set.CheckReal(real)
	s.Facts = tree.Measure(s.Root)
	for at, n := range s.Root.All() {
		if n.Marks&tree.Link != 0 {
			s.Links = append(s.Links, at)
		}
	}
	for _, f := range found {
		if s.Project != nil && f.Fix != nil && f.Fix.Node() != nil && t == s.Project.Template {
			if from := s.Project.Lacks(f.Fix.Node().Built()); from != "" {
				f.Fix, f.Help = nil, "it cannot be made again: it starts from "+from+", which cannot be found"
			}
		}
		if s.Below != "" && f.Path != s.Below && !strings.HasPrefix(f.Path, s.Below+"/") {
			continue
		}
		if why, meant := s.accepted(&f); meant {
			s.Meant = append(s.Meant, Meant{f, why})
			continue
		}
		s.Findings = append(s.Findings, f)
	}
}

// accepted returns why a finding is meant so.
func (s *Subject) accepted(f *rules.Finding) (why string, meant bool) {
	if s.Project == nil {
		return "", false
	}
	for _, a := range s.Project.Label.Accepted {
		if a.Path == f.Path && (a.Rule == "" || a.Rule == f.Rule) {
			return a.Why, true
		}
	}
	return "", false
}

// A disk answers the rules.
type disk struct {
	*place.Place
	dir  string
	done func(n int) // is told of each file that is opened; may be nil
}

// Open opens a file to see what it holds.
func (d *disk) Open(p string) (io.ReadCloser, error) {
	if d.done != nil {
		d.done(1)
	}
	return d.Place.Open(p)
}

// Leads reports whether a link leads to something.
func (d *disk) Leads(p string) bool {
	_, err := place.Stat(filepath.Join(d.dir, filepath.FromSlash(p)))
	return err == nil || errors.Is(err, fs.ErrPermission)
}
