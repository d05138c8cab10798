package cli

import (
	"fmt"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/rules"
	"vestibula/core/template"
)

// fixText puts a template right in its own file: it shows what will change, and
// writes only with a yes.
func (r *checkRun) fixText(src *source) error {
	switch {
	case src.built:
		return refused(advise("to make a copy of your own", "draft", "my-"+src.name[:len(src.name)-len(template.Ending)], "--like", src.name[:len(src.name)-len(template.Ending)]).String(), "%s is built in and cannot be changed", src.name)
	case src.path == "":
		return unclear("name a file", "a list from standard input cannot be fixed")
	}
	t, err := src.parse()
	if err != nil {
		return r.tellErrors(src.name, src.text, err, statusFound)
	}
	text, fixed, err := rules.FixText(t, r.now)
	if err != nil {
		return r.tellErrors(src.name, src.text, err, statusFound)
	}
	if len(fixed) == 0 {
		r.screen.Text(term.Good.Render("Nothing to fix") + " without a person in " + term.Visible(src.name) + ".")
		return r.unfixed(src)
	}
	at, err := place.Real(src.path)
	if err != nil {
		return refused("it is as it was", "%s cannot be written: %s", src.path, place.Reason(err))
	}
	set := change.Rewriting(at, []byte(src.text), []byte(text))
	show := func() {
		for _, m := range fixed {
			r.screen.Line(term.Dim.Render(term.Sprintf("%4d ", m.Line)), term.Bad.Render("- "), term.Visible(m.Before))
			r.screen.Line("     ", term.Good.Render("+ "), term.Visible(m.After))
		}
		r.screen.Line()
	}
	err = r.propose(r.ask, &task{Proposal: &proposal.Proposal{Set: set, Roots: []journal.Root{{Path: address.Text(at.Name())}}}, draw: show, question: fmt.Sprintf("Change %s in %s?", term.Count(len(fixed), "line"), src.name), how: "write it",
		undertaking: undertaking{doing: "fixing", head: journal.Head{What: "fix", Title: src.name, Project: src.name}},
		told: func() term.Shown {
			return term.Good.Render("Fixed") + " " + term.Count(len(fixed), "line") + " of " + term.Visible(src.name) + ". " + r.undoes().line()
		}})
	if err != nil || r.ask.preview || r.ask.plan != "" {
		return err
	}
	if src, err = r.find(src.path); err != nil {
		return err
	}
	return r.unfixed(src)
}

// unfixed tells what of a template nobody but a person can put right, and is the stop where errors are left.
func (r *checkRun) unfixed(src *source) error {
	result := &checkResult{Subject: src.name, Findings: []finding{}, path: src.path}
	if err := r.template(result, src, nil); err != nil {
		return err
	}
	if result.Errors+result.Warnings == 0 {
		return nil
	}
	r.screen.Text(howMany(result) + term.Sprintf(" %s, for which a person is needed: ", map[bool]string{true: "is left", false: "are left"}[result.Errors+result.Warnings == 1]) + advise("", "check", typed(src.path)).line())
	if result.Errors > 0 {
		return found
	}
	return nil
}
