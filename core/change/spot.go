package change

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"strings"

	"vestibula/core/tree"
)

// A spot is a path as it is while a list is carried out.
type spot struct {
	name     string
	kind     tree.Kind
	in       int
	real     string // where it lies on the disk; empty for what is not there yet
	parent   *spot
	children map[string]*spot // nil until they are needed
	folded   map[string]string
	node     *tree.Node // of what the list made
	sum      string     // of a file that the list made or replaced
	other    bool       // it is another file by then, on another disk
	device   uint64     // the disk that it lies on; 0 while that is not known
	denied   error      // nothing can be made in it
	asked    bool
}

// find returns the spot at a path, or nil where there is none.
func (k *Check) find(in int, at string) (s *spot, err error) {
	if at == "." {
		return k.roots[in], nil
	}
	dir, name := path.Split(at)
	dir = cmp.Or(strings.TrimSuffix(dir, "/"), ".")
	// Changes to one folder mostly follow each other.
	if k.lastDir == nil || k.lastKey != (key{in, dir}) {
		if k.lastDir, err = k.walk(in, dir); err != nil || k.lastDir == nil {
			return nil, err
		}
		k.lastKey = key{in, dir}
	}
	if k.lastDir.kind != tree.Folder {
		return nil, nil
	}
	if err := k.load(k.lastDir); err != nil {
		return nil, err
	}
	return k.lastDir.children[name], nil
}

// walk returns the spot of a folder.
func (k *Check) walk(in int, at string) (*spot, error) {
	s := k.roots[in]
	if at == "." {
		return s, nil
	}
	for name := range strings.SplitSeq(at, "/") {
		if s.kind != tree.Folder {
			return nil, nil
		}
		if err := k.load(s); err != nil {
			return nil, err
		}
		if s = s.children[name]; s == nil {
			return nil, nil
		}
	}
	return s, nil
}

// load lists what lies in a folder, where that was not done yet.
func (k *Check) load(s *spot) error {
	switch {
	case s.children != nil:
		return nil
	case s.node != nil:
		s.children = make(map[string]*spot, len(s.node.Children))
		for _, n := range s.node.Children {
			s.put(&spot{name: n.Name, kind: n.Kind, in: s.in, node: n, sum: sumOf(n, "")})
		}
		return nil
	}
	entries, known := k.ahead.listed(key{s.in, s.real})
	var err error
	if !known {
		entries, err = k.Places[s.in].List(s.real)
	}
	if errors.Is(err, fs.ErrNotExist) {
		err = fmt.Errorf("%s has gone meanwhile", s.real)
	}
	if err != nil {
		return err
	}
	s.children = make(map[string]*spot, len(entries))
	spots := make([]spot, len(entries))
	before := s.real + "/"
	if s.real == "." {
		before = ""
	}
	for i, e := range entries {
		spots[i] = spot{name: e.Name, kind: e.Kind, in: s.in, real: before + e.Name}
		s.put(&spots[i])
	}
	return nil
}

// alike returns a name in a folder that some systems take for the given one.
func (s *spot) alike(name string) (other string, found bool) {
	if s.folded == nil {
		s.folded = make(map[string]string, len(s.children))
		for name := range s.children {
			s.folded[tree.Folded(name)] = name
		}
	}
	other, found = s.folded[tree.Folded(name)]
	return other, found
}

func (s *spot) put(child *spot) {
	s.children[child.name] = child
	child.parent = s
	if s.folded != nil {
		s.folded[tree.Folded(child.name)] = child.name
	}
}

func (s *spot) drop(child *spot) {
	delete(s.children, child.name)
	if s.folded == nil {
		return
	}
	if f := tree.Folded(child.name); s.folded[f] == child.name {
		delete(s.folded, f)
	}
}
