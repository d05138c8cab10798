package cli

import (
	"errors"
	"fmt"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/undo"
)

func (a *app) undoCommand() *cobra.Command {
	var ask consent
	c := &cobra.Command{
		Use:   "undo [NUMBER [PROJECT] | FOLDER]",
		Short: "Take back what was built or changed.",
		Long: `Take back what was built or changed: the newest change of something at or below the
current folder, or FOLDER; or the one with that number in the history. Only what is still as
it was made goes; what somebody has changed, or put something into, stays and is told.
What goes is kept, so that an undo can itself be undone by its number. Behind the number a
project can be named: one of those that the run has changed, so that it is taken back of that
one alone; or one that was moved to another disk, as what looks like it may be a copy.`,
		Example: `  vestibula undo
  vestibula undo 3 --yes`,
		Args: atMost(2),
		RunE: func(_ *cobra.Command, args []string) error { return a.undo(args, ask) },
	}
	ask.addAnswers(c, "undo")
	c.ValidArgsFunction = a.completeRecord
	return c
}

// toUndo returns the record that is to be taken back.
func (a *app) toUndo(records []*journal.Record, args []string, here string, ask consent) (*journal.Record, error) {
	if len(args) > 0 {
		r, err := findRecord(records, args[0])
		for _, later := range records { // which took on what it left over
			if err == nil && slices.Contains(later.Continues, r.Number) {
				r = later
			}
		}
		return r, err
	}
	var newest *journal.Record
	for _, r := range slices.Backward(records) {
		if r.Undoes > 0 || r.Undone() || r.Busy || r.End == journal.Forgotten {
			continue
		}
		if undo.Reaches(r, address.Address(here)) {
			return r, nil
		}
		if newest == nil {
			newest = r
		}
	}
	switch {
	case newest == nil:
		return nil, refused(advise("an undo is undone by its number; what was done", "history").String(), "there is nothing to undo")
	case a.interactive() && !ask.yes && !ask.preview:
		return newest, nil // the question names its place
	}
	return nil, refused(advise(fmt.Sprintf("the newest change is the %s of %s in %s; to take that back", newest.What, newest.Name(), address.List(newest.Places)), "undo", fmt.Sprint(newest.Number)).String(),
		"nothing was done at or below this folder that could be undone")
}

func (a *app) undo(args []string, ask consent) error {
	records, err := a.records()
	if err != nil {
		return err
	}
	here, err := place.Real(".")
	if err != nil {
		return unclear("", "the current folder cannot be read: %s", place.Reason(err))
	}
	if at, is := a.folderOf(args); is {
		here, args = at, nil
	}
	if len(args) == 0 {
		if records, err = a.withoutOver(records); err != nil {
			return err
		}
	}
	r, err := a.toUndo(records, args, string(here), ask)
	switch {
	case err != nil:
		return err
	case r.Undone():
		return refused("", "%d has been taken back already", r.Number)
	case r.Busy:
		return refused("wait until it has ended, and try again", "%d is still at work", r.Number)
	case r.End == journal.Forgotten:
		return refused("", "%d was forgotten, and cannot be undone any more", r.Number)
	}
	where, err := a.whereToUndo(r, here, args)
	if err != nil {
		return err
	}
	var u *undo.Undo
	err = a.journal(func(j *journal.Journal) error {
		u, err = undo.Plan(j, records, r, where, unmarking)
		return a.toldUndo(r, err)
	})
	if err != nil {
		return err
	}
	if len(u.List)+len(u.Continues) == 0 && r.End != journal.CutShort {
		a.drawPlan(&task{Proposal: u.Proposal()})
		a.screen.Text(term.Good.Render("Nothing to do:") + " all that it made has changed since.")
		return nil
	}
	t := &task{Proposal: u.Proposal(), question: fmt.Sprintf("Undo the %s of %s in %s?", r.What, r.Name(), address.List(u.Places)), how: "undo it",
		of:          func() any { return undone{r.Number, u.Places} },
		undertaking: undertaking{doing: "undoing", head: journal.Head{What: "undo", Title: r.Title, Project: r.Project, Part: address.Text(where.Part)}}}
	if where.Part != "" {
		t.question, t.head.Project = fmt.Sprintf("Undo the %s of %s, as far as %s goes?", r.What, r.Name(), where.Part.Name()), where.Part.Name()
	}
	t.told = func() term.Shown {
		text := fmt.Sprintf(": %s. %s", amount(a.record.Count), advise("To have it back", "undo", fmt.Sprint(a.number)))
		if a.record.Kept > 0 {
			text += fmt.Sprintf("\nWhat went is kept in %s, %s. %s", u.Places[0].Join(a.record.Work), term.Size(a.record.Kept), advise("To free it", "history", "--forget", fmt.Sprint(a.number)))
		}
		return term.Good.Render("Undone") + term.Lines(text)
	}
	return a.propose(ask, t)
}

// folderOf is the folder that is named instead of a number.
func (a *app) folderOf(args []string) (at address.Address, is bool) {
	if len(args) != 1 {
		return "", false
	}
	if _, err := strconv.Atoi(args[0]); err == nil {
		return "", false
	}
	info, err := place.Stat(args[0])
	if err != nil || !info.IsDir() {
		return "", false
	}
	at, err = place.Real(args[0])
	return at, err == nil
}

// whereToUndo is where a run is undone: a folder that is named is one of those that it has changed,
// or is where one of them has moved to.
func (a *app) whereToUndo(r *journal.Record, here address.Address, args []string) (where undo.Where, err error) {
	where.Here = here
	if len(args) < 2 {
		return where, nil
	}
	named, err := place.Real(args[1])
	if err != nil {
		return where, unreadable(args[1], err)
	}
	err = a.journal(func(j *journal.Journal) error {
		if undo.Touches(j, r, named) {
			where.Part = named
		} else {
			where.Named = named
		}
		return nil
	})
	return where, err
}

// withoutOver leaves out the newest records that made nothing but files which are gone or hold something
// else by now, such as a page that was read: they stand in no one's way.
func (a *app) withoutOver(records []*journal.Record) ([]*journal.Record, error) {
	err := a.journal(func(j *journal.Journal) error {
		for i := len(records) - 1; i >= 0; i-- {
			r := records[i]
			if r.Undoes > 0 || r.Undone() || r.Busy || r.End == journal.Forgotten {
				continue
			}
			if r.End == journal.CutShort || !undo.AllOver(j, r) {
				return nil
			}
			records = slices.Delete(slices.Clone(records), i, i+1)
		}
		return nil
	})
	return records, err
}

// toldUndo says, for a person, why an undo cannot be planned.
func (a *app) toldUndo(r *journal.Record, err error) error {
	var newer *undo.NewerError
	var gone *undo.GoneError
	var away *undo.AwayError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &newer):
		return refused(advise("undo that first", "undo", fmt.Sprint(newer.Newer.Number)).String(), "%v", newer)
	case errors.As(err, &away):
		return refused("connect it, and try again", "%v; nothing was changed", away)
	case errors.As(err, &gone) && len(gone.Maybe) > 0:
		at := fromHere(gone.Maybe[0])
		return refused(advise("if that is the project itself", "undo", fmt.Sprint(r.Number), typed(at)).String(), "%v; %s says that it is that project, and may be a copy of it. Nothing was changed.", gone, at)
	case errors.As(err, &gone):
		return refused("if you have moved it, name the folder that it is now, behind the number", "%v; nothing was changed", gone)
	}
	return refused("nothing was changed", "%s", place.Reason(err))
}
