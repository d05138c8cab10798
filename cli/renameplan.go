package cli

import (
	"fmt"

	"vestibula/cli/term"
	"vestibula/core/journal"
	"vestibula/core/rename"
	"vestibula/core/template"
)

// carryOut shows the plan and, with a yes, does it.
func (r *renameRun) carryOut(conv *template.Convention) error {
	var tops []string // the projects that files lie in
	for _, s := range r.locations {
		if s.layout != nil {
			tops = append(tops, string(s.layout.Dir))
		}
	}
	p, err := rename.Propose(conv, r.outcomes, tops)
	if err != nil {
		return refused("", "%v", err)
	}
	if r.kept > 0 {
		p.Remark(string(term.Count(r.kept, "file")) + map[bool]string{true: " keeps the name", false: " keep the names"}[r.kept == 1] + " that the template gives.")
	}
	if r.elsewhere > 0 {
		p.Remark(string(term.Count(r.elsewhere, "file")) + map[bool]string{true: " is", false: " are"}[r.elsewhere == 1] + " passed by, in folders that do not hold " + conv.Name + ".")
	}
	what, title := term.Count(len(p.Steps()), "file"), ""
	if len(p.Set.Places) > 0 {
		title = p.Set.Places[0].Name()
	}
	return r.propose(r.consent, &task{Proposal: p, follows: &following{trees: r.trees}, question: fmt.Sprintf("Rename %s?", what), how: "rename what can be read",
		idle:        term.Sprintf("no file gets another name."),
		undertaking: undertaking{doing: "renaming", head: journal.Head{What: "rename", Title: string(what) + " in " + title, Project: title}},
		told:        func() term.Shown { return term.Good.Render("Renamed") + term.Sprintf(" %s. %s", what, r.undoes()) }})
}
