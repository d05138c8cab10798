package cli

import (
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/tree"
	"vestibula/core/upgrade"
)

// tops are the folders in which projects lie that get another name: what lies beside them
// may point at them.
func (r *upgradeRun) tops(set *change.Set) (tops []string) {
	for _, u := range r.jobs {
		if dir := u.place(); u.plan.Name != u.plan.Becomes && slices.Contains(set.Places, dir) && !slices.Contains(tops, dir) {
			tops = append(tops, dir)
		}
	}
	return tops
}

func asMeant(n int) term.Shown {
	if n == 1 {
		return "the project is as it is to be."
	}
	return term.Sprintf("all %s projects are as they are to be.", term.Number(n))
}

// set puts the changes of all projects together.
func (r *upgradeRun) set(chosen map[*upgrade.Step]bool) (set *change.Set, roots []journal.Root, count int) {
	set = &change.Set{}
	for _, u := range r.jobs {
		dir := u.place()
		changes := u.plan.Changes(func(s *upgrade.Step) bool { return chosen[s] })
		count += len(changes)
		if len(u.relabel) > 0 {
			changes = append(changes, u.relabel...)
			u.alone = len(changes) == 1
		}
		if len(changes) == 0 {
			continue
		}
		in := set.Join(&change.Set{Places: []string{dir}, Changes: changes})
		if len(roots) < manyRoots {
			roots = append(roots, journal.Root{In: in[0], Path: address.Text(u.plan.Becomes), ID: u.project.Label.ID})
		}
	}
	for _, u := range r.jobs {
		if strings.Contains(u.plan.Becomes, "/") || strings.Contains(u.plan.Name, "/") {
			roots = rebase(set, u.place(), roots)
		}
	}
	count += r.onTheWay(set)
	return set, roots, count
}

// place is the folder that the paths of an upgrade's changes begin in.
func (u *upgrading) place() string {
	at := u.project.Dir
	for range strings.Split(u.plan.Name, "/") {
		at = filepath.Dir(at)
	}
	return at
}

// rebase writes the changes in places below a folder with paths from that folder, so that
// no two places of a set lie in each other. It returns the roots with the places that they have
// then.
func rebase(set *change.Set, top string, roots []journal.Root) []journal.Root {
	places, at, before := []string{}, make([]int, len(set.Places)), make([]string, len(set.Places))
	add := func(place string) int {
		if i := slices.Index(places, place); i >= 0 {
			return i
		}
		places = append(places, place)
		return len(places) - 1
	}
	for i, p := range set.Places {
		rel, err := filepath.Rel(top, p)
		if at[i] = add(p); err == nil && filepath.IsLocal(rel) {
			places = places[:len(places)-1]
			at[i] = add(top)
			if rel != "." {
				before[i] = filepath.ToSlash(rel)
			}
		}
	}
	set.Places = places
	moved := func(in int, p string) (int, string) {
		if p == "" {
			return at[in], p
		}
		return at[in], path.Join(before[in], p)
	}
	for i := range set.Changes {
		c := &set.Changes[i]
		in := c.In
		c.In, c.Path = moved(in, c.Path)
		if c.Instead != "" {
			_, c.Instead = moved(in, c.Instead)
		}
		c.FromIn, c.From = moved(c.FromIn, c.From)
	}
	for i := range roots {
		in, p := moved(roots[i].In, string(roots[i].Path))
		roots[i].In, roots[i].Path = in, address.Text(p)
	}
	return roots
}

// onTheWay adds the folders on the way to where projects go, as far as they are not there,
// and takes away those that projects leave empty. It returns how many.
func (r *upgradeRun) onTheWay(set *change.Set) (count int) {
	leaves, comes := map[string]bool{}, map[string]bool{}
	for i := range set.Changes {
		switch c := &set.Changes[i]; c.Op {
		case change.Move:
			leaves[slashed(set.Places[c.FromIn], c.From)], comes[slashed(set.Places[c.In], c.Path)] = true, true
		case change.Make:
			comes[slashed(set.Places[c.In], c.Path)] = true
		}
	}
	for _, u := range r.jobs {
		in := slices.Index(set.Places, u.place())
		if u.plan.Name == u.plan.Becomes || in < 0 {
			continue
		}
		way := set.Way(func(at change.At) bool {
			full := slashed(set.Places[in], at.Path)
			there := comes[full] || isThere(filepath.FromSlash(full))
			comes[full] = true
			return there
		})
		count += way.To(change.At{In: in, Path: path.Dir(u.plan.Becomes)}, "on the way")
		for up := path.Dir(u.plan.Name); up != "."; up = path.Dir(up) {
			full := slashed(set.Places[in], up)
			entries, err := os.ReadDir(filepath.FromSlash(full))
			if err != nil || leaves[full] || slices.ContainsFunc(entries, func(e os.DirEntry) bool { return !leaves[full+"/"+e.Name()] }) || slices.ContainsFunc(slices.Collect(maps.Keys(comes)), func(at string) bool { return path.Dir(at) == full }) {
				break
			}
			leaves[full] = true
			set.Remove(change.At{In: in, Path: up}, change.Is(tree.Folder), "nothing is left in it")
			count++
		}
	}
	return count
}
