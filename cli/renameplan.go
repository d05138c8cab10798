package cli

import (
	"fmt"
	"slices"

	"vestibula/cli/term"
	"vestibula/core/journal"
	"vestibula/core/rename"
	"vestibula/core/template"
	"vestibula/core/value"
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
	open, asked, err := r.answer(r.consent, p.Parts)
	if err != nil {
		return err
	}
	if rename.Answered(r.outcomes) {
		if p, err = rename.Propose(conv, r.outcomes, tops); err != nil {
			return refused("", "%v", err)
		}
	}
	if !asked {
		tellOpen(p, open)
	}
	if day := r.lackDay(conv); day != "" {
		p.Remark("With " + day + "=made, what does not say it gets that of the file itself.")
	}
	if r.kept > 0 {
		p.Remark(string(term.Count(r.kept, "file")) + map[bool]string{true: " keeps the name", false: " keep the names"}[r.kept == 1] + " that the template gives.")
	}
	if r.elsewhere > 0 {
		p.Remark(string(term.Count(r.elsewhere, "file")) + map[bool]string{true: " is", false: " are"}[r.elsewhere == 1] + " passed by, in folders that do not hold " + conv.Name + ".")
	}
	what, title := term.Count(len(p.Set.Changes), "file"), ""
	if len(p.Set.Places) > 0 {
		title = p.Set.Places[0].Name()
	}
	err = r.propose(r.consent, &task{Proposal: p, follows: &following{trees: r.trees}, question: fmt.Sprintf("Rename %s?", what), how: "rename what can be read",
		idle:        term.Sprintf("no file gets another name."),
		undertaking: undertaking{doing: "renaming", head: journal.Head{What: "rename", Title: string(what) + " in " + title, Project: title}},
		told:        func() term.Shown { return term.Good.Render("Renamed") + term.Sprintf(" %s. %s", what, r.undoes()) }})
	if err == nil && open > 0 && !r.preview && r.consent.plan == "" {
		r.left(open, r.consent)
		return found
	}
	return err
}

// lackDay is the day that names lack, where nobody has said where it comes from; or "".
func (r *renameRun) lackDay(conv *template.Convention) string {
	for _, f := range conv.Fields {
		lacks := func(o *rename.Outcome) bool { return o.Kind == rename.Left && o.Lacks == f.Name }
		if _, said := r.raw[f.Name]; f.Type.Kind == value.Date && !said && slices.ContainsFunc(r.outcomes, lacks) {
			return f.Name
		}
	}
	return ""
}
