package cli

import (
	"errors"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/archive"
	"vestibula/core/batch"
	"vestibula/core/next"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/template"
)

// makeBuilds plans the building of the new projects, and what goes along.
func (r *nextRun) makeBuilds() (err error) {
	r.proposal, r.begun, err = next.Propose(r.turns, func(base address.Address) (*batch.Job, error) {
		p, err := place.Open(base)
		if err != nil {
			return nil, unclear("", "%v", err)
		}
		return &batch.Job{Batch: &batch.Batch{Limit: template.DefaultLimit, Now: r.now}, Place: p, Into: string(base), Version: r.version, Store: r.store(), Read: r.reading}, nil
	}, func(j *batch.Job) (*proposal.Proposal, error) {
		p, err := j.Propose()
		r.tellNotes(p)
		var twice *batch.TwiceError
		if errors.As(err, &twice) {
			return nil, refused("", "Nothing was changed:\n%s", severalLines(strings.Join(doubles(twice), "\n")))
		}
		if lines := j.Blocked(); len(lines) > 0 {
			return nil, refused("", "Nothing was changed: %s", severalLines(strings.Join(few(lines), "\n")))
		}
		return p, err
	})
	return planned(err)
}

// addArchive adds that the old projects go to their archive: the turn of a term is one step,
// with one undo.
func (r *nextRun) addArchive() error {
	r.away = &awayRun{app: r.app, consent: r.consent, into: r.archive, job: archive.Job{Now: r.now}}
	leaves := map[address.Address][]string{}
	var dirs []string
	for _, t := range r.turns {
		if !slices.Contains(dirs, string(t.Project.Dir)) {
			dirs = append(dirs, string(t.Project.Dir))
		}
		leaves[t.Project.Dir] = append(leaves[t.Project.Dir], t.Leaves()...)
	}
	if err := r.away.open(dirs); err != nil {
		return err
	}
	r.away.job.Without(leaves)
	p, err := r.away.job.Propose()
	if err != nil {
		return planned(err)
	}
	if r.follows, err = r.away.follows(r.consent, p); err != nil {
		return err
	}
	r.proposal.Join(p)
	r.proposal.Apart()
	return nil
}
