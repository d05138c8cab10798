package read

import (
	"encoding/json"
	"errors"
	"io/fs"
	"maps"
	"path"
	"path/filepath"
	"slices"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// LinksFile is the hidden file that says which links a folder of links was given, so that they
// can be told from those that somebody has made there.
const LinksFile = ".vestibula-links.json"

// maxLinks is how large that file may be.
const maxLinks = 64 << 20

// A LinkFolder is a folder with links to what was found.
type LinkFolder struct {
	dir    string
	there  bool
	text   []byte            // of its file; nil where it has none
	before map[string]string // where its links led when they were made
}

// What may lie where links are to lie: no folder, or one that holds other things.
var (
	ErrNoFolder = errors.New("it is there, and is no folder")
	ErrOthers   = errors.New("it holds other things, and is no folder of links")
)

// OpenLinks looks at a folder of links, which may not be there yet; the one that it lies in
// is. The error is [ErrNoFolder], [ErrOthers], or that of its file, which cannot be read.
func OpenLinks(dir string) (*LinkFolder, error) {
	f := &LinkFolder{dir: dir, before: map[string]string{}}
	info, err := place.Lstat(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return f, nil
	}
	if err != nil || !info.IsDir() {
		return nil, ErrNoFolder
	}
	f.there = true
	switch f.text, err = place.ReadFile(filepath.Join(dir, LinksFile), maxLinks); {
	case errors.Is(err, fs.ErrNotExist):
		if entries, err := place.ReadDir(dir); err == nil && len(entries) > 0 {
			return nil, ErrOthers
		}
		return f, nil
	case err == nil:
		err = json.Unmarshal(f.text, &f.before)
	}
	if err != nil {
		return nil, err
	}
	return f, nil
}

// A LinkPlan is what makes the links of a folder those that are wanted.
type LinkPlan struct {
	change.Set
	Made, Gone, Kept int
	Taken            []string // names that somebody has something of their own under, which stays
}

// Plan returns what gives the folder the wanted links, by their names. Links that were made
// before go where they are not wanted any more, if they still lead where they did.
func (f *LinkFolder) Plan(want map[string]string) (*LinkPlan, error) {
	p := &LinkPlan{Set: change.Set{Places: []address.Address{address.Address(filepath.Dir(f.dir))}}}
	base := change.At{Path: filepath.Base(f.dir)}
	if !f.there {
		p.MakeFolder(base, "")
	}
	now, ours := map[string]string{}, map[string]bool{}
	for _, name := range slices.Sorted(maps.Keys(f.before)) {
		leads, err := place.Readlink(filepath.Join(f.dir, name))
		switch {
		case err != nil || leads != f.before[name]:
			continue // somebody has changed it: it is theirs now
		case want[name] == leads:
			now[name] = leads
		default:
			p.Gone++
			ours[name] = true
			p.Remove(base.Below(name), change.Holds(tree.Symlink, []byte(leads)), "it was not found any more")
		}
	}
	for _, name := range slices.Sorted(maps.Keys(want)) {
		if now[name] != "" {
			continue
		}
		if _, err := place.Lstat(filepath.Join(f.dir, name)); err == nil && !ours[name] {
			p.Taken = append(p.Taken, name)
			continue
		}
		p.Made++
		now[name] = want[name]
		p.MakeLink(base.Below(name), want[name], "")
	}
	p.Kept = len(now)
	text, err := json.MarshalIndent(now, "", "  ")
	if err != nil {
		return nil, err
	}
	p.Write(change.At{Path: path.Join(base.Path, LinksFile)}, f.text, append(text, '\n'), "")
	return p, nil
}
