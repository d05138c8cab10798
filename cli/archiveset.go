package cli

import (
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/away"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// set is what is to be done: the moves, and the lists.
func (r *awayRun) set() (*change.Set, error) {
	set := &change.Set{}
	at := func(full string) change.At {
		base := r.base(full)
		return change.At{In: set.Place(base), Path: below(base, full)}
	}
	way := set.Way(func(at change.At) bool { return isThere(filepath.Join(set.Places[at.In], filepath.FromSlash(at.Path))) })
	if r.file != "" {
		if err := r.pack(set); err != nil {
			return nil, err
		}
	}
	for _, g := range r.goes {
		if r.file != "" {
			break
		}
		if up := filepath.Dir(g.to); !isThere(up) {
			way.To(at(up), "on the way")
		}
		if g.packed != nil {
			if err := g.unpacked(set, at(g.to).In); err != nil {
				return nil, err
			}
			continue
		}
		if r.copy {
			if err := g.copied(set, at(g.from), at(g.to), way); err != nil {
				return nil, err
			}
			continue
		}
		kind := tree.Folder
		if g.whole == nil && !r.back {
			kind = tree.File
		} else if info, err := os.Lstat(g.from); err == nil && !info.IsDir() {
			kind = tree.File
		}
		set.Move(at(g.from), at(g.to), change.Is(kind), "archive")
	}
	if err := r.relabel(set); err != nil {
		return nil, err
	}
	for dir, l := range r.lists {
		data, err := l.list.Encode()
		if err != nil {
			return nil, err
		}
		if len(l.list.Projects) == 0 && l.data != nil {
			data = nil
		}
		set.Write(change.At{In: set.Place(dir), Path: away.FileName}, l.data, data, "")
	}
	apartFrom(set, nil)
	return set, nil
}

// linksFollow changes what would lead nowhere in the folders that projects leave or come back
// to, where that is asked for: all texts there are read for it.
func (r *awayRun) linksFollow(set *change.Set, c consent) (err error) {
	if !c.fixLinks && c.addresses == "" {
		return nil
	}
	if r.copy || r.file != "" {
		return unclear("leave it out", "what is copied, or goes into a file, has no new place that anything could lead to")
	}
	r.followed, err = r.follow(set, c, slices.Sorted(maps.Keys(r.lists)), nil, nil)
	return err
}

// apartFrom makes one place of those of a set that lie in each other. It returns the roots with the
// places that they have then.
func apartFrom(set *change.Set, roots []journal.Root) []journal.Root {
	for _, top := range slices.Clone(set.Places) {
		if slices.ContainsFunc(set.Places, func(p string) bool { return strings.HasPrefix(p, top+string(filepath.Separator)) }) {
			roots = rebase(set, top, roots)
		}
	}
	return roots
}

// base is the folder of the set that a path begins in: of what goes, the one that was
// named, as others may have to be made on the way.
func (r *awayRun) base(at string) string {
	for dir := filepath.Dir(at); ; dir = filepath.Dir(dir) {
		if isThere(dir) || dir == filepath.Dir(dir) {
			return dir
		}
	}
}

// copied adds what makes a copy, without the label.
func (g *going) copied(set *change.Set, from, to change.At, way *change.Way) error {
	if g.whole == nil {
		set.Copy(from, to, change.Is(tree.File), "copy")
		return nil
	}
	way.To(to, "copy")
	for at, n := range g.whole.All() {
		at = strings.Clone(at)
		switch {
		case at == label.FileName && g.note.Part == "":
		case n.Kind == tree.Folder:
			set.MakeFolder(to.Below(at), "copy")
		case n.Marks&tree.Link != 0:
			target, err := os.Readlink(filepath.Join(g.from, filepath.FromSlash(at)))
			if err != nil {
				return refused("", "%s cannot be read: %s", at, place.Reason(err))
			}
			set.MakeLink(to.Below(at), target, "copy")
		default:
			set.Copy(from.Below(at), to.Below(at), change.Is(tree.File), "copy")
		}
	}
	return nil
}

// relabel notes in the labels of projects what of them was archived, came back, or was
// handed over.
func (r *awayRun) relabel(set *change.Set) error {
	noted := map[string]*readLabel{}
	var order []string
	for _, g := range r.goes {
		if g.project == "" || g.note.Part == "" && !r.copy {
			continue
		}
		l := noted[g.project]
		if l == nil {
			l = &readLabel{}
			if l.read(g.project); l.err != nil {
				return l.err
			}
			noted[g.project] = l
			order = append(order, g.project)
		}
		part := g.note.Part
		switch {
		case r.copy:
			if part == "" {
				part = "."
			}
			last := len(l.label.Handed) - 1
			top := strings.TrimSuffix(g.to, string(filepath.Separator)+filepath.FromSlash(g.note.Part))
			if last >= 0 && l.fresh {
				l.label.Handed[last].Parts = append(l.label.Handed[last].Parts, part)
				continue
			}
			l.fresh = true
			l.label.Handed = append(l.label.Handed, label.Handed{Parts: []string{part}, To: top, For: r.whom, Day: r.now.Format(time.DateOnly)})
		case r.back:
			delete(l.label.Closed, part)
		case g.wanted:
			if l.label.Closed == nil {
				l.label.Closed = map[string]string{}
			}
			l.label.Closed[part] = g.to
		}
	}
	for _, dir := range order {
		data, err := noted[dir].label.Encode()
		if err != nil {
			return err
		}
		set.Write(change.At{In: set.Place(dir), Path: label.FileName}, noted[dir].data, data, "")
	}
	return nil
}
