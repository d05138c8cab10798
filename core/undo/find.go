package undo

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
)

// find follows roots that were moved or renamed by hand: to where something with their
// identity on the disk lies beside their old place or where the person is, or to the
// project that the person names. That a label says the same is not enough: a copy has
// the same label.
func (u *Undo) find(changes []change.Change, places []address.Address, in Where) ([]change.Change, []address.Address, error) {
	gone := &GoneError{}
	found := 0
	u.Roots = slices.Clone(u.Record.Roots)
	for i, root := range u.Roots {
		if root.In >= len(places) || root.Ino == 0 && root.ID == "" {
			found++
			continue
		}
		old := places[root.In].Join(string(root.Path))
		now := whereabouts(&root, old, in)
		if now == "" && root.Ino == 0 && u.Record.End == journal.CutShort {
			now = old // it never came so far as to be known by more than its path
		}
		if now == old {
			found++
			continue
		}
		if now == "" {
			gone.Path = old
			gone.Maybe = append(gone.Maybe, labelled(&root, candidates(old, in.Here))...)
			continue
		}
		found++
		u.Moved = append(u.Moved, now)
		changes, places = relocate(changes, places, root, now)
		u.Roots[i].In, u.Roots[i].Path = len(places)-1, address.Text(now.Name())
	}
	if found == 0 && gone.Path != "" {
		return nil, nil, gone
	}
	return changes, places, nil
}

// Reaches reports whether anything that a record is about lies at or below a folder. What
// was moved by hand is looked for there, too.
func Reaches(r *journal.Record, here address.Address) bool {
	paths := r.Paths()
	if slices.ContainsFunc(paths, func(p address.Address) bool { return p.Within(here) }) {
		return true
	}
	if len(paths) != len(r.Roots) {
		return false
	}
	for i, root := range r.Roots {
		if root.Ino == 0 && root.ID == "" || paths[i].Server() != here.Server() {
			continue
		}
		if now := whereabouts(&root, paths[i], Where{Here: here}); now != "" && now.Within(here) {
			return true
		}
	}
	return false
}

// whereabouts returns where a root is now that was at an old path, or nothing.
func whereabouts(root *journal.Root, old address.Address, in Where) address.Address {
	if same(root, old) || root.Ino == 0 && place.Exists(old) || len(labelled(root, []address.Address{old})) > 0 {
		return old
	}
	if now := search(root, old, in.Here); now != "" {
		return now
	}
	if in.Named != "" && (same(root, in.Named) || len(labelled(root, []address.Address{in.Named})) > 0) {
		return in.Named
	}
	// A file is another one whenever a program has saved it, and so is a folder that was
	// brought back from elsewhere. What they hold is looked at.
	if info, err := place.Lstat(old); err == nil && (!info.IsDir() || root.ID == "" || !place.Exists(old.Join(label.FileName))) {
		return old
	}
	return ""
}

// same reports whether what lies at a path is a root, by its identity.
func same(root *journal.Root, at address.Address) bool {
	dev, ino, err := place.Identity(at)
	return err == nil && root.Ino != 0 && dev == root.Dev && ino == root.Ino
}

// search looks for a root that is no longer at its old path, by its identity on the disk:
// it, or a folder that it lies in, has another name or lies where the person is.
func search(root *journal.Root, old, here address.Address) address.Address {
	_, rests := above(old)
	for _, dir := range candidates(old, here) {
		for _, rest := range rests {
			if at := dir.Join(rest); same(root, at) {
				return at
			}
		}
	}
	return ""
}

// labelled are those of some folders that a label says are a root; what is kept in a backup
// is none.
func labelled(root *journal.Root, dirs []address.Address) (list []address.Address) {
	for _, dir := range dirs {
		if root.ID == "" {
			break
		}
		if l, _, err := project.ReadLabel(dir); err == nil && l.ID == root.ID && project.Kept(dir) == "" {
			list = append(list, dir)
		}
	}
	return list
}

// above returns the innermost folder on the way to an old path of which something is still
// there, by the path of what is missing in it; and how the way goes on from each step.
func above(old address.Address) (beside address.Address, rests []string) {
	beside, rests = old, []string{""}
	for ; !place.Exists(beside) && beside != beside.Parent(); beside = beside.Parent() {
		rests = append(rests, filepath.Join(beside.Name(), rests[len(rests)-1]))
	}
	return beside, rests
}

// candidates are the folders in which something may be that lay at an old path.
func candidates(old, here address.Address) []address.Address {
	// What is beside the first folder on the way that is no longer there.
	beside, _ := above(old)
	if beside == old {
		beside = old.Parent() // something else has taken its name
	}
	var dirs []address.Address
	for _, dir := range []address.Address{beside, here} {
		entries, _ := place.ReadDir(dir) // what cannot be read offers nothing
		for _, e := range entries {
			dirs = append(dirs, dir.Join(e.Name()))
		}
	}
	for up := here; ; up = up.Parent() {
		dirs = append(dirs, up)
		if up == up.Parent() {
			return dirs
		}
	}
}

// relocate returns the changes with all that lies in a root where it is now.
func relocate(changes []change.Change, places []address.Address, root journal.Root, now address.Address) ([]change.Change, []address.Address) {
	was := string(root.Path)
	places = append(slices.Clone(places), now.Parent())
	in, base := len(places)-1, now.Name()
	moved := func(i int, p string) (int, string) {
		switch {
		case p == "" || i != root.In:
		case was == ".":
			return in, path.Join(base, p)
		case p == was:
			return in, base
		case strings.HasPrefix(p, was+"/"):
			return in, base + p[len(was):]
		}
		return i, p
	}
	changes = slices.Clone(changes)
	for i := range changes {
		c := &changes[i]
		aside := c.Op == change.Replace || c.Op == change.Remove
		in, from := c.In, c.From
		c.In, c.Path = moved(c.In, c.Path)
		if c.Op == change.Move || c.Op == change.Copy {
			c.FromIn, c.From = moved(c.FromIn, c.From)
		} else if aside && c.In != in {
			c.From, _ = "", from // it lies in the old place, and what it holds is in the record
		}
	}
	return changes, places
}
