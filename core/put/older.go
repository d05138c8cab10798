package put

import (
	"cmp"
	"os"
	"path"
	"path/filepath"
	"slices"

	"vestibula/core/change"
	"vestibula/core/naming"
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
		stem, ending := naming.Split(c.Name)
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
// them. It is nil where there are none; count is how many files are moved.
func SetAside(rows []Versions, older string) (set *change.Set, count int) {
	grown := &change.Set{}
	way := grown.Way(func(at change.At) bool {
		_, err := os.Lstat(filepath.FromSlash(at.Path))
		return err == nil
	})
	var dirs []string
	for i := range rows {
		v := &rows[i]
		if !v.Older() {
			continue
		}
		dirs = append(dirs, v.Dir)
		at := change.At{Path: v.Dir}
		way.To(at.Below(older), "")
		for _, name := range v.Others {
			grown.Move(at.Below(name), at.Below(path.Join(older, name)), change.Is(tree.File), "an older version of "+v.Newest)
			count++
		}
	}
	if count == 0 {
		return nil, 0
	}
	set = Within(grown.Changes, Outermost(dirs))
	for i := range set.Places {
		set.Places[i] = filepath.FromSlash(set.Places[i])
	}
	return set, count
}
