package cli

import (
	"path"
	"path/filepath"
	"strings"

	"vestibula/core/away"
	"vestibula/core/inspect"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/tree"
)

// awayIn is what was archived from a folder; nil where nothing is known.
func awayIn(dir string) *away.List {
	l, data, err := away.Read(dir)
	if err != nil || data == nil {
		return nil
	}
	return l
}

// archived finds the archived project that a path would be, if it is not there.
func archived(at string) *away.Project {
	if place.Exists(at) {
		return nil
	}
	full, err := filepath.Abs(at)
	if err != nil {
		return nil
	}
	dir, err := place.Real(filepath.Dir(full))
	if err != nil {
		return nil
	}
	if l := awayIn(dir); l != nil {
		return l.Find(filepath.Base(full))
	}
	if own, l, err := project.Find(dir); err == nil && l != nil { // a part of a project that is there
		if list := awayIn(filepath.Dir(own)); list != nil {
			return list.FindPart(filepath.Base(own), path.Join(below(own, dir), filepath.Base(full)))
		}
	}
	return nil
}

// awayFrom are the projects that were archived from the folders of a report: from the one
// that was looked at, those on the way to projects, and those in which no project is left.
func awayFrom(report *inspect.Report) (list []*away.Project) {
	known := map[string]bool{}
	look := func(dir string) {
		for ; !known[dir] && strings.HasPrefix(dir+string(filepath.Separator), report.Dir+string(filepath.Separator)); dir = filepath.Dir(dir) {
			known[dir] = true
			if l := awayIn(dir); l != nil {
				list = append(list, l.Projects...)
			}
		}
	}
	look(report.Dir)
	for _, s := range report.Subjects {
		if s.Dir != "" && s.Name != "." {
			look(filepath.Dir(s.Dir))
		}
	}
	for _, at := range report.Unjudged {
		look(filepath.Join(report.Dir, filepath.FromSlash(at)))
	}
	return list
}

// awayBelow are the projects that were archived from folders in a tree.
func awayBelow(dir string, root *tree.Node) (list []*away.Project) {
	read := func(at string) {
		if l := awayIn(at); l != nil {
			list = append(list, l.Projects...)
		}
	}
	if n := root.Child(away.FileName); n != nil {
		read(dir)
	}
	for at, n := range root.All() {
		if n.Kind == tree.File && path.Dir(at) != "." && n.Name == away.FileName {
			read(filepath.Join(dir, filepath.FromSlash(path.Dir(at))))
		}
	}
	return list
}
