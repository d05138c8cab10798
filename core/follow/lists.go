package follow

import (
	"slices"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/place"
	"vestibula/core/proposal"
)

// Lists adds what the lists of folders note of projects that go from them to their archive, or
// come back. The error is a [proposal.Refusal]: a list is damaged.
func Lists(p *proposal.Proposal) error {
	type list struct {
		dir address.Address
		*bundle.AwayList
		was []byte
	}
	var all []*list
	for _, one := range p.Archived {
		i := slices.IndexFunc(all, func(l *list) bool { return l.dir == one.Dir })
		if i < 0 {
			l := &list{dir: one.Dir}
			var err error
			if l.AwayList, l.was, err = bundle.ReadAway(one.Dir); err != nil {
				return proposal.Refused("move it away first", "%s: %s", one.Dir, place.Reason(err))
			}
			all, i = append(all, l), len(all)
		}
		if l := all[i]; one.Back {
			l.Remove(one.Project)
		} else {
			one.Project.Lay(l.dir)
			l.Add(one.Project)
		}
	}
	for _, l := range all {
		data, err := l.Encode()
		if err != nil {
			return err
		}
		if len(l.Projects) == 0 && l.was != nil {
			data = nil
		}
		p.Set.Write(change.At{In: p.Set.Place(l.dir), Path: bundle.AwayName}, l.was, data, "")
	}
	p.Archived = nil // that is noted
	p.Apart()
	return nil
}
