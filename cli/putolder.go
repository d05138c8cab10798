package cli

import (
	"fmt"
	"os"
	"path"
	"path/filepath"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/put"
	"vestibula/core/rules"
	"vestibula/core/template"
)

// olderInto moves, of files that differ only in a number, a version or a day, all but the
// newest into a folder of some name beside them.
func (r *putRun) olderInto() error {
	if path.Base(filepath.ToSlash(r.older)) != r.older || r.older == "." || r.older == ".." {
		return unclear(r.sameCall("for example", "--older-into", "Older").String(), "\"%s\" is no name of a folder", r.older)
	}
	names, _ := rules.Configure(&template.Template{})
	if wrong := fault(names, r.older); wrong != "" {
		return unclear("give the folder another name", "%s", wrong)
	}
	var tops []string
	for _, source := range r.sources {
		info, err := os.Stat(source)
		if err != nil || !info.IsDir() {
			return unclear("name folders", "\"%s\" is no folder", source)
		}
		dir, err := place.Real(source)
		if err != nil {
			return unreadable(source, err)
		}
		tops = append(tops, filepath.ToSlash(dir))
	}
	var rows []put.Versions
	for _, dir := range put.Outermost(tops) {
		shown := fromHere(filepath.FromSlash(dir))
		root, unread, err := inspect.Tree(filepath.FromSlash(dir), nil)
		if err != nil {
			return unreadable(shown, err)
		}
		for _, u := range unread {
			r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(filepath.Join(shown, filepath.FromSlash(u.Path))) + " cannot be read; the rest was looked at")
		}
		rows = append(rows, put.VersionsIn(root, dir, r.older)...)
	}
	set, count := put.SetAside(rows, r.older)
	if set == nil {
		if r.asJSON {
			return r.versionsJSON(rows, false)
		}
		r.drawVersions(rows)
		r.screen.Text(term.Good.Render("Nothing to do") + ": no file is an older version of another one.")
		return nil
	}
	err := labelsFollow(set)
	if err != nil {
		return err
	}
	if r.followed, err = r.follow(set, r.consent, set.Places, nil, nil); err != nil {
		return err
	}
	what := term.Count(count, "file")
	return r.propose(r.consent, proposal{set: set, draw: func() { r.drawVersions(rows) }, question: fmt.Sprintf("Move %s into %s?", what, r.older), how: "move the older ones",
		report: func(done bool) error { return r.versionsJSON(rows, done) },
		undertaking: undertaking{doing: "moving",
			head: journal.Head{What: "put", Title: string(what) + " into " + r.older, Project: filepath.Base(set.Places[0]), Roots: []journal.Root{{Path: "."}}}},
		told: func() term.Shown {
			return term.Good.Render("Moved") + term.Sprintf(" %s into %s. %s", what, r.older, r.undoes())
		}})
}

func (r *putRun) drawVersions(rows []put.Versions) {
	dir, n := "", 0
	for _, v := range rows {
		if n++; n > manyRows {
			r.more(len(rows)-manyRows, "", "--json")
			break
		}
		if v.Dir != dir {
			dir = v.Dir
			r.screen.Line(term.Title.Render(term.Visible(fromHere(filepath.FromSlash(dir)))))
		}
		if v.Tie {
			r.screen.Line("  ", term.Warn.Render("?"), " ", term.Visible(v.Newest), term.Dim.Italic().Render(term.Sprintf("   and %s: their names do not say which is newer", v.Others[0])))
			continue
		}
		r.screen.Line("  ", term.Good.Render("="), " ", term.Visible(v.Newest), term.Dim.Italic().Render("   the newest, stays"))
		for _, name := range v.Unsaid {
			r.screen.Line("    ", term.Warn.Render("?"), " ", term.Visible(name), term.Dim.Italic().Render("   its name does not say whether it is newer: it stays"))
		}
		for i, name := range v.Others {
			if i == shownIn && len(v.Others) > shownIn+1 {
				r.screen.Line(term.Dim.Render(term.Sprintf("      … and %s more", term.Number(len(v.Others)-i))))
				break
			}
			r.screen.Line("    ", term.Accent.Render("»"), " ", term.Moved(name, r.older+"/"+name))
		}
	}
	if len(rows) > 0 {
		r.screen.Line()
	}
	r.followed.draw(r.screen)
}

func (r *putRun) versionsJSON(rows []put.Versions, done bool) error {
	type row struct {
		Folder string   `json:"folder"`
		Newest string   `json:"newest,omitempty"`
		Older  []string `json:"older"`
		Unsaid []string `json:"unsaid,omitempty"`
	}
	out := struct {
		Done bool  `json:"done"`
		Rows []row `json:"rows"`
	}{done, []row{}}
	for _, v := range rows {
		one := row{fromHere(filepath.FromSlash(v.Dir)), v.Newest, append([]string{}, v.Others...), v.Unsaid}
		if v.Tie {
			one.Newest, one.Older, one.Unsaid = "", []string{}, append([]string{v.Newest}, v.Others...)
		}
		out.Rows = append(out.Rows, one)
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && len(rows) > 0 {
		return found
	}
	return err
}
