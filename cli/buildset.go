package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/proposal"
	"vestibula/core/tree"
	"vestibula/core/upgrade"
)

// shownTwice is how many doubles of a project are told.
const shownTwice = 8

// compare holds what is wanted against what is there, and plans what makes the rest.
func (b *buildRun) compare() error {
	if err := planned(b.job.Look()); err != nil {
		return err
	}
	if b.table.file != "" {
		if err := b.judgeRows(); err != nil {
			return err
		}
	}
	var err error
	if b.proposal, err = b.propose(); err != nil {
		return err
	}
	if b.job.Plan.Count[build.Blocked] > 0 {
		return nil
	}
	if b.table.report != "" {
		if err := b.addReport(); err != nil {
			return err
		}
	}
	if err := b.addUpgrades(); err != nil {
		return err
	}
	return b.mark()
}

// propose asks the planner, and tells what it notes.
func (b *buildRun) propose() (*proposal.Proposal, error) {
	p, err := b.job.Propose()
	b.tellNotes(p)
	var unread *batch.LabelError
	var twice *batch.TwiceError
	switch {
	case errors.As(err, &unread):
		return nil, refused("move it away\n"+b.sameCall("to build without a label", "--no-label").String(), "%v", err)
	case errors.As(err, &twice):
		return nil, refused(b.sameCall("to build what is new all the same, and leave the old names", "--add").String(), "Nothing was built:\n%s", severalLines(strings.Join(doubles(twice), "\n")))
	}
	return p, planned(err)
}

// tellNotes tells what a planner notes, before anything is drawn.
func (a *app) tellNotes(p *proposal.Proposal) {
	for _, n := range p.Notes {
		a.note(term.Visible(n.Text))
	}
	p.Notes = nil
}

// doubles says what a build would make a second time.
func doubles(e *batch.TwiceError) (told []string) {
	for i, d := range e.Doubles {
		if i == shownTwice {
			told = append(told, fmt.Sprintf("and %s more", term.Number(len(e.Doubles)-i)))
			break
		}
		shown := typed(fromHere(d.Dir))
		if d.To == "" {
			told = append(told, fmt.Sprintf("“%s” is that project already, under another name; %s", d.From, advise("to bring it to the template of today", "upgrade", shown)))
			continue
		}
		told = append(told, fmt.Sprintf("“%s” is there and would be “%s”; %s", d.From, d.To, advise("to rename it", "upgrade", shown)))
	}
	return told
}

// sharedOnce takes from a set the folders on the way that the build makes as well.
func (b *buildRun) sharedOnce(set *change.Set) {
	made := map[address.Address]bool{}
	for i := range b.proposal.Set.Changes {
		if c := &b.proposal.Set.Changes[i]; c.Op == change.Make {
			c.Each(func(at string, n *tree.Node) bool {
				made[b.proposal.Set.Places[c.In].Join(at)] = n.Kind == tree.Folder
				return true
			})
		}
	}
	set.Changes = slices.DeleteFunc(set.Changes, func(c change.Change) bool {
		return c.Op == change.Make && c.Kind() == tree.Folder && len(c.Node.Children) == 0 && made[set.Places[c.In].Join(c.Path)]
	})
}

// addUpgrades adds what brings projects up to date whose rows have other values by now.
func (b *buildRun) addUpgrades() error {
	up := b.table.up
	if up == nil {
		return nil
	}
	p, tops, _, err := upgrade.Propose(up.all())
	if err != nil {
		return err
	}
	p.Nest(b.job.Place.Real)
	b.sharedOnce(p.Set)
	b.updates = &task{Proposal: p, follows: &following{roots: up.roots, tops: tops, trees: up.trees, settled: true}}
	if err := b.follow(b.consent, b.updates); err != nil {
		return err
	}
	b.proposal.Join(p)
	b.upgrades = len(p.Set.Changes)
	return nil
}
