package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/rules"
)

// A fixing is what a check fixes in real folders.
type fixing struct {
	*checkRun
	jobs           []*fixJob
	sure, probable []*rules.Finding
	chosen         map[*rules.Finding]bool
	asked          bool // each probable one had its own question
	count          int  // of what is fixed
	set            change.Set
}

// A fixJob is one folder of it.
type fixJob struct {
	subject *inspect.Subject
	fixed   []*rules.Finding
}

// repair fixes what can be fixed in real folders: what is sure together, and what is
// probable each with its own yes.
func (r *checkRun) repair(paths []string, reports []*inspect.Report) error {
	r.ask.asJSON = r.asJSON
	f := &fixing{checkRun: r, chosen: map[*rules.Finding]bool{}}
	if err := f.gather(reports); err != nil {
		return err
	}
	if len(f.sure)+len(f.probable) == 0 {
		if !r.asJSON {
			r.screen.Text(term.Good.Render("Nothing to fix") + " in " + term.Visible(strings.Join(paths, ", ")) + " without a person.")
		}
		return r.tellReports(reports)
	}
	if err := f.choose(); err != nil {
		return err
	}
	f.plan()
	if len(f.set.Changes) == 0 {
		if len(f.probable) > 0 && !r.asJSON {
			r.tellProbable(f.probable)
		}
		return r.after(paths, reports)
	}
	goes, err := f.pass()
	switch {
	case err != nil:
		return err
	case !goes && r.asJSON:
		return r.tellReports(reports)
	case !goes:
		return nil
	case !r.asJSON:
		r.screen.Text(term.Good.Render("Fixed") + " " + term.Count(f.count, "thing") + ". " + r.undoes().line())
		r.screen.Line()
	}
	return r.after(paths, nil)
}

// gather finds what can be fixed.
func (f *fixing) gather(reports []*inspect.Report) error {
	for _, report := range reports {
		for _, s := range report.Subjects {
			if s.Err != nil {
				continue // it is told afterwards
			}
			if s.Dir == "" {
				return unclear("unpack it first", "%s is an archive, and cannot be fixed as it is", report.Path)
			}
			f.jobs = append(f.jobs, &fixJob{subject: s})
			for i := range s.Findings {
				switch found := &s.Findings[i]; {
				case found.Fix == nil:
				case found.Fix.Sure:
					f.sure = append(f.sure, found)
				default:
					f.probable = append(f.probable, found)
				}
			}
		}
	}
	return nil
}

// choose takes what is sure and, where somebody can be asked, each probable one with a yes of
// its own; a plan that is written holds all.
func (f *fixing) choose() error {
	for _, found := range f.sure {
		f.chosen[found] = true
	}
	if f.ask.plan != "" {
		for _, found := range f.probable {
			f.chosen[found] = true
		}
		return nil
	}
	if f.asked = !f.ask.yes && !f.ask.preview && !f.asJSON && f.interactive(); !f.asked || len(f.probable) == 0 {
		return nil
	}
	f.screen.Line(term.Title.Render("Probable"), term.Dim.Render(": each is asked for by itself"))
	for _, found := range f.probable {
		f.screen.Line("  ", term.Warn.Render("?"), " ", term.Visible(found.Message.String()))
		yes, err := f.confirm(fmt.Sprintf("%s → %s?", found.Path, found.Fix.To()))
		if err != nil {
			return err
		}
		f.chosen[found] = yes
	}
	return nil
}

// plan makes the changes of what is chosen.
func (f *fixing) plan() {
	for _, j := range f.jobs {
		changes, done := rules.Plan(j.subject.Findings, func(found *rules.Finding) bool { return f.chosen[found] })
		if j.fixed, f.count = done, f.count+len(done); len(changes) > 0 {
			f.set.Join(&change.Set{Places: []string{j.subject.Dir}, Changes: changes})
		}
	}
}

// pass shows the plan and, with a yes, carries it out.
func (f *fixing) pass() (goes bool, err error) {
	if err := labelsFollow(&f.set); err != nil {
		return false, err
	}
	followed, err := f.follow(&f.set, f.ask, f.set.Places, nil, nil)
	if err != nil {
		return false, err
	}
	var roots []journal.Root
	for _, j := range f.jobs {
		if in := slices.Index(f.set.Places, j.subject.Dir); in >= 0 && len(roots) < manyRoots {
			root := journal.Root{In: in, Path: "."}
			if j.subject.Project != nil {
				root.ID = j.subject.Project.Label.ID
			}
			roots = append(roots, root)
		}
	}
	draw := func() {
		f.draw()
		followed.draw(f.screen)
	}
	name := filepath.Base(f.set.Places[0])
	return f.app.pass(f.ask, proposal{set: &f.set, draw: draw, question: fmt.Sprintf("Make %s?", term.Count(f.count, "change")), how: "do what is sure",
		undertaking: undertaking{doing: "fixing", head: journal.Head{What: "fix", Title: name, Project: name, Roots: roots}}})
}

// draw shows what is fixed, by folders.
func (f *fixing) draw() {
	f.screen.Line(term.Title.Render("Sure"), term.Dim.Render(": it follows from the template, its values and the names"))
	shown := 0
	for _, j := range f.jobs {
		if len(f.jobs) > 1 && len(j.fixed) > 0 && shown < manyRows {
			f.screen.Line(term.Strong.Render(term.Visible(fromHere(j.subject.Dir))))
		}
		for _, found := range j.fixed {
			if shown++; shown <= manyRows {
				f.screen.Line(fixLine(found))
			}
		}
	}
	if shown > manyRows {
		f.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more", term.Number(shown-manyRows))))
	}
	if !f.asked {
		f.tellProbable(f.probable)
	}
	f.screen.Line()
}

// fixLine is the line of a fix in a plan.
func fixLine(f *rules.Finding) term.Shown {
	why := f.Fix.Why()
	if why == "" {
		why = f.Message.String()
	}
	note := term.Dim.Italic().Render("   " + term.Visible(why))
	if f.Fix.Makes() {
		return "  " + term.Good.Render("+") + " " + term.Visible(f.Fix.To()) + note
	}
	return "  " + term.Accent.Render("»") + " " + term.Moved(f.Path, f.Fix.To()) + note
}

// tellProbable lists what needs an answer of its own.
func (r *checkRun) tellProbable(probable []*rules.Finding) {
	if len(probable) == 0 {
		return
	}
	r.screen.Line()
	r.screen.Line(term.Title.Render("Probable"), term.Dim.Render(": each needs an answer of its own, at a terminal"))
	for i, f := range probable {
		if i == manyRows {
			r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more", term.Number(len(probable)-i))))
			return
		}
		r.screen.Because("  "+term.Warn.Render("?")+" "+term.Moved(f.Path, f.Fix.To()), term.Visible(f.Fix.Why()), term.Warn.Plain())
	}
}

// after looks again, when something was fixed, and tells what is left.
func (r *checkRun) after(paths []string, reports []*inspect.Report) error {
	if reports == nil {
		var err error
		if reports, err = r.look(paths); err != nil {
			return err
		}
	}
	return r.tellReports(reports)
}
