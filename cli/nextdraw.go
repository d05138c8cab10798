package cli

import (
	"path"
	"path/filepath"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/build"
	"vestibula/core/next"
	"vestibula/core/order"
)

// carried is how many things go along.
func (r *nextRun) carried() (n int) {
	for _, t := range r.turns {
		n += len(t.goes)
	}
	return n
}

// olds are the projects that are carried forward.
func (r *nextRun) olds() string {
	if n := len(r.turns) / r.count; n > 1 {
		return string(term.Count(n, "project"))
	}
	return filepath.Base(r.turns[0].project.Dir)
}

// title is what comes about.
func (r *nextRun) title() string {
	first, n := r.turns[0].plan.Own, len(r.turns)
	switch {
	case n == 1:
		return first
	case n > r.count:
		return string(term.Count(n, "new project"))
	}
	return first + " … " + path.Base(r.turns[n-1].plan.Own)
}

// draw shows each new period: what is made, what comes along under which name, and what
// does not.
func (r *nextRun) draw() {
	for _, t := range r.turns {
		r.screen.Line(term.Title.Render(term.Visible(t.plan.Own)), term.Dim.Render("  "+counts(t.build)))
		r.drawSteps(t)
	}
	for i := 0; r.away != nil && i < len(r.away.goes); i++ {
		g := r.away.goes[i]
		r.screen.Line(term.Accent.Render("»"), " ", term.Moved(filepath.Base(g.from), fromHere(g.to)))
	}
	r.screen.Line()
	if r.away != nil {
		r.away.followed.draw(r.screen)
	}
	r.drawNotes()
}

// drawSteps draws what comes along, under which name.
func (r *nextRun) drawSteps(t *turn) {
	most := max(3, 2*manyRows/len(r.turns))
	order.Sort(order.Natural, t.goes, func(s *next.Step) string { return s.From })
	for i, s := range t.goes {
		if i == most {
			r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more along", term.Number(len(t.goes)-i))))
			return
		}
		sign := term.Good.Render("+")
		if s.Moves {
			sign = term.Accent.Render("»")
		}
		if s.From == s.To {
			r.screen.Line("  ", sign, " ", term.Visible(s.To))
			continue
		}
		r.screen.Line("  ", sign, " ", term.Moved(s.From, s.To))
	}
}

// drawNotes tells what holds the old period still, what is begun, and what does not go
// along.
func (r *nextRun) drawNotes() {
	var unread []string
	left := 0
	for i, t := range r.turns {
		if r.count > 1 && i%r.count > 0 {
			continue // it is the same for each period
		}
		unread = append(unread, t.plan.Unread...)
		left += t.plan.Left
	}
	if n := len(unread); n > 0 {
		text := term.Count(n, "name") + map[bool]term.Shown{true: " still holds the old period, as no convention reads it: ", false: " still hold the old period, as no convention reads them: "}[n == 1]
		r.screen.Text(term.Warn.Render("note:") + " " + text + term.Visible(strings.Join(few(unread), ", ")))
	}
	if r.begun > 0 {
		r.screen.Text(term.Dim.Render(term.Count(r.begun, "file") + map[bool]term.Shown{true: " is there already, and stays as it is.", false: " are there already, and stay as they are."}[r.begun == 1]))
	}
	if left > 0 {
		r.screen.Text(term.Dim.Render(term.Count(left, "file") + map[bool]term.Shown{true: " does", false: " do"}[left == 1] + " not go along: only what lies under lines with “carry” does."))
	}
}

// report prints the plan, or what was done, as JSON.
func (r *nextRun) report(done bool) error {
	type step struct {
		From  string `json:"from"`
		To    string `json:"to"`
		Moves bool   `json:"moves,omitempty"`
	}
	type one struct {
		Project string   `json:"project"`
		New     int      `json:"new"`
		Goes    []step   `json:"goes"`
		Unread  []string `json:"unread"`
		Left    int      `json:"left"`
	}
	out := struct {
		Done  bool  `json:"done"`
		Begun int   `json:"begun"`
		Turns []one `json:"turns"`
	}{done, r.begun, []one{}}
	for _, t := range r.turns {
		o := one{Project: t.plan.Own, Goes: []step{}, Unread: append([]string{}, t.plan.Unread...), Left: t.plan.Left}
		if t.build != nil {
			o.New = t.build.Count[build.New]
		}
		for _, s := range t.goes {
			o.Goes = append(o.Goes, step{s.From, s.To, s.Moves})
		}
		out.Turns = append(out.Turns, o)
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && len(r.set.Changes) > 0 {
		return found
	}
	return err
}
