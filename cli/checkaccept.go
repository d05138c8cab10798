package cli

import (
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/outline"
	"vestibula/core/proposal"
)

// keep writes into the label of a project that something is meant so.
func (r *checkRun) keep(reports []*inspect.Report) error {
	s := reports[0].Subjects[0]
	if len(reports) > 1 || len(reports[0].Subjects) > 1 || s.Project == nil {
		return unclear("name one project, which has a "+label.FileName, "what is meant so is kept in the project that it is in")
	}
	at := strings.Trim(filepath.ToSlash(filepath.Clean(r.accept)), "/")
	if at == "" {
		at = "."
	}
	var known []string
	var kept []string
	var is readLabel // as it is now, and not as it was when the check began
	if is.read(s.Dir); is.err != nil {
		return is.err
	}
	l := is.label
	for _, f := range s.Findings {
		known = append(known, f.Path)
		if f.Path == at && !slices.Contains(kept, f.Rule) {
			kept = append(kept, f.Rule)
			l.Accepted = append(l.Accepted, label.Accepted{Path: at, Rule: f.Rule, Why: r.why})
		}
	}
	if len(kept) == 0 {
		help := "write the path as the finding shows it"
		if near := outline.Nearest(at, known); near != "" {
			help = "did you mean " + near + "?"
		}
		return refused(help, "Nothing is found at \"%s\".", r.accept)
	}
	data, err := l.Encode()
	if err != nil {
		return err
	}
	set := rewriting(filepath.Join(s.Dir, label.FileName), is.data, data)
	name := filepath.Base(s.Dir)
	return r.propose(consent{named: true}, &task{Proposal: &proposal.Proposal{Set: set, Roots: []journal.Root{{Path: ".", ID: l.ID}}},
		undertaking: undertaking{doing: "writing", head: journal.Head{What: "accept", Title: at, Project: name}},
		told: func() term.Shown {
			return term.Good.Render("Kept") + term.Sprintf(" in %s: %s is meant so (%s). %s", name, at, strings.Join(kept, ", "), r.undoes())
		}})
}
