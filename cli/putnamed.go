package cli

import (
	"fmt"
	"slices"

	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/rules"
	"vestibula/core/standing"
)

// askNamed asks, of files that go where somebody said, whether what a check would find there is
// meant so. A reason that was given is a yes.
func (r *putRun) askNamed() error {
	if r.below == "" || len(r.projects) != 1 || r.link { // a check passes links by
		return nil
	}
	found := standing.Finds(r.projects[0], r.outcomes)
	r.meant = map[*standing.Outcome]label.Accepted{}
	answers := map[*match.Thing]string{} // why it is meant
	for _, o := range r.outcomes {
		t := found[o]
		if t == nil {
			continue
		}
		why, asked := answers[t]
		if !asked && r.why != "" {
			why = r.why
		} else if !asked && r.interactive() && !r.yes && !r.preview && !r.asJSON {
			yes, err := r.confirm(fmt.Sprintf("%s %s: is that meant?", t.Path, rules.Told(t)))
			if err != nil {
				return err
			}
			if yes {
				why = "it was put there on " + r.now.Local().Format("2006-01-02")
			}
		}
		if answers[t] = why; why != "" {
			r.meant[o] = label.Accepted{Path: t.Path, Rule: rules.RuleOf(t), Why: why}
			continue
		}
		o.Kind, o.Why, o.Spots, o.Path = standing.Nowhere, rules.Told(t), nil, ""
		o.Help = standing.Remedy{Kind: standing.SayWhy}
	}
	return nil
}

// accepts notes in the label what is meant so.
func (r *putRun) accepts(p *proposal.Proposal) error {
	if len(r.meant) == 0 {
		return nil
	}
	return project.Relabel(p.Set, r.projects[0].Dir, func(l *label.Label) error {
		for _, o := range r.outcomes {
			a, meant := r.meant[o]
			if meant && o.Kind == standing.Goes && !slices.ContainsFunc(l.Accepted, func(known label.Accepted) bool { return known.Path == a.Path && known.Rule == a.Rule }) {
				l.Accepted = append(l.Accepted, a)
			}
		}
		return nil
	})
}
