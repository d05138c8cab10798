package project

import (
	"path"
	"path/filepath"

	"vestibula/core/bundle"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// Archived finds the archived project, or the archived part of one, that a path would be, if
// nothing is there; else nil.
func Archived[P ~string](at P) *bundle.Away {
	full, err := filepath.Abs(string(at))
	if err != nil || place.Exists(full) {
		return nil
	}
	dir, err := place.Real(filepath.Dir(full))
	if err != nil {
		return nil
	}
	if l := bundle.AwayIn(dir); l != nil {
		return l.Find(filepath.Base(full))
	}
	own, l, err := Find(dir)
	if err != nil || l == nil {
		return nil
	}
	list, below := bundle.AwayIn(own.Parent()), ""
	if below, err = filepath.Rel(string(own), string(dir)); err != nil || list == nil {
		return nil
	}
	return list.FindPart(own.Name(), path.Join(filepath.ToSlash(below), filepath.Base(full)))
}

// Archived are the projects that were archived from the folders of what was found.
func (f *Found) Archived() (list []*bundle.Away) {
	if f.Inside {
		return nil
	}
	if n := f.Root.Child(bundle.AwayName); n != nil {
		list = append(list, from(f.Dir)...)
	}
	for at, n := range f.Root.All() {
		if n.Kind == tree.File && path.Dir(at) != "." && n.Name == bundle.AwayName {
			list = append(list, from(f.Dir.Join(path.Dir(at)))...)
		}
	}
	return list
}

// from are the projects that were archived from a folder.
func from[P ~string](dir P) []*bundle.Away {
	if l := bundle.AwayIn(dir); l != nil {
		return l.Projects
	}
	return nil
}
