package cli

import (
	"cmp"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/naming"
	"vestibula/core/place"
	"vestibula/core/put"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A versions row is the files of one folder that differ only in a number or a day.
type versions struct {
	dir    string // absolute, with slashes
	newest string
	others []string
	unsaid []string // whose names do not say which version they are
	tie    bool     // which is the newest is not said by their names
}

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
	var rows []versions
	for _, dir := range put.Outermost(tops) {
		shown := fromHere(filepath.FromSlash(dir))
		root, unread, err := inspect.Tree(filepath.FromSlash(dir), nil)
		if err != nil {
			return unreadable(shown, err)
		}
		for _, u := range unread {
			r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(filepath.Join(shown, filepath.FromSlash(u.Path))) + " cannot be read; the rest was looked at")
		}
		rows = append(rows, r.versionsIn(root, dir)...)
	}
	var dirs []string
	count := 0
	for _, v := range rows {
		if !v.tie && len(v.others) > 0 {
			dirs = append(dirs, v.dir)
			count += len(v.others)
		}
	}
	if len(dirs) == 0 {
		if r.asJSON {
			return r.versionsJSON(rows, false)
		}
		r.drawVersions(rows)
		r.screen.Text(term.Good.Render("Nothing to do") + ": no file is an older version of another one.")
		return nil
	}
	grown := &change.Set{}
	way := grown.Way(func(at change.At) bool { return isThere(filepath.FromSlash(at.Path)) })
	for _, v := range rows {
		if v.tie || len(v.others) == 0 {
			continue
		}
		into := path.Join(v.dir, r.older)
		way.To(change.At{Path: into}, "")
		for _, name := range v.others {
			e, err := look(filepath.FromSlash(path.Join(v.dir, name)))
			if err != nil {
				return refused("nothing was changed", "%s cannot be read: %s", name, place.Reason(err))
			}
			grown.Move(change.At{Path: path.Join(v.dir, name)}, change.At{Path: path.Join(into, name)}, change.State{Entry: e}, "an older version of "+v.newest)
		}
	}
	set := put.Within(grown.Changes, put.Outermost(dirs))
	for i := range set.Places {
		set.Places[i] = filepath.FromSlash(set.Places[i])
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

// versionsIn finds the versions in a folder and those below it, but for what was moved
// aside already.
func (r *putRun) versionsIn(n *tree.Node, dir string) (rows []versions) {
	type member struct {
		name    string
		version naming.Version
	}
	groups := map[string][]member{}
	var order []string
	for _, c := range n.Children {
		if c.Kind == tree.Folder {
			if tree.Folded(c.Name) != tree.Folded(r.older) {
				rows = append(rows, r.versionsIn(c, path.Join(dir, c.Name))...)
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
		v := versions{dir: dir, newest: list[0].name, unsaid: unsaid, tie: len(list) > 1 && list[0].version.Compare(list[1].version) == 0}
		for _, m := range list[1:] {
			v.others = append(v.others, m.name)
		}
		rows = append(rows, v)
	}
	return rows
}

func (r *putRun) drawVersions(rows []versions) {
	dir, n := "", 0
	for _, v := range rows {
		if n++; n > manyRows {
			r.more(len(rows)-manyRows, "", "--json")
			break
		}
		if v.dir != dir {
			dir = v.dir
			r.screen.Line(term.Title.Render(term.Visible(fromHere(filepath.FromSlash(dir)))))
		}
		if v.tie {
			r.screen.Line("  ", term.Warn.Render("?"), " ", term.Visible(v.newest), term.Dim.Italic().Render(term.Sprintf("   and %s: their names do not say which is newer", v.others[0])))
			continue
		}
		r.screen.Line("  ", term.Good.Render("="), " ", term.Visible(v.newest), term.Dim.Italic().Render("   the newest, stays"))
		for _, name := range v.unsaid {
			r.screen.Line("    ", term.Warn.Render("?"), " ", term.Visible(name), term.Dim.Italic().Render("   its name does not say whether it is newer: it stays"))
		}
		for i, name := range v.others {
			if i == shownIn && len(v.others) > shownIn+1 {
				r.screen.Line(term.Dim.Render(term.Sprintf("      … and %s more", term.Number(len(v.others)-i))))
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

func (r *putRun) versionsJSON(rows []versions, done bool) error {
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
		one := row{fromHere(filepath.FromSlash(v.dir)), v.newest, append([]string{}, v.others...), v.unsaid}
		if v.tie {
			one.Newest, one.Older, one.Unsaid = "", []string{}, append([]string{v.newest}, v.others...)
		}
		out.Rows = append(out.Rows, one)
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && len(rows) > 0 {
		return found
	}
	return err
}
