package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/archive"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/next"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// makeBuilds plans the building of the new projects, and what goes along: those of one
// template in one place together, as they may meet in what they share.
func (r *nextRun) makeBuilds() error {
	r.proposal = &proposal.Proposal{Set: &change.Set{}}
	bases := map[*turn]string{}
	for _, t := range r.turns {
		x, err := t.project.Template.Tree(t.project.Values, template.DefaultLimit)
		if err != nil {
			return refused("", "%v", err)
		}
		bases[t] = t.project.Base(x.Root)
	}
	done := map[*turn]bool{}
	for _, first := range r.turns {
		if done[first] {
			continue
		}
		var together []*turn
		for _, t := range r.turns {
			if !done[t] && bases[t] == bases[first] && t.build.Template == first.build.Template {
				together = append(together, t)
				done[t] = true
			}
		}
		if err := r.makeBuild(bases[first], together); err != nil {
			return err
		}
	}
	r.proposal.Apart()
	return nil
}

// makeBuild plans the building of some of them, into one folder.
func (r *nextRun) makeBuild(base string, turns []*turn) error {
	t := turns[0].build.Template
	b := &buildRun{app: r.app, consent: r.consent, what: "new period", into: base, t: t}
	b.flags.limit = template.DefaultLimit
	r.builds = append(r.builds, b)
	if err := b.openPlace(); err != nil {
		return err
	}
	var builds []*batch.Build
	taken := map[string]bool{}
	for _, turn := range turns {
		rel, err := filepath.Rel(b.place.Real, turn.project.Dir)
		if err != nil {
			return err
		}
		turn.old = filepath.ToSlash(rel)
		taken[turn.old] = true
	}
	for _, turn := range turns {
		if taken[turn.plan.Own] {
			return refused("its name has to show what goes on", "the next one would be the same folder: %s", turn.plan.Own)
		}
		taken[turn.plan.Own] = true
		builds = append(builds, turn.build)
		turn.plan.Root.Share()
	}
	b.batch = batch.Of(t, builds)
	b.tree = &template.Expansion{Root: b.batch.Root()}
	if err := b.compare(); err != nil {
		return err
	}
	if b.plan.Count[build.Blocked] > 0 {
		var lines []string
		for i := range b.plan.Steps {
			if s := &b.plan.Steps[i]; s.State == build.Blocked {
				lines = append(lines, fmt.Sprintf("%s: %s", b.plan.Path(i), s.Why))
			}
		}
		return refused("", "Nothing was changed: %s", severalLines(strings.Join(few(lines), "\n")))
	}
	b.batch.CountSteps(b.plan)
	if err := r.addCarried(b, turns); err != nil {
		return err
	}
	r.proposal.Join(&proposal.Proposal{Set: &b.set, Roots: b.roots})
	return nil
}

// addCarried adds to the set of a build what goes along.
func (r *nextRun) addCarried(b *buildRun, turns []*turn) error {
	way := b.set.Way(func(at change.At) bool { _, err := b.place.Look(at.Path); return err == nil })
	for i := range b.plan.Steps {
		if b.plan.Steps[i].Node.Kind == tree.Folder {
			way.Knows(change.At{Path: b.plan.Path(i)})
		}
	}
	for _, turn := range turns {
		if err := r.bring(&b.set, way, change.At{Path: turn.old}, change.At{Path: turn.plan.Own}, turn); err != nil {
			return err
		}
	}
	return nil
}

// bring adds what brings the steps of a turn from one folder to another.
func (r *nextRun) bring(set *change.Set, way *change.Way, from, to change.At, t *turn) error {
	goes, begun, err := next.Bring(set, way, t.plan.Steps, from, to)
	t.goes, r.begun = append(t.goes, goes...), r.begun+begun
	return planned(err)
}

// addArchive adds to the set that the old project goes to its archive: the turn of a term
// is one step, with one undo.
func (r *nextRun) addArchive() error {
	r.away = &awayRun{app: r.app, into: r.archive, job: archive.Job{Now: r.now, Moved: map[string]bool{}}}
	var dirs []string
	for _, t := range r.turns {
		if !slices.Contains(dirs, t.project.Dir) {
			dirs = append(dirs, t.project.Dir)
		}
	}
	if err := r.away.open(dirs); err != nil {
		return err
	}
	for _, g := range r.away.job.Goes {
		moved := map[string]bool{}
		for _, t := range r.turns {
			for _, s := range t.goes {
				if s.Moves && t.project.Dir == g.From {
					moved[s.From] = true
					r.away.job.Moved[filepath.Join(g.From, filepath.FromSlash(s.From))] = true
				}
			}
		}
		g.Note.Files = slices.DeleteFunc(g.Note.Files, func(f string) bool { return moved[f] })
	}
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
