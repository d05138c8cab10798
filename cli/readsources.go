package cli

import (
	"iter"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/inspect"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/project"
	"vestibula/core/read"
	"vestibula/core/template"
)

// sourcesOf opens projects that are read; nil stands for one that cannot be, which is told.
func (r *readRun) sourcesOf(found *project.Found) ([]*read.Source, error) {
	sources := make([]*read.Source, len(found.Projects))
	for i := range found.Projects {
		l := &found.Projects[i]
		own := &found.Projects[i]
		p, err := (*project.Project)(nil), l.Err
		if err == nil {
			p, err = r.store().Open(own.Dir, l.Label)
		}
		if err != nil {
			r.badLabel(own.Dir, err)
			r.unread = append(r.unread, fromHere(own.Dir))
			continue
		}
		if err := inspect.Prune(own.Root); err != nil {
			return nil, err
		}
		sources[i] = &read.Source{Project: p, Template: p.Template, Name: own.Dir.Name(), Root: own.Root}
		for _, u := range own.Unread {
			r.unread = append(r.unread, filepath.Join(fromHere(own.Dir), filepath.FromSlash(u.Path)))
		}
	}
	return sources, nil
}

// projects reads the projects at or below a folder; of what lies in one project, what lies
// below that folder. Archived are those that were taken from there: their names are known
// here, also where the disk that they are on is not connected.
func (r *readRun) projects(p string, found *project.Found, archived []*bundle.Away) error {
	real, err := place.Real(p)
	if err != nil {
		return unreadable(p, err)
	}
	r.many = r.many || !found.Inside || len(found.Projects) > 1
	sources, err := r.sourcesOf(found)
	if err != nil {
		return err
	}
	sources, far, err := r.archived(sources, archived)
	if err != nil {
		return err
	}
	if err := r.know(sources); err != nil {
		return err
	}
	lists, errs := make([]*read.Found, len(sources)), make([]error, len(sources))
	pool.Each(len(sources), 1, func(numbers iter.Seq[int]) {
		own := &read.Reader{Only: r.reader.Only, Filters: r.reader.Filters}
		for i := range numbers {
			if sources[i] != nil {
				lists[i], errs[i] = own.Read(sources[i])
			}
		}
	})
	for i, s := range sources {
		if s == nil {
			continue
		}
		all := lists[i]
		if errs[i] != nil {
			return unclear("", "%v", errs[i])
		}
		at := filepath.ToSlash(fromHere(s.Project.Dir))
		if below := strings.TrimPrefix(filepath.ToSlash(strings.TrimPrefix(string(real), string(s.Project.Dir))), "/"); found.Inside && real != s.Project.Dir {
			all = keptBelow(all, below)
		}
		if at == "." {
			at = ""
		}
		dir := s.Project.Dir
		if far[s] {
			dir = ""
			r.far += len(all.Entries)
		}
		r.add(all, at, string(dir))
	}
	return nil
}

// archived adds what lies elsewhere, from its lists. Far says what is on a disk that is not
// connected.
func (r *readRun) archived(sources []*read.Source, list []*bundle.Away) (all []*read.Source, far map[*read.Source]bool, err error) {
	far = map[*read.Source]bool{}
	here := map[address.Address]bool{}
	for _, s := range sources {
		if s != nil {
			here[s.Project.Dir] = true
		}
	}
	for _, p := range list {
		if here[address.Address(p.To)] {
			continue // its archive lies below as well, and was read there
		}
		pr, err := r.store().Open(address.Address(p.To), p.Label)
		if err != nil {
			r.unread = append(r.unread, p.To)
			continue
		}
		root := p.Tree()
		if p.Part != "" { // where it lay in the project
			root = inside(root, p.Part)
		}
		if err := inspect.Prune(root); err != nil {
			return nil, nil, err
		}
		s := &read.Source{Project: pr, Template: pr.Template, Name: filepath.Base(p.To), Root: root}
		if sources = append(sources, s); !place.Exists(p.To) {
			far[s] = true
		}
	}
	return sources, far, nil
}

// know notes the fields of all templates, which have to have what is asked for.
func (r *readRun) know(sources []*read.Source) error {
	var templates []*template.Template
	for _, s := range sources {
		if s != nil && !slices.Contains(templates, s.Template) {
			templates = append(templates, s.Template)
		}
	}
	if err := r.fits(templates); err != nil {
		return err
	}
	for _, t := range templates {
		for _, name := range t.FieldNames() {
			if !slices.Contains(r.fields, name) {
				r.fields = append(r.fields, name)
			}
		}
	}
	return nil
}
