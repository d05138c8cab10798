package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
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
	"vestibula/core/place"
	"vestibula/core/read"
	"vestibula/core/tree"
)

// linksFile is the file in a folder of links that says which of them are the program's.
const linksFile = ".vestibula-links.json"

// maxLinks bounds how much of such a file is read.
const maxLinks = 64 << 20

// makeLinks makes a folder of links to what was found, or brings one up to date: links
// that were made before and are not wanted any more go, if they are still as they were
// made. Nothing else in the folder is touched.
func (r *readRun) makeLinks() error {
	dir, err := filepath.Abs(r.links)
	if err != nil {
		return unclear("", "%v", err)
	}
	up, err := place.Real(filepath.Dir(dir))
	if err != nil {
		return unclear("make it first", "there is no folder \"%s\"", filepath.Dir(r.links))
	}
	dir = filepath.Join(up, filepath.Base(dir))
	before := map[string]string{}
	var old []byte
	info, err := os.Lstat(dir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
	case err != nil || !info.IsDir():
		return refused("name another folder", "%s is there, and is no folder", r.links)
	default:
		if old, err = place.ReadFile(filepath.Join(dir, linksFile), maxLinks); err == nil {
			err = json.Unmarshal(old, &before)
		}
		entries, listErr := os.ReadDir(dir)
		if errors.Is(err, fs.ErrNotExist) && listErr == nil && len(entries) > 0 {
			return refused("name a new folder, or an empty one", "%s holds other things, and is no folder of links", r.links)
		}
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return refused("", "%s: %s cannot be read: %s", r.links, linksFile, place.Reason(err))
		}
	}
	want := r.wantedLinks(dir)
	set := &change.Set{Places: []string{up}}
	base := filepath.Base(dir)
	if info == nil {
		set.MakeFolder(change.At{Path: base}, "")
	}
	made, gone, kept := 0, 0, map[string]string{}
	for _, name := range slices.Sorted(maps.Keys(before)) {
		now, err := os.Readlink(filepath.Join(dir, name))
		switch {
		case err != nil || now != before[name]:
			continue // somebody has changed it: it is theirs now
		case want[name] == now:
			kept[name] = now
		default:
			gone++
			set.Remove(change.At{Path: path.Join(base, name)}, change.Holds(tree.Symlink, []byte(now)), "it was not found any more")
		}
	}
	var taken []string
	for _, name := range slices.Sorted(maps.Keys(want)) {
		if kept[name] != "" {
			continue
		}
		_, err := os.Lstat(filepath.Join(dir, name))
		ours := before[name] != "" && slices.ContainsFunc(set.Changes, func(c change.Change) bool { return c.Op == change.Remove && c.Path == path.Join(base, name) })
		if err == nil && !ours {
			taken = append(taken, name)
			continue
		}
		made++
		kept[name] = want[name]
		set.MakeLink(change.At{Path: path.Join(base, name)}, want[name], "")
	}
	data, err := json.MarshalIndent(kept, "", "  ")
	if err != nil {
		return err
	}
	data = append(data, '\n')
	set.Write(change.At{Path: path.Join(base, linksFile)}, old, data, "")
	for _, name := range taken {
		r.note(term.Sprintf("%s has a %s of its own, which stays", r.links, name))
	}
	if made+gone > 0 || old == nil {
		if err := r.propose(consent{named: true}, proposal{set: set, undertaking: undertaking{doing: "linking",
			head: journal.Head{What: "links", Title: base, Project: base, Roots: []journal.Root{{Path: address.Text(base)}}}}}); err != nil {
			return err
		}
	}
	if !r.asJSON && !r.asCSV {
		r.screen.Text(term.Good.Render("Linked") + term.Sprintf(": %s in %s, %s new, %s gone.", term.Count(len(kept), "file"), r.links, term.Number(made), term.Number(gone)))
	}
	return nil
}

// wantedLinks are the links to what was found: by their own names or, where several have
// one, with that of their project, then with a number.
func (r *readRun) wantedLinks(dir string) map[string]string {
	want := map[string]string{}
	taken := map[string]bool{}
	count := map[string]int{}
	for _, e := range r.found.Entries {
		count[tree.Folded(path.Base(e.Path))]++
	}
	entries := slices.Clone(r.found.Entries)
	slices.SortStableFunc(entries, func(a, b *read.Entry) int {
		return strings.Compare(r.full[a], r.full[b])
	})
	for _, e := range entries {
		full := r.full[e]
		if full == "" {
			continue // in an archive
		}
		full, err := filepath.Abs(full)
		if err != nil {
			continue
		}
		target, err := filepath.Rel(dir, full)
		if err != nil {
			target = full
		}
		name := path.Base(e.Path)
		if count[tree.Folded(name)] > 1 && e.Project != nil {
			name = filepath.Base(e.Project.Dir) + " - " + name
		}
		ext := filepath.Ext(name)
		for n := 2; taken[tree.Folded(name)]; n++ {
			name = fmt.Sprintf("%s (%d)%s", path.Base(e.Path)[:len(path.Base(e.Path))-len(ext)], n, ext)
		}
		taken[tree.Folded(name)] = true
		want[name] = target
	}
	return want
}
