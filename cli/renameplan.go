package cli

import (
	"fmt"
	"slices"

	"vestibula/cli/term"
	"vestibula/core/journal"
	"vestibula/core/proposal"
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
	r.waysOut(conv, p)
	if r.kept > 0 {
		p.Remark(string(term.Count(r.kept, "file")) + map[bool]string{true: " keeps the name", false: " keep the names"}[r.kept == 1] + " that the template gives.")
	}
	if r.elsewhere > 0 {
		p.Remark(string(term.Count(r.elsewhere, "file")) + map[bool]string{true: " is", false: " are"}[r.elsewhere == 1] + " skipped, in folders that do not hold " + conv.Name + ".")
	}
	what, title := term.Count(len(p.Set.Changes), "file"), ""
	if len(p.Set.Places) > 0 {
		title = p.Set.Places[0].Name()
	}
	return r.propose(r.consent, &task{Proposal: p, open: open, asked: asked, follows: &following{trees: r.trees}, question: fmt.Sprintf("Rename %s?", what), how: "rename what can be read",
		idle:        term.Sprintf("no file gets another name."),
		undertaking: undertaking{doing: "renaming", head: journal.Head{What: "rename", Title: string(what) + " in " + title, Project: title}},
		told:        func() term.Shown { return term.Good.Render("Renamed") + term.Sprintf(" %s. %s", what, r.undoes()) }})
}

// waysOut says of what is left for want of a value how it could be given. What belongs together stands together.
func (r *renameRun) waysOut(conv *template.Convention, p *proposal.Proposal) {
	for _, part := range p.Parts {
		for _, l := range part.Left {
			if l.Lacks == "" || r.raw[l.Lacks].Text != "" {
				continue
			}
			l.Help = "with " + l.Lacks + "=…, all of them get that"
			if slices.ContainsFunc(conv.Fields, func(f *template.Field) bool { return f.Name == l.Lacks && f.Type.Kind == value.Date }) {
				l.Help = "with " + l.Lacks + "=made, each gets the day of the file itself"
			}
		}
	}
}
