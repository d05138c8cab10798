package cli

import (
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/away"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// set is what is to be done: the moves, and the lists.
func (r *awayRun) set() (*change.Set, error) {
	set := &change.Set{}
	in := func(dir string) int { return placeIn(set, dir) }
	made := map[string]bool{}
	if r.file != "" {
		if err := r.pack(set); err != nil {
			return nil, err
		}
	}
	for _, g := range r.goes {
		if r.file != "" {
			break
		}
		if err := r.onTheWay(set, in, made, filepath.Dir(g.to)); err != nil {
			return nil, err
		}
		if g.packed != nil {
			if err := g.unpacked(set, in(r.base(g.to))); err != nil {
				return nil, err
			}
			continue
		}
		if r.copy {
			if err := g.copied(set, in, made); err != nil {
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
		set.Changes = append(set.Changes, change.Change{Op: change.Move, FromIn: in(filepath.Dir(g.from)), From: filepath.Base(g.from), In: in(r.base(g.to)), Path: below(r.base(g.to), g.to),
			Was: change.State{Entry: tree.Entry{Kind: kind}}, Why: "archive"})
	}
	if err := r.relabel(set, in); err != nil {
		return nil, err
	}
	for dir, l := range r.lists {
		data, err := l.list.Encode()
		if err != nil {
			return nil, err
		}
		switch {
		case l.data == nil:
			set.Changes = append(set.Changes, change.Change{Op: change.Make, In: in(dir), Path: away.FileName, Node: &tree.Node{Name: away.FileName, Kind: tree.File, Content: tree.Bytes(data)}})
		case len(l.list.Projects) == 0:
			set.Changes = append(set.Changes, change.Change{Op: change.Remove, In: in(dir), Path: away.FileName, Was: change.State{Entry: tree.Entry{Kind: tree.File}, Sum: digest.Bytes(l.data)}})
		default:
			set.Changes = append(set.Changes, replacing(in(dir), away.FileName, l.data, data))
		}
	}
	apartFrom(set, nil)
	return set, nil
}

// placeIn is the number of a folder among the places of a set.
func placeIn(set *change.Set, dir string) int {
	if i := slices.Index(set.Places, dir); i >= 0 {
		return i
	}
	set.Places = append(set.Places, dir)
	return len(set.Places) - 1
}

// apartFrom has no two places of a set lie in each other. It returns the roots with the
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

// onTheWay adds the folders that are to be made for what goes into them.
func (r *awayRun) onTheWay(set *change.Set, in func(dir string) int, made map[string]bool, dir string) error {
	if made[dir] || isThere(dir) {
		return nil
	}
	if err := r.onTheWay(set, in, made, filepath.Dir(dir)); err != nil {
		return err
	}
	made[dir] = true
	base := r.base(dir)
	set.Changes = append(set.Changes, change.Change{Op: change.Make, In: in(base), Path: below(base, dir), Node: &tree.Node{Name: filepath.Base(dir)}, Why: "on the way"})
	return nil
}

// copied adds what makes a copy, without the label.
func (g *going) copied(set *change.Set, in func(dir string) int, made map[string]bool) error {
	base := (&awayRun{}).base(g.to)
	to, from := in(base), in(filepath.Dir(g.from))
	top := filepath.Base(g.from)
	if g.whole == nil {
		set.Changes = append(set.Changes, change.Change{Op: change.Copy, FromIn: from, From: top, In: to, Path: below(base, g.to), Was: change.State{Entry: tree.Entry{Kind: tree.File}}, Why: "copy"})
		return nil
	}
	if !made[g.to] {
		made[g.to] = true
		set.Changes = append(set.Changes, change.Change{Op: change.Make, In: to, Path: below(base, g.to), Node: &tree.Node{Name: filepath.Base(g.to)}, Why: "copy"})
	}
	for at, n := range g.whole.All() {
		at = strings.Clone(at)
		c := change.Change{Op: change.Copy, FromIn: from, From: path.Join(top, at), In: to, Path: path.Join(below(base, g.to), at), Was: change.State{Entry: tree.Entry{Kind: tree.File}}, Why: "copy"}
		switch {
		case at == label.FileName && g.note.Part == "":
			continue
		case n.Kind == tree.Folder:
			c = change.Change{Op: change.Make, In: to, Path: c.Path, Node: &tree.Node{Name: n.Name}, Why: "copy"}
		case n.Marks&tree.Link != 0:
			target, err := os.Readlink(filepath.Join(g.from, filepath.FromSlash(at)))
			if err != nil {
				return refused("", "%s cannot be read: %s", at, place.Reason(err))
			}
			c = change.Change{Op: change.Make, In: to, Path: c.Path, Node: &tree.Node{Name: n.Name, Kind: tree.Symlink, Content: tree.Target(target)}, Why: "copy"}
		}
		set.Changes = append(set.Changes, c)
	}
	return nil
}

// relabel notes in the labels of projects what of them was archived, came back, or was
// handed over.
func (r *awayRun) relabel(set *change.Set, in func(dir string) int) error {
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
		if string(data) != string(noted[dir].data) {
			set.Changes = append(set.Changes, replacing(in(dir), label.FileName, noted[dir].data, data))
		}
	}
	return nil
}
