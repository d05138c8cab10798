package cli

import (
	"fmt"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/fix"
	"vestibula/core/inspect"
	"vestibula/core/journal"
)

// repair fixes what can be fixed in real folders: what is sure together, and what is
// probable each with its own yes.
func (r *checkRun) repair(paths []string, reports []*inspect.Report) error {
	r.ask.asJSON = r.asJSON
	folders, err := judged(reports)
	if err != nil {
		return err
	}
	found := fix.Find(folders)
	if found.Empty() {
		if !r.asJSON {
			r.screen.Text(term.Good.Render("Nothing to fix") + " in " + term.Visible(strings.Join(paths, ", ")) + " without a person.")
		}
		return r.tellReports(reports)
	}
	open, asked, err := r.answer(r.ask, found.Parts())
	if err != nil {
		return err
	}
	p, err := found.Proposal()
	if err != nil {
		return err
	}
	if !asked {
		tellOpen(p, open)
	}
	count := len(p.Steps()) - open
	t := &task{Proposal: p, follows: &following{}, question: fmt.Sprintf("Make %s?", term.Count(count, "change")), how: "do what is sure", undertaking: undertaking{doing: "fixing"}}
	if count == 0 {
		t.question = "Remember your no, so that it is not asked again?"
	}
	if len(p.Set.Changes) == 0 {
		if !r.asJSON {
			r.drawPlan(t)
		}
		return r.tellReports(reports)
	}
	name := p.Set.Places[0].Name()
	t.head = journal.Head{What: "fix", Title: name, Project: name}
	goes, err := r.pass(r.ask, t)
	switch {
	case err != nil:
		return err
	case !goes && r.asJSON:
		return r.tellReports(reports)
	case !goes:
		return nil
	case !r.asJSON:
		r.fixed(count)
	}
	if reports, err = r.look(paths); err != nil {
		return err
	}
	if err = r.tellReports(reports); open > 0 {
		r.left(open, r.ask)
	}
	return err
}

// fixed tells how much was done.
func (r *checkRun) fixed(count int) {
	done := term.Good.Render("Fixed") + " " + term.Count(count, "thing") + ". "
	if count == 0 {
		done = term.Good.Render("Noted") + ". "
	}
	r.screen.Text(done + r.undoes().line())
	r.screen.Line()
}

// judged are the folders of reports. An archive cannot be fixed.
func judged(reports []*inspect.Report) (list []fix.Folder, err error) {
	for _, report := range reports {
		for _, s := range report.Subjects {
			if s.Err != nil {
				continue // it is told afterwards
			}
			if s.Dir == "" {
				return nil, unclear("unpack it first", "%s is an archive, and cannot be fixed as it is", report.Path)
			}
			f := fix.Folder{Dir: s.Dir, Findings: s.Findings}
			if s.Project != nil {
				f.ID = s.Project.Label.ID
			}
			list = append(list, f)
		}
	}
	return list, nil
}
