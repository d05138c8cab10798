package cli

import (
	"path/filepath"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/fix"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/outline"
)

// keep writes into the label of a project that something is meant so.
func (r *checkRun) keep(reports []*inspect.Report) error {
	s := reports[0].Subjects[0]
	if len(reports) > 1 || len(reports[0].Subjects) > 1 || s.Project == nil {
		return unclear("name one project, which has a "+label.FileName, "what is accepted is noted in its project")
	}
	at := strings.Trim(filepath.ToSlash(filepath.Clean(r.accept)), "/")
	if at == "" {
		at = "."
	}
	p, kept, err := fix.Accept(fix.Folder{Dir: s.Dir, ID: s.Project.Label.ID, Findings: s.Findings}, at, r.why)
	if err != nil {
		return planned(err)
	}
	if len(kept) == 0 {
		var known []string
		for _, f := range s.Findings {
			known = append(known, f.Path)
		}
		return refused(outline.Meant(at, known, "write the path as the finding shows it"), "Nothing is found at \"%s\".", r.accept)
	}
	name := s.Dir.Name()
	return r.propose(consent{named: true}, &task{Proposal: p,
		undertaking: undertaking{doing: "writing", head: journal.Head{What: "accept", Title: at, Project: name}},
		told: func() term.Shown {
			return term.Good.Render("Kept") + term.Sprintf(" in %s: %s is accepted (%s). %s", name, at, strings.Join(kept, ", "), r.undoes())
		}})
}
