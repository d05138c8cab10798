package cli

import (
	"errors"
	"os"
	"slices"

	"vestibula/core/address"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
	"vestibula/core/upgrade"
)

// withoutClosed leaves out what was moved on, of projects that are there.
func (b *buildRun) withoutClosed() {
	if b.archive.name != "" || b.noLabel {
		return
	}
	changed := false
	entries, err := b.place.List(".")
	there := map[string]bool{}
	for _, e := range entries {
		there[e.Name] = true
	}
	for _, r := range b.batch.Builds {
		top := r.Root
		if err != nil || len(top.Children) == 0 || !slices.ContainsFunc(top.Children, func(n *tree.Node) bool { return there[n.Name] }) {
			continue
		}
		folder := r.Folder()
		if l, _, err := project.LabelIn(b.place, folder); err == nil && l != nil && len(l.Closed) > 0 {
			r.Root = build.Without(r.Root, folder, l.Closed)
			changed = true
		}
	}
	if changed && b.table.file == "" && len(b.batch.Builds) == 1 {
		b.tree.Root = b.batch.Builds[0].Root
	} else if changed {
		b.batch.Meet()
		b.tree.Root = b.batch.Root()
	}
}

// compare makes the plan, and the set of changes that carries it out.
func (b *buildRun) compare() error {
	b.withoutClosed()
	if err := b.makePlan(); err != nil {
		return err
	}
	if b.table.file != "" {
		if err := b.judgeRows(); err != nil {
			return err
		}
	}
	b.noticeCutShort()
	if b.plan.Count[build.Blocked] > 0 {
		return nil
	}
	var labels []*batch.Label
	if !b.noLabel {
		var err error
		var told *stop
		if labels, err = b.labels(); errors.As(err, &told) {
			return err
		} else if err != nil {
			return refused("move it away\n"+b.sameCall("to build without a label", "--no-label").String(), "%v", err)
		}
	}
	if err := b.twice(labels); err != nil {
		return err
	}
	return b.makeSet(labels)
}

// makePlan compares the tree with what is there.
func (b *buildRun) makePlan() error {
	var at tree.Place = b.place
	switch {
	case b.archive.name != "":
		at = build.Nowhere{}
	case len(b.vacated) > 0:
		at = build.Vacated{Place: b.place, Gone: b.vacated}
	}
	var err error
	if b.plan, err = build.Compare(b.tree.Root, at); err != nil {
		return refused("nothing was changed", "%s", place.Reason(err))
	}
	return nil
}

// makeSet puts together all that the build changes: what is new, the labels, the
// table's marks.
func (b *buildRun) makeSet(labels []*batch.Label) (err error) {
	b.set.Places = []string{b.place.Real}
	if b.archive.name != "" {
		if len(b.batch.Builds) > 0 {
			if err := b.compareArchive(labels); err != nil {
				return err
			}
			b.set.Changes = b.archive.plan.Changes(0)
		}
	} else if b.set.Changes, err = batch.WithLabels(b.plan.Changes(0), labels); err != nil {
		return refused("move it away\n"+b.sameCall("to build without a label", "--no-label").String(), "%v", err)
	}
	for _, r := range b.continues { // all that such a run has left over is tidied up
		for _, p := range r.PlacePaths() {
			if info, err := os.Stat(p); err == nil && info.IsDir() {
				b.set.Place(p)
			}
		}
	}
	b.roots = b.nameRoots(labels)
	if b.table.report != "" {
		if err := b.addReport(); err != nil {
			return err
		}
	}
	if err := b.addUpgrades(); err != nil {
		return err
	}
	if !b.table.mark && !b.table.changed && !b.table.again {
		return nil
	}
	marked, n, err := b.markRows(labels)
	if err != nil || marked == nil {
		return err
	}
	b.marks, b.marked = true, n
	b.set.Join(marked)
	return nil
}

// addUpgrades adds what brings projects up to date whose rows have other values by now.
func (b *buildRun) addUpgrades() (err error) {
	up := b.table.up
	if up == nil {
		return nil
	}
	p, tops, _ := upgrade.Propose(up.all())
	p.Nest(b.place.Real)
	b.updates = &task{Proposal: p, follows: &following{roots: up.roots, tops: tops, trees: up.trees, settled: true}}
	if err := b.follow(b.consent, b.updates); err != nil {
		return err
	}
	all := &proposal.Proposal{Set: &b.set, Roots: b.roots}
	all.Join(p)
	b.roots, b.upgrades = all.Roots, len(p.Set.Changes)
	return nil
}

// nameRoots returns what the record of the build is about: its projects, as long
// as they are few.
func (b *buildRun) nameRoots(labels []*batch.Label) (roots []journal.Root) {
	if b.archive.name != "" {
		return []journal.Root{{Path: address.Text(b.archive.name)}}
	}
	if len(labels) == 0 || len(labels) > manyRoots {
		if top := b.tree.Root.Children; len(top) == 1 {
			return []journal.Root{{Path: address.Text(top[0].Name)}}
		}
		return []journal.Root{{Path: "."}}
	}
	for _, l := range labels {
		roots = append(roots, journal.Root{Path: address.Text(l.Folder), ID: l.Identity()})
	}
	return roots
}

// noticeCutShort tells of runs that never came to their end, and finds those that
// this build finishes: of which it makes all.
func (b *buildRun) noticeCutShort() {
	records, err := b.records()
	if err != nil || b.noJournal {
		return // told when something is to be written down
	}
	b.tellCutShort(records, b.place.Real)
	for _, r := range records {
		if r.End == journal.CutShort && !r.Busy && r.Undoes == 0 && len(r.Places) > 0 && string(r.Places[0]) == b.place.Real && b.makesAllOf(r) {
			b.continues = append(b.continues, r)
		}
	}
}

// makesAllOf reports whether all that a record makes belongs to the plan, or is there
// already: the rows of a table that were marked before the run was cut short are in no
// plan any more.
func (b *buildRun) makesAllOf(r *journal.Record) bool {
	changes, err := b.changesOf(r)
	if err != nil {
		return false
	}
	known := map[string]bool{b.archive.name: true}
	for path := range b.tree.Root.All() {
		known[path] = true
	}
	return !slices.ContainsFunc(changes, func(c change.Change) bool {
		return c.Op != change.Replace && !(c.Op == change.Make && (known[c.Path] || label.Own(c.Path) || b.isThere(&c)))
	})
}

// isThere reports whether what a change makes in the place of the build is there.
func (b *buildRun) isThere(c *change.Change) bool {
	e, err := b.place.Look(c.Path)
	return err == nil && c.In == 0 && e.Kind == c.Kind()
}
