package cli

import (
	"fmt"
	"path"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/proposal"
)

// answer asks for each probable step by itself, where somebody can be asked. A plan that is
// written holds all of them. It returns how many are left without a yes, and whether that was
// asked for.
func (a *app) answer(c consent, parts []*proposal.Part) (open int, asking bool, err error) {
	waits := map[string]bool{}
	asking = !c.yes && !c.preview && !c.asJSON && c.plan == "" && a.interactive()
	for _, part := range parts {
		for _, s := range part.Steps {
			switch {
			case !s.Probable || s.Agreed || s.Refused && s.Group != "":
				continue
			case c.plan != "":
				s.Agreed = true
			case asking:
				same := alike(parts, part, s)
				a.screen.Line("  ", term.Warn.Render("?"), " ", term.Visible(s.Why))
				yes, err := a.confirm(a.asks(same))
				if err != nil {
					return 0, asking, err
				}
				for _, s := range same {
					s.Agreed, s.Refused = yes, !yes
				}
			}
			if s.Probable && !s.Agreed && !s.Refused && (s.Group == "" || !waits[s.Group]) {
				waits[s.Group] = true
				open++
			}
		}
	}
	return open, asking, nil
}

// A grouped step is one of those that one answer is for, by its name from here.
type grouped struct {
	*proposal.Step
	name string
}

// alike are the steps that one answer is for: a step, and the others of its group.
func alike(parts []*proposal.Part, in *proposal.Part, s *proposal.Step) (same []grouped) {
	if s.Group == "" {
		return []grouped{{s, s.From}}
	}
	for _, part := range parts {
		for _, other := range part.Steps {
			if other.Probable && other.Group == s.Group && !other.Agreed {
				same = append(same, grouped{other, fromHere(part.In.Join(other.From))})
			}
		}
	}
	return same
}

// asks is the question whether some steps are to be done, which it names.
func (a *app) asks(same []grouped) string {
	does := map[change.Op]string{change.Replace: "Write again", change.Move: "Rename", change.Copy: "Bring back"}[same[0].Op]
	if s := same[0]; len(same) == 1 {
		if s.Op == change.Move {
			return s.From + " → " + s.To + "?"
		}
		return does + " " + s.name + "?"
	}
	for i, s := range same {
		if i == 5 {
			a.screen.Text(term.Dim.Render("    … and " + term.Number(len(same)-i) + " more"))
			break
		}
		line := "    " + s.name
		if s.Op == change.Move {
			line += " → " + path.Base(s.To)
		}
		a.screen.Text(term.Visible(line))
	}
	return fmt.Sprintf("%s all %s?", does, term.Number(len(same)))
}

// waiting is how many steps wait for an answer.
func (a *app) waiting(steps []*proposal.Step) (n int) {
	for _, s := range steps {
		if !s.Goes() {
			n++
		}
	}
	return n
}

// tellOpen says how many steps of a proposal wait for an answer.
func tellOpen(p *proposal.Proposal, open int) {
	switch {
	case open == 1:
		p.Note("What has a ? is only probable: it needs an answer of its own, at a terminal.")
	case open > 1:
		p.Note("What has a ? is only probable: it needs " + string(term.Number(open)) + " answers, at a terminal.")
	}
}
