package cli

import (
	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/upgrade"
)

// draw shows what will be done, and what stays.
func (r *upgradeRun) draw(chosen map[*upgrade.Step]bool) {
	lines := 0
	for _, u := range r.jobs {
		if u.plan.Nothing() && len(u.plan.Stays) == 0 && len(u.dropped) == 0 && !u.alone {
			continue
		}
		if lines > 4*manyRows {
			r.screen.Text(term.Dim.Render("… and more; " + r.sameCall("all of them", "--json").line()))
			break
		}
		r.screen.Line(term.Title.Render(term.Visible(fromHere(u.project.Dir))))
		if u.plan.Name != u.plan.Becomes {
			r.screen.Line("  ", term.Accent.Render("»"), " ", term.Moved(u.plan.Name, u.plan.Becomes))
		}
		if u.alone {
			lines++
			r.screen.Line("  ", term.Warn.Render("←"), " ", term.Dim.Render("what it is held to; no folder and no file changes"))
		}
		for i, s := range u.plan.Steps {
			lines++
			if i == manyRows {
				r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more", term.Number(len(u.plan.Steps)-i))))
				break
			}
			r.screen.Line("  ", stepLine(s, chosen[s]))
		}
		for i, s := range u.plan.Stays {
			if i == manyRows {
				break
			}
			r.screen.Because("  "+term.Warn.Render("~")+" "+term.Visible(s.Path), term.Visible(s.Why), term.Warn.Plain())
		}
		for _, name := range u.dropped {
			r.screen.Line("  ", term.Dim.Render(term.Sprintf("the template has no field %s any more; its value is forgotten", name)))
		}
		r.screen.Line()
	}
	r.followed.draw(r.screen)
}

func stepLine(s *upgrade.Step, chosen bool) term.Shown {
	note := term.Dim.Italic().Render("   " + term.Visible(s.Why))
	switch {
	case !chosen:
		return term.Warn.Render("?") + " " + term.Moved(s.From, s.To) + note
	case s.Op == change.Make:
		return term.Good.Render("+") + " " + term.Visible(s.To) + note
	case s.Op == change.Replace:
		return term.Warn.Render("←") + " " + term.Visible(s.To) + note
	case s.Op == change.Remove:
		return term.Bad.Render("-") + " " + term.Visible(s.From) + note
	}
	return term.Accent.Render("»") + " " + term.Moved(s.From, s.To) + note
}

// report prints the plan, or what was done, as JSON.
func (r *upgradeRun) report(chosen map[*upgrade.Step]bool, done bool) error {
	type step struct {
		Op   string `json:"op"`
		From string `json:"from,omitempty"`
		To   string `json:"to,omitempty"`
		Why  string `json:"why"`
		Sure bool   `json:"sure"`
	}
	type one struct {
		Project string     `json:"project"`
		Becomes string     `json:"becomes,omitempty"`
		Steps   []step     `json:"steps"`
		Stays   []jsonStay `json:"stays"`
	}
	out := struct {
		Done     bool         `json:"done"`
		Projects []one        `json:"projects"`
		Broken   []brokenJSON `json:"broken"`
	}{done, []one{}, r.followed.json()}
	todo := 0
	for _, u := range r.jobs {
		o := one{Project: fromHere(u.project.Dir), Steps: []step{}, Stays: []jsonStay{}}
		if u.plan.Name != u.plan.Becomes {
			o.Becomes = u.plan.Becomes
		}
		for _, s := range u.plan.Steps {
			todo++
			o.Steps = append(o.Steps, step{s.Op.String(), s.From, s.To, s.Why, s.Sure})
		}
		for _, s := range u.plan.Stays {
			o.Stays = append(o.Stays, jsonStay{s.Path, s.Why})
		}
		out.Projects = append(out.Projects, o)
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && todo > 0 {
		return found
	}
	return err
}
