// Package tick plans that something is noted as delivered, or that it is not: what no file can
// show stands in the project's label.
package tick

import (
	"maps"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/project"
	"vestibula/core/proposal"
)

// Propose returns what notes on which day an item of a project was delivered, by its path there;
// without a day, that it was not.
func Propose(dir address.Address, id, item, day string) (*proposal.Proposal, error) {
	out := &proposal.Proposal{Set: &change.Set{Places: []address.Address{dir}}}
	out.Counts(change.At{Path: "."}, id)
	part := out.Part(dir)
	return out, project.Relabel(out.Set, dir, func(l *label.Label) error {
		if l.Done[item] == day {
			return nil
		}
		done := maps.Clone(l.Done)
		if done == nil {
			done = map[string]string{}
		}
		if done[item] = day; day == "" {
			delete(done, item)
		}
		l.Done = done
		part.Add(proposal.Step{Op: change.Replace, To: item, Why: "delivered " + day})
		return nil
	})
}
