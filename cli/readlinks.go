package cli

import (
	"errors"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/read"
	"vestibula/core/tree"
)

// makeLinks makes a folder of links to what was found, or brings one up to date. Nothing else
// in the folder is touched.
func (r *readRun) makeLinks() error {
	dir, err := filepath.Abs(r.links)
	if err != nil {
		return unclear("", "%v", err)
	}
	up, err := place.Real(filepath.Dir(dir))
	if err != nil {
		return unclear("make it first", "there is no folder \"%s\"", filepath.Dir(r.links))
	}
	dir = string(up.Join(filepath.Base(dir)))
	at, err := read.OpenLinks(dir)
	switch {
	case errors.Is(err, read.ErrNoFolder):
		return refused("name another folder", "%s is there, and is no folder", r.links)
	case errors.Is(err, read.ErrOthers):
		return refused("name a new folder, or an empty one", "%s holds other things, and is no folder of links", r.links)
	case err != nil:
		return refused("", "%s: %s cannot be read: %s", r.links, read.LinksFile, place.Reason(err))
	}
	p, err := at.Plan(r.wantedLinks(dir))
	if err != nil {
		return err
	}
	for _, name := range p.Taken {
		r.note(term.Sprintf("%s has a %s of its own, which stays", r.links, name))
	}
	if base := filepath.Base(dir); len(p.Changes) > 0 {
		if err := r.propose(consent{named: true}, &task{Proposal: &proposal.Proposal{Set: &p.Set, Roots: []journal.Root{{Path: address.Text(base)}}},
			undertaking: undertaking{doing: "linking", head: journal.Head{What: "links", Title: base, Project: base}}}); err != nil {
			return err
		}
	}
	if !r.asJSON && !r.asCSV {
		r.screen.Text(term.Good.Render("Linked") + term.Sprintf(": %s in %s, %s new, %s gone.", term.Count(p.Kept, "file"), r.links, term.Number(p.Made), term.Number(p.Gone)))
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
			name = e.Project.Dir.Name() + " - " + name
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
