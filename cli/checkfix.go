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

// repair fixes what can be fixed in real folders: what is sure together, and what is
// probable each with its own yes.
func (r *checkRun) repair(paths []string, reports []*inspect.Report) error {
	r.ask.asJSON = r.asJSON
	set := &change.Set{}
	var sure, probable []*rules.Finding
	type job struct {
		s        *inspect.Subject
		findings []rules.Finding
		fixed    []*rules.Finding
	}
	var jobs []job
	for _, report := range reports {
		for _, s := range report.Subjects {
			if s.Err != nil {
				continue // it is told afterwards
			}
			if s.Dir == "" {
				return unclear("unpack it first", "%s is an archive, and cannot be fixed as it is", report.Path)
			}
			jobs = append(jobs, job{s: s, findings: s.Findings})
			for i := range s.Findings {
				switch f := &s.Findings[i]; {
				case f.Fix == nil:
				case f.Fix.Sure:
					sure = append(sure, f)
				default:
					probable = append(probable, f)
				}
			}
		}
	}
	if len(sure)+len(probable) == 0 {
		if r.asJSON {
			return r.tellReports(reports)
		}
		r.screen.Text(term.Good.Render("Nothing to fix") + " in " + term.Visible(strings.Join(paths, ", ")) + " without a person.")
		return r.tellReports(reports)
	}
	chosen := map[*rules.Finding]bool{}
	for _, f := range sure {
		chosen[f] = true
	}
	r.ask.probable = map[string]bool{}
	if r.ask.plan != "" {
		for _, f := range probable {
			chosen[f] = true
		}
	}
	asking := !r.ask.yes && !r.ask.preview && !r.asJSON && r.ask.plan == "" && r.interactive()
	if asking && len(probable) > 0 {
		r.screen.Line(term.Title.Render("Probable"), term.Dim.Render(": each is asked for by itself"))
		for _, f := range probable {
			r.screen.Line("  ", term.Warn.Render("?"), " ", term.Visible(f.Message.String()))
			yes, err := r.confirm(fmt.Sprintf("%s → %s?", f.Path, f.Fix.To()))
			if err != nil {
				return err
			}
			chosen[f] = yes
		}
	}
	var fixed []*rules.Finding
	for i := range jobs {
		j := &jobs[i]
		changes, done := rules.Plan(j.findings, func(f *rules.Finding) bool { return chosen[f] })
		j.fixed, fixed = done, append(fixed, done...)
		for k, f := range done {
			if c := changes[k]; !f.Fix.Sure {
				c.In = len(set.Places)
				r.ask.probable[changeKey(&c)] = true
			}
		}
		if len(changes) == 0 {
			continue
		}
		in := len(set.Places)
		set.Places = append(set.Places, j.s.Dir)
		for _, c := range changes {
			c.In, c.FromIn = in, in
			set.Changes = append(set.Changes, c)
		}
	}
	if len(set.Changes) == 0 {
		if len(probable) > 0 && !r.asJSON {
			r.tellProbable(probable)
		}
		return r.after(paths, reports)
	}
	if err := labelsFollow(set); err != nil {
		return err
	}
	follow, err := r.follow(set, r.ask, set.Places, nil, nil)
	if err != nil {
		return err
	}
	show := func() {
		r.screen.Line(term.Title.Render("Sure"), term.Dim.Render(": it follows from the template, its values and the names"))
		shown := 0
		for _, j := range jobs {
			if len(jobs) > 1 && len(j.fixed) > 0 && shown < manyRows {
				r.screen.Line(term.Strong.Render(term.Visible(fromHere(j.s.Dir))))
			}
			for _, f := range j.fixed {
				if shown++; shown <= manyRows {
					r.screen.Line(fixLine(f))
				}
			}
		}
		if shown > manyRows {
			r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more", term.Number(shown-manyRows))))
		}
		if !asking {
			r.tellProbable(probable)
		}
		r.screen.Line()
		follow.draw(r.screen)
	}
	var roots []journal.Root
	for _, j := range jobs {
		if in := slices.Index(set.Places, j.s.Dir); in >= 0 && len(roots) < manyRoots {
			root := journal.Root{In: in, Path: "."}
			if j.s.Project != nil {
				root.ID = j.s.Project.Label.ID
			}
			roots = append(roots, root)
		}
	}
	name, what := filepath.Base(set.Places[0]), term.Count(len(fixed), "change")
	goes, err := r.pass(r.ask, proposal{set: set, draw: show, question: fmt.Sprintf("Make %s?", what), how: "do what is sure",
		undertaking: undertaking{doing: "fixing", head: journal.Head{What: "fix", Title: name, Project: name, Roots: roots}}})
	switch {
	case err != nil:
		return err
	case !goes && r.asJSON:
		return r.tellReports(reports)
	case !goes:
		return nil
	case !r.asJSON:
		r.screen.Text(term.Good.Render("Fixed") + " " + term.Count(len(fixed), "thing") + ". " + r.undoes().line())
		r.screen.Line()
	}
	return r.after(paths, nil)
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
