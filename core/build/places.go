package build

import (
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"vestibula/core/tree"
)

// A Vacated place is one without the folders that are moved away in the same run.
type Vacated struct {
	tree.Place
	Gone map[string]bool // their paths
}

// Has reports whether a path lies in one of those.
func (v Vacated) Has(at string) bool {
	for ; at != "." && at != "/"; at = path.Dir(at) {
		if v.Gone[at] {
			return true
		}
	}
	return false
}

// List returns what lies in a folder then.
func (v Vacated) List(at string) ([]tree.Entry, error) {
	if v.Has(at) {
		return nil, fs.ErrNotExist
	}
	list, err := v.Place.List(at)
	return slices.DeleteFunc(list, func(e tree.Entry) bool { return v.Gone[path.Join(at, e.Name)] }), err
}

// Look returns what lies at a path then.
func (v Vacated) Look(at string) (tree.Entry, error) {
	if v.Has(at) {
		return tree.Entry{}, fs.ErrNotExist
	}
	return v.Place.Look(at)
}

// A Renamed place is one in which some things bear other names by then.
type Renamed struct {
	tree.Place
	Stood map[string]string // where they are now, by the paths that they get
}

// was is where a path is now.
func (r Renamed) was(at string) string {
	for top := at; top != "." && top != "/"; top = path.Dir(top) {
		if stood, renamed := r.Stood[top]; renamed {
			return stood + at[len(top):]
		}
	}
	return at
}

// List returns what lies in a folder then.
func (r Renamed) List(at string) ([]tree.Entry, error) {
	was := r.was(at)
	list, err := r.Place.List(was)
	if err != nil {
		return list, err
	}
	goes := map[string]bool{}
	for _, stood := range r.Stood {
		goes[stood] = true
	}
	list = slices.DeleteFunc(list, func(e tree.Entry) bool { return goes[path.Join(was, e.Name)] })
	for to, stood := range r.Stood {
		if path.Dir(to) != path.Join(".", at) {
			continue
		}
		e, err := r.Place.Look(stood)
		if err != nil {
			return nil, err
		}
		e.Name = path.Base(to)
		list = append(list, e)
	}
	slices.SortFunc(list, func(a, b tree.Entry) int { return strings.Compare(a.Name, b.Name) })
	return list, nil
}

// Look returns what lies at a path then.
func (r Renamed) Look(at string) (tree.Entry, error) { return r.Place.Look(r.was(at)) }

// Open opens what lies at a path then.
func (r Renamed) Open(at string) (io.ReadCloser, error) { return r.Place.Open(r.was(at)) }

// Writable reports whether something can be made in a folder then.
func (r Renamed) Writable(at string) error { return r.Place.Writable(r.was(at)) }

// Nowhere is a place in which nothing is yet, as in an archive.
type Nowhere struct{ tree.Place }

// Far reports that it is no drive.
func (Nowhere) Far() bool { return false }

// List returns nothing.
func (Nowhere) List(string) ([]tree.Entry, error) { return nil, nil }

// Writable allows all.
func (Nowhere) Writable(string) error { return nil }

// Without is a tree without the closed things of the project in one of its folders.
func Without(root *tree.Node, folder string, closed map[string]string) *tree.Node {
	var copied func(n *tree.Node, at string) *tree.Node
	copied = func(n *tree.Node, at string) *tree.Node {
		out := *n
		out.Children = nil
		for _, c := range n.Children {
			here := path.Join(at, c.Name)
			below, inside := strings.CutPrefix(here, folder+"/")
			if folder == "." {
				below, inside = here, true
			}
			if inside && closed[below] != "" {
				continue
			}
			out.Children = append(out.Children, copied(c, here))
		}
		return &out
	}
	return copied(root, "")
}
