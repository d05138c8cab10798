package put

import (
	"cmp"
	"path"
	"path/filepath"
	"slices"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/naming"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// Versions are the files of one folder that differ only in a number, a version or a day.
type Versions struct {
	Dir    string // absolute, with slashes
	Newest string
	Others []string
	Unsaid []string // whose names do not say which version they are
	Tie    bool     // which is the newest is not said by their names
}

// Older reports whether there are older ones that it is known of.
func (v *Versions) Older() bool { return !v.Tie && len(v.Others) > 0 }

// VersionsIn finds the versions in a folder and all below it. A folder called older holds those
// that were moved there before, and is passed by.
func VersionsIn(n *tree.Node, dir, older string) (rows []Versions) {
	type member struct {
		name    string
		version naming.Version
	}
	groups := map[string][]member{}
	var order []string
	for _, c := range n.Children {
		if c.Kind == tree.Folder {
			if tree.Folded(c.Name) != tree.Folded(older) {
				rows = append(rows, VersionsIn(c, path.Join(dir, c.Name), older)...)
			}
			continue
		}
		if c.Marks&tree.Link != 0 {
			continue
		}
		stem, ending := tree.Split(c.Name)
		v := naming.VersionOf(stem)
		key := v.Of + "\x00" + ending
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], member{c.Name, v})
	}
	for _, key := range order {
		list := groups[key]
		if len(list) < 2 {
			continue
		}
		var unsaid []string
		list = slices.DeleteFunc(list, func(m member) bool {
			if !m.version.Said() {
				unsaid = append(unsaid, m.name)
			}
			return !m.version.Said()
		})
		if len(list) == 0 {
			continue
		}
		slices.SortStableFunc(list, func(a, b member) int { return cmp.Or(b.version.Compare(a.version), cmp.Compare(a.name, b.name)) })
		v := Versions{Dir: dir, Newest: list[0].name, Unsaid: unsaid, Tie: len(list) > 1 && list[0].version.Compare(list[1].version) == 0}
		for _, m := range list[1:] {
			v.Others = append(v.Others, m.name)
		}
		rows = append(rows, v)
	}
	return rows
}

// SetAside returns what moves the older ones of all versions into a folder of some name beside
// them, with a part for each folder and for the versions in it. Its set is empty where there
// are none.
func SetAside(rows []Versions, older string) *proposal.Proposal {
	grown := &change.Set{}
	way := grown.Way(func(at change.At) bool {
		_, err := place.Lstat(filepath.FromSlash(at.Path))
		return err == nil
	})
	out := &proposal.Proposal{Roots: []journal.Root{{Path: "."}}}
	var dirs []string
	last := ""
	for i := range rows {
		v := &rows[i]
		dir := filepath.FromSlash(v.Dir)
		if v.Dir != last {
			last = v.Dir
			out.Part(address.Address(dir))
		}
		part := out.Part(address.Address(dir))
		if part.Inner, part.Title, part.Most = true, v.Newest, shownOlder; v.Tie {
			part.About = "   its name does not say whether it is the newest"
			part.Leave(proposal.Left{Kind: proposal.Several, Path: v.Newest, Why: "and " + v.Others[0] + ": their names do not say which is newer"})
			continue
		}
		part.About = "   the newest, stays"
		for _, name := range v.Unsaid {
			part.Leave(proposal.Left{Kind: proposal.Nowhere, Path: name, Why: "its name does not say whether it is newer: it stays"})
		}
		if !v.Older() {
			continue
		}
		dirs = append(dirs, v.Dir)
		at := change.At{Path: v.Dir}
		way.To(at.Below(older), "")
		for _, name := range v.Others {
			grown.Move(at.Below(name), at.Below(path.Join(older, name)), change.Is(tree.File), "an older version of "+v.Newest)
			part.Add(proposal.Step{Op: change.Move, From: name, To: older + "/" + name})
		}
	}
	out.Set = Within(grown.Changes, Outermost(dirs))
	for i := range out.Set.Places {
		out.Set.Places[i] = address.Address(filepath.FromSlash(string(out.Set.Places[i])))
	}
	return out
}

// shownOlder is how many older versions of one file are shown.
const shownOlder = 3
