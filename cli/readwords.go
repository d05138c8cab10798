package cli

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/bundle"
	"vestibula/core/inspect"
	"vestibula/core/order"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/read"
)

// maxWords is how many words may be looked for.
const maxWords = 64

// words takes the words from the arguments that are to be found in a place: what stands behind a
// folder, and is no path itself.
func (r *readRun) words(args []string) (at string, words []string) {
	if len(args) < 2 || r.t != nil {
		return "", nil
	}
	if info, err := place.Stat(args[0]); err != nil || !info.IsDir() {
		return "", nil
	}
	for _, arg := range args[1:] {
		if place.Exists(arg) || strings.ContainsAny(arg, `/\`) {
			return "", nil
		}
	}
	return args[0], args[1:]
}

// findWords finds what has words anywhere: files, folders, values, and what was archived from there.
func (r *readRun) findWords(at string, typed []string) error {
	if len(typed) > maxWords {
		return unclear("look for fewer", "these are %d words", len(typed))
	}
	done, end := r.progress("reading", -1)
	there, err := project.Below(at, nil, done)
	end()
	if err != nil {
		return unreadable(at, err)
	}
	for _, u := range there.Unseen() {
		r.unread = append(r.unread, u.Path)
	}
	open := r.opened(there)
	archived := there.Archived()
	if err := inspect.Prune(there.Root); err != nil {
		return unreadable(at, err)
	}
	w := read.NewWords(typed)
	hits := w.Find(there.Root, there.Dir.Name(), func(at string) *project.Project { return open[at] })
	hits = slices.DeleteFunc(hits, func(h read.Hit) bool { return there.Below != "" && !strings.HasPrefix(h.Path+"/", there.Below+"/") })
	if r.links != "" { // what was found before is not found in the links to it
		hits = slices.DeleteFunc(hits, func(h read.Hit) bool { return h.Path == path.Clean(filepath.ToSlash(r.links)) })
	}
	archived = slices.DeleteFunc(archived, func(a *bundle.Away) bool {
		return slices.ContainsFunc(there.Projects, func(own project.Own) bool { return string(own.Dir) == a.To })
	})
	hits = append(hits, w.Away(archived)...)
	slices.SortStableFunc(hits, func(a, b read.Hit) int { return int(a.Kind) - int(b.Kind) })
	top := filepath.ToSlash(fromHere(there.Dir))
	shown := func(h read.Hit) string {
		if h.Archived != nil {
			return h.Path
		}
		return strings.TrimPrefix(path.Join(top, h.Path), "./")
	}
	if r.links != "" {
		var list []linked
		for _, h := range hits {
			if h.Archived == nil {
				list = append(list, linked{path.Base(path.Join(there.Dir.Name(), h.Path)), path.Base(path.Dir(path.Join(there.Dir.Name(), h.Path))), string(there.Dir.Join(h.Path))})
			}
		}
		if err := r.makeLinks(r.links, list, r.asJSON); err != nil {
			return err
		}
	}
	switch {
	case r.asJSON:
		err = r.wordsJSON(hits, shown)
	case r.links == "":
		r.drawWords(typed, hits, shown)
	}
	r.tellUnread()
	if err == nil && len(r.unread) > 0 {
		err = found
	}
	return err
}

// opened are the projects that were found, by their paths; what cannot be opened is told.
func (r *readRun) opened(there *project.Found) map[string]*project.Project {
	open := map[string]*project.Project{}
	for i := range there.Projects {
		own := &there.Projects[i]
		p, err := (*project.Project)(nil), own.Err
		if err == nil {
			p, err = r.store().Open(own.Dir, own.Label)
		}
		if err != nil {
			r.badLabel(own.Dir, err)
			continue
		}
		open[strings.TrimPrefix(own.Path, ".")] = p
	}
	return open
}

// hitWords are how many of a kind there are.
var hitWords = map[read.HitKind]term.Shown{read.ProjectHit: "project", read.FolderHit: "folder", read.FileHit: "file", read.ArchivedHit: "archived"}

// drawWords draws what was found, kind by kind.
func (r *readRun) drawWords(typed []string, hits []read.Hit, shown func(h read.Hit) string) {
	if len(hits) == 0 {
		r.screen.Text(term.Sprintf("Nothing there has %s.", strings.Join(typed, ", ")))
		return
	}
	for len(hits) > 0 {
		n := 1
		for n < len(hits) && hits[n].Kind == hits[0].Kind {
			n++
		}
		some := hits[:n]
		order.Sort(order.Natural, some, shown)
		what := term.Count(n, hitWords[some[0].Kind])
		if some[0].Kind == read.ArchivedHit {
			what = term.Number(n) + " archived"
		}
		r.screen.Line(term.Title.Render(what))
		var rows [][]term.Shown
		for _, h := range some[:min(n, r.most(manyRows))] {
			note := strings.Join(h.Says, ", ")
			if h.Archived != nil {
				note = strings.TrimPrefix(note+"; "+h.Archived.Where(), "; ")
			}
			name := shown(h)
			if h.Kind == read.FolderHit {
				name += "/"
			}
			row := []term.Shown{"  " + term.Visible(name)}
			if note != "" {
				row = append(row, term.Dim.Render(term.Visible(note)))
			}
			rows = append(rows, row)
		}
		r.screen.Columns(rows)
		if n > len(rows) {
			r.more(n-len(rows), "")
		}
		if hits = hits[n:]; len(hits) > 0 {
			r.screen.Line()
		}
	}
}

// wordsJSON prints what was found as JSON.
func (r *readRun) wordsJSON(hits []read.Hit, shown func(h read.Hit) string) error {
	type hit struct {
		Kind  string   `json:"kind"`
		Path  string   `json:"path"`
		Says  []string `json:"says"`
		Where string   `json:"where,omitempty"` // of what was archived
	}
	list := []hit{}
	for _, h := range hits {
		one := hit{h.Kind.String(), shown(h), append([]string{}, h.Says...), ""}
		if h.Archived != nil {
			one.Where = h.Archived.To
		}
		list = append(list, one)
	}
	return r.printJSON(struct {
		Found []hit `json:"found"`
	}{list})
}
