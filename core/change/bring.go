package change

import (
	"maps"
	"slices"
	"strings"

	"vestibula/core/tree"
)

// bring checks a move or a copy.
func (k *Check) bring(c *Change) (*string, error) {
	if c.given() || c.known() && !k.Names {
		parent, _, why, err := k.target(c)
		if why == nil && err == nil {
			parent.put(&spot{name: baseOf(c.Path), in: c.In, kind: tree.File})
			why = k.long(c.In, c.Path, nil)
		}
		return why, err
	}
	source, why, err := k.brought(c)
	if why != nil || err != nil {
		return why, err
	}
	if atWork(c.Path) {
		if err := k.makeWork(c.In, dirOf(c.Path)); err != nil {
			return nil, err
		}
	}
	parent, there, why, err := k.target(c)
	if why != nil || err != nil {
		if k.cutShort && there != nil && err == nil {
			if twice, err := k.twice(c, source, there); twice || err != nil {
				return nil, err
			}
		}
		if k.Lenient && there != nil {
			return because("something of that name is there now"), err
		}
		return why, err
	}
	if why := k.long(c.In, c.Path, nil); why != nil {
		return why, nil
	}
	if c.Op == Copy {
		parent.put(&spot{name: baseOf(c.Path), in: c.In, kind: tree.File})
		return nil, nil
	}
	return k.land(c, source, parent)
}

// brought is what a move or a copy brings, as it is to be.
func (k *Check) brought(c *Change) (source *spot, why *string, err error) {
	source, err = k.find(c.FromIn, c.From)
	switch {
	case err != nil:
		return nil, nil, err
	case source == nil && k.Lenient:
		return nil, already, nil
	case source == nil:
		return nil, missing, nil
	case c.Op == Copy && source.kind != tree.File || source.kind == tree.Other:
		return nil, because("it is %s", source.kind.Article()), nil
	case c.Op == Move && c.In == c.FromIn && strings.HasPrefix(c.Path, c.From+"/"):
		return nil, because("it cannot be moved into itself"), nil
	}
	why, err = k.bind(c, source)
	return source, why, err
}

// land brings a move to its end in a folder, where nothing is in the way.
func (k *Check) land(c *Change, source, parent *spot) (*string, error) {
	if source.kind == tree.Folder && len(c.Path) > len(c.From) && source.real != "" {
		if why, err := k.longBelow(c, source); why != nil || err != nil {
			return why, err
		}
	}
	if !k.Names {
		there, err := k.device(parent)
		if err != nil {
			return nil, err
		}
		here, err := k.device(source)
		if err != nil {
			return nil, err
		}
		if here != there && source.kind == tree.Folder {
			return k.unpack(c, source)
		}
		source.device, source.other = there, source.other || here != there
	}
	if source.kind == tree.Folder {
		k.lastDir = nil
	}
	source.parent.drop(source)
	source.name = baseOf(c.Path)
	parent.put(source)
	return nil, nil
}

// twice finds a file or a link that was copied to another disk, and is still in its old
// place as well, since the power went before it was removed there. The copy is
// removed.
func (k *Check) twice(c *Change, source, there *spot) (bool, error) {
	if there.kind == tree.Folder || there.real == "" || source.kind != there.kind || c.Was.Sum != "" {
		return false, nil
	}
	first, err := k.sum(there, nil)
	if err != nil {
		return false, err
	}
	second, err := k.sum(source, nil)
	if err != nil || first != second {
		return false, err
	}
	*c = Change{Op: Remove, In: c.FromIn, Path: c.From, Was: State{Entry: tree.Entry{Kind: source.kind}, Sum: second}}
	why, err := k.remove(c)
	return why == nil, err
}

// device is that of the disk that something lies on; what is new lies on that of
// its folder.
func (k *Check) device(s *spot) (uint64, error) {
	if s.device != 0 {
		return s.device, nil
	}
	if s.real == "" {
		return k.device(s.parent)
	}
	e, err := k.Places[s.in].Look(s.real)
	s.device = e.Dev
	return e.Dev, err
}

// unpack turns the move of a folder to another disk into moves of its entries: it is made
// there, all that lies in it is moved, and the old one is removed.
func (k *Check) unpack(c *Change, source *spot) (*string, error) {
	was := c.Was
	list := []Change{{Op: Make, In: c.In, Path: c.Path, Node: &tree.Node{Name: baseOf(c.Path)}, As: Dress{was.Mode, was.Time}, Whole: c.Whole}}
	if err := k.load(source); err != nil {
		return nil, err
	}
	names := slices.Sorted(maps.Keys(source.children))
	for _, folders := range []bool{false, true} { // files in a row can go at a time
		for _, name := range names {
			if kind := source.children[name].kind; (kind == tree.Folder) == folders {
				one := Change{Op: Move, Loose: !folders, In: c.In, FromIn: c.FromIn, Path: c.Path + "/" + name, From: c.From + "/" + name}
				one.Was.Kind = kind
				list = append(list, one)
			}
		}
	}
	list = append(list, Change{Op: Remove, In: c.FromIn, Path: c.From, Was: State{Entry: tree.Entry{Kind: tree.Folder}}})
	var all []Change
	for i := range list {
		one := list[i]
		why, err := k.one(&one)
		if why != nil || err != nil {
			return why, err
		}
		if k.entries != nil {
			all = append(all, k.entries...)
			k.entries = nil
		} else {
			all = append(all, one)
		}
	}
	k.entries = all
	return nil, nil
}

// longBelow says that something in a folder that is moved would lie too deep.
func (k *Check) longBelow(c *Change, source *spot) (*string, error) {
	p := k.Places[c.In]
	room := p.MaxPath() - p.PathLength(c.Path)
	longest, length := "", 0
	var walk func(real, below string) error
	walk = func(real, below string) error {
		entries, err := k.Places[source.in].List(real)
		if err != nil {
			return nil // what cannot be read is moved with its folder
		}
		for _, e := range entries {
			at := below + "/" + e.Name
			if n := p.PathLength(at) - p.PathLength(""); n > length {
				longest, length = at, n
			}
			if e.Kind == tree.Folder {
				if err := walk(real+"/"+e.Name, at); err != nil {
					return err
				}
			}
		}
		return nil
	}
	if err := walk(source.real, ""); err != nil {
		return nil, err
	}
	if length > room {
		return because("a path in it would be too long for this system: %s%s", c.Path, longest), nil
	}
	return nil, nil
}

// makeWork puts the folder of a run among the spots of a place.
func (k *Check) makeWork(in int, name string) error {
	root := k.roots[in]
	if err := k.load(root); err != nil {
		return err
	}
	if root.children[name] == nil {
		root.put(&spot{name: name, in: in, kind: tree.Folder, children: map[string]*spot{}})
	}
	return nil
}
