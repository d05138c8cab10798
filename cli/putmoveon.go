package cli

import (
	"fmt"
	"path"

	"vestibula/cli/term"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/put"
)

// A movingOn is a call of put that moves folders of a project to their next stage.
type movingOn struct {
	*putRun
	layout  *project.Layout
	into    string // paths are from the project's own folder
	folders []string
}

// movesOn finds out whether folders of a project move to another folder of it: nil where
// it is not so. The project itself sorts what is put into it.
func (r *putRun) movesOn() (*movingOn, error) {
	if r.into == "" || len(r.conventions) > 0 || r.copy || r.link {
		return nil, nil
	}
	into, err := place.Real(r.into)
	if err != nil {
		return nil, nil // told by those who need it
	}
	own, l, err := project.Find(into)
	if err != nil || l == nil || own == into {
		return nil, nil
	}
	m := &movingOn{putRun: r}
	m.into, _ = into.From(own)
	for _, source := range r.sources {
		at, err := place.Real(source)
		if err != nil {
			return nil, nil
		}
		info, err := place.Lstat(at)
		below, inside := at.From(own)
		if err != nil || !info.IsDir() || !inside || at == own || into.Within(at) {
			return nil, nil
		}
		if at.Parent() == into {
			return nil, refused("name another folder", "%s lies in %s already", source, r.into)
		}
		m.folders = append(m.folders, below)
	}
	s, err := r.locate(string(own), nil)
	if err != nil {
		return nil, err
	}
	m.layout = s.layout
	return m, nil
}

func (m *movingOn) carryOut() error {
	p, err := put.MoveOn(m.layout, m.folders, m.into)
	if err != nil {
		return refused("", "%v", err)
	}
	what := term.Count(len(m.folders), "folder")
	return m.propose(m.consent, &task{Proposal: p, follows: &following{}, question: fmt.Sprintf("Move %s on to %s?", what, m.into), how: "move it on",
		undertaking: undertaking{doing: "moving on", head: journal.Head{What: "put", Title: path.Base(m.folders[0]), Project: m.layout.Dir.Name()}},
		told: func() term.Shown {
			return term.Good.Render("Moved on") + term.Sprintf(": %s in %s. %s", what, m.into, m.undoes())
		}})
}
