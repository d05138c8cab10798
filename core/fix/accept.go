package fix

import (
	"slices"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/project"
	"vestibula/core/proposal"
)

// Accept returns what notes in the label of a project that what is found at a path of it is
// meant so, and why; and the rules that found it, of which there may be none.
func Accept(f Folder, at, why string) (out *proposal.Proposal, kept []string, err error) {
	out = &proposal.Proposal{Set: &change.Set{Places: []address.Address{f.Dir}}}
	out.Counts(change.At{Path: "."}, f.ID)
	err = project.Relabel(out.Set, f.Dir, func(l *label.Label) error {
		for _, found := range f.Findings {
			if found.Path == at && !slices.Contains(kept, found.Rule) {
				kept = append(kept, found.Rule)
				l.Accepted = append(l.Accepted, label.Accepted{Path: at, Rule: found.Rule, Why: why})
			}
		}
		return nil
	})
	return out, kept, err
}
