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
func (a *app) makeLinks(links string, list []linked, quiet bool) error {
	dir, err := filepath.Abs(links)
	if err != nil {
		return unclear("", "%v", err)
	}
	up, err := place.Real(filepath.Dir(dir))
	if err != nil {
		return unclear("make it first", "there is no folder \"%s\"", filepath.Dir(links))
	}
	dir = string(up.Join(filepath.Base(dir)))
	at, err := read.OpenLinks(dir)
	switch {
	case errors.Is(err, read.ErrNoFolder):
		return refused("name another folder", "%s is there, and is no folder", links)
	case errors.Is(err, read.ErrOthers):
		return refused("name a new folder, or an empty one", "%s holds other things, and is no folder of links", links)
	case err != nil:
		return refused("", "%s: %s cannot be read: %s", links, read.LinksFile, place.Reason(err))
	}
	p, err := at.Plan(wantedLinks(dir, list))
	if err != nil {
		return err
	}
	for _, name := range p.Taken {
		a.note(term.Sprintf("%s has a %s of its own, which stays", links, name))
	}
	if base := filepath.Base(dir); len(p.Changes) > 0 {
		if err := a.propose(consent{named: true}, &task{Proposal: &proposal.Proposal{Set: &p.Set, Roots: []journal.Root{{Path: address.Text(base)}}},
			undertaking: undertaking{doing: "linking", head: journal.Head{What: "links", Title: base, Project: base}}}); err != nil {
			return err
		}
	}
	if !quiet {
		a.screen.Text(term.Good.Render("Linked") + term.Sprintf(": %s in %s, %s new, %s gone.", term.Count(p.Kept, "link"), links, term.Number(p.Made), term.Number(p.Gone)))
	}
	return nil
}

// A linked thing is one that a link is to lead to.
type linked struct{ name, of, full string }

// linkedEntries are the files that were found by their names.
func (r *readRun) linkedEntries() (list []linked) {
	for _, e := range r.found.Entries {
		if full := r.full[e]; full != "" { // else in an archive
			one := linked{path.Base(e.Path), "", full}
			if e.Project != nil {
				one.of = e.Project.Dir.Name()
			}
			list = append(list, one)
		}
	}
	return list
}

// wantedLinks are the links to what was found: by their own names or, where several have
// one, with that of what they lie in, then with a number.
func wantedLinks(dir string, list []linked) map[string]string {
	want := map[string]string{}
	taken := map[string]bool{}
	count := map[string]int{}
	for _, l := range list {
		count[tree.Folded(l.name)]++
	}
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b linked) int { return strings.Compare(a.full, b.full) })
	for _, l := range list {
		full, err := filepath.Abs(l.full)
		if err != nil {
			continue
		}
		target, err := filepath.Rel(dir, full)
		if err != nil {
			target = full
		}
		name := l.name
		if count[tree.Folded(name)] > 1 && l.of != "" {
			name = l.of + " - " + name
		}
		ext := filepath.Ext(name)
		for n := 2; taken[tree.Folded(name)]; n++ {
			name = fmt.Sprintf("%s (%d)%s", l.name[:len(l.name)-len(ext)], n, ext)
		}
		taken[tree.Folded(name)] = true
		want[name] = target
	}
	return want
}
