package build

import (
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

// Nowhere is a place in which nothing is yet, as in an archive.
type Nowhere struct{ tree.Place }

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
