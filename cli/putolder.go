package cli

import (
	"fmt"
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
		info, err := place.Stat(source)
		if err != nil || !info.IsDir() {
			return unclear("name folders", "\"%s\" is no folder", source)
		}
		dir, err := place.Real(source)
		if err != nil {
			return unreadable(source, err)
		}
		tops = append(tops, dir.Slashed())
	}
	var rows []put.Versions
	for _, dir := range put.Outermost(tops) {
		shown := fromHere(filepath.FromSlash(dir))
		root, unread, err := inspect.Tree(filepath.FromSlash(dir), nil)
		if err != nil {
			return unreadable(shown, err)
		}
		r.tellPassed(shown, unread, "was looked at")
		rows = append(rows, put.VersionsIn(root, dir, r.older)...)
	}
	p := put.SetAside(rows, r.older)
	what, title := term.Count(len(p.Steps()), "file"), ""
	if len(p.Set.Places) > 0 {
		title = p.Set.Places[0].Name()
	}
	return r.propose(r.consent, &task{Proposal: p, follows: &following{}, question: fmt.Sprintf("Move %s into %s?", what, r.older), how: "move the older ones",
		idle:        "no file is an older version of another one.",
		undertaking: undertaking{doing: "moving", head: journal.Head{What: "put", Title: string(what) + " into " + r.older, Project: title}},
		told: func() term.Shown {
			return term.Good.Render("Moved") + term.Sprintf(" %s into %s. %s", what, r.older, r.undoes())
		}})
}
