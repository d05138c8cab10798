package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/undo"
)

// A cut run is one that never came to its end, and is not at work now.
type cut struct {
	*journal.Record
	changes []change.Change
	places  []address.Address
	lost    bool // what is left of it cannot be done any more
}

// cutShort are the runs that were cut short. One that had done nothing yet is closed, and one of
// which only the end was missing.
func (a *app) cutShort() (list []*cut, err error) {
	err = a.journal(func(j *journal.Journal) error {
		if !j.AnyOpen() {
			return nil
		}
		records, err := j.Records()
		if err != nil {
			return err
		}
		for _, r := range records {
			if r.End != journal.CutShort || r.Busy {
				continue
			}
			c := &cut{Record: r}
			if r.Undoes == 0 {
				f, err := undo.Finishing(j, r)
				if err == nil && a.closes(j, r, f) {
					continue
				}
				c.lost = err == nil && f.Lost
			}
			if c.changes, c.places, err = j.Changes(r); err == nil {
				list = append(list, c)
			}
		}
		return nil
	})
	return list, err
}

// closes closes a record of which nothing or all was done.
func (a *app) closes(j *journal.Journal, r *journal.Record, f *undo.Finish) bool {
	pending := slices.ContainsFunc(f.Meanwhile, func(names map[string]string) bool { return len(names) > 0 })
	switch {
	case !f.Begun:
		if a.writer().Abandon(j, r) != nil {
			return false
		}
		a.note(term.Sprintf("the %s of %s on %s was stopped before it had done anything: nothing is left of it.", r.What, r.Name(), when(r.When)))
	case len(f.List) == 0 && !pending:
		if _, err := a.writer().Apply(disk.TakeBack(&f.Back), r.Head); err != nil {
			return false
		}
	default:
		return false
	}
	return true
}

// ways are what can be done about a run that was cut short.
func (c *cut) ways() string {
	switch {
	case c.Undoes > 0:
		return advise("to finish it", "undo", fmt.Sprint(c.Undoes)).String()
	case c.lost:
		return undoing(c.Number).String()
	}
	return advise("to finish it", "history", "--finish", fmt.Sprint(c.Number)).String() + "\n" + undoing(c.Number).String()
}

// String says what was cut short.
func (c *cut) String() string {
	return fmt.Sprintf("the %s of %s on %s was cut short", c.What, c.Name(), when(c.When))
}

// tellCutShort tells of runs that were cut short, as far as they concern any of these paths or
// what lies there; of all, where none is given.
func (a *app) tellCutShort(list []*cut, at ...address.Address) {
	for _, c := range list {
		if len(at) == 0 || c.concerns(at, true) {
			where := ""
			if len(at) != 1 || !c.Under(at[0]) {
				where = " in " + address.List(c.Places)
			}
			a.note(term.Sprintf("%s%s.", c.String(), where))
			for line := range strings.Lines(c.ways()) {
				a.side.Text("  " + term.Accent.Render(term.Visible(strings.TrimSpace(line))))
			}
		}
	}
}

func (c *cut) concerns(paths []address.Address, deep bool) bool {
	return slices.ContainsFunc(paths, func(p address.Address) bool { return undo.Concerns(c.changes, c.places, p, deep) })
}

// words are those of a call without what says only how it is answered.
func wordsOf(call []string) []address.Text {
	var words []address.Text
	for _, w := range call {
		switch name, _, _ := strings.Cut(w, "="); name {
		case "--preview", "--json", "--no-color", "--yes", "-y":
		default:
			words = append(words, address.OfText(w)) // as the record reads it
		}
	}
	return words
}

// currentFolder is the folder of the call.
func currentFolder() address.Address {
	real, _ := place.Real(".") // where it cannot be read, no call is the same
	return real
}

// changers are the commands that change what lies at the paths that they name.
var changers = map[string]string{"build": "", "add": "", "upgrade": "", "next": "", "archive": "", "backup": "", "tick": "", "put": "", "rename": "", "do": "", "check": "fix", "name": "create"}

// lookers are those that say how it is there.
var lookers = []string{"check", "projects", "compare", "read"}

// looksBack makes a command look first for what was cut short: the same call finishes it, and another
// one on the same things is refused.
func (a *app) looksBack(c *cobra.Command) *cobra.Command {
	run := c.RunE
	if run == nil || c.Name() == "undo" || c.Name() == "history" {
		return c
	}
	flag, changes := changers[c.Name()]
	c.RunE = func(c *cobra.Command, args []string) error {
		if f := c.Flags().Lookup(flag); f != nil {
			changes = f.Changed
		}
		list, err := a.cutShort()
		if err != nil {
			return run(c, args) // it is told when the journal is needed
		}
		named := a.pathsIn(c, args)
		a.cut = list
		for _, cut := range list {
			switch {
			case cut.Undoes == 0 && cut.Here == address.Text(currentFolder()) && slices.Equal(cut.Call, wordsOf(a.call)):
				ask := consent{named: cut.Named}
				ask.yes, _ = c.Flags().GetBool("yes")
				ask.preview, _ = c.Flags().GetBool("preview")
				ask.asJSON, _ = c.Flags().GetBool("json")
				return a.finish(cut.Record, ask)
			case changes && cut.concerns(named, false):
				return refused(cut.ways(), "Nothing was changed: %s, and changed the same things.", cut)
			}
		}
		err = run(c, args)
		if (changes || slices.Contains(lookers, c.Name())) && len(list) > 0 {
			a.tellCutShort(list, named...)
		}
		return err
	}
	return c
}

// pathsIn are the paths that a call names, of things that are or were there.
func (a *app) pathsIn(c *cobra.Command, args []string) (paths []address.Address) {
	add := func(word string) {
		if word == "" || strings.Contains(word, "=") && !place.Exists(word) {
			return
		}
		full, err := filepath.Abs(word)
		if err != nil {
			return
		}
		// What has moved away is known by where it lay.
		dir, rest := full, ""
		for !place.Exists(dir) && filepath.Dir(dir) != dir {
			dir, rest = filepath.Dir(dir), filepath.Join(filepath.Base(dir), rest)
		}
		if real, err := place.Real(dir); err == nil {
			paths = append(paths, real.Join(filepath.ToSlash(rest)))
		}
	}
	for _, arg := range args {
		add(arg)
	}
	c.Flags().Visit(func(f *pflag.Flag) {
		if f.Value.Type() == "string" {
			add(f.Value.String())
		}
	})
	if len(paths) == 0 {
		add(".")
	}
	return paths
}

// finishNumber does what was left of the run with a number.
func (a *app) finishNumber(records []*journal.Record, number string, ask consent) error {
	r, err := findRecord(records, number)
	switch {
	case err != nil:
		return err
	case r.Busy:
		return refused("wait until it has ended", "%d is still at work", r.Number)
	case r.End != journal.CutShort:
		return refused("", "%d was not cut short: there is nothing to finish", r.Number)
	case r.Undoes > 0:
		return refused(advise("to go on with it", "undo", fmt.Sprint(r.Undoes)).String(), "%d is an undo", r.Number)
	}
	return a.finish(r, ask)
}

// finish does what was left of a run that was cut short.
func (a *app) finish(r *journal.Record, ask consent) error {
	var f *undo.Finish
	err := a.journal(func(j *journal.Journal) (err error) {
		f, err = undo.Finishing(j, r)
		if err != nil {
			return refused("connect what it lies on, and try again\n"+undoing(r.Number).String(), "%d cannot be finished now: %s", r.Number, place.Reason(err))
		}
		return nil
	})
	switch {
	case err != nil:
		return err
	case f.Lost:
		return refused(undoing(r.Number).String(), "%d was cut short, and cannot be finished: what its files were to hold is not known any more", r.Number)
	case len(f.Bad) > 0:
		var lines []string
		for _, l := range f.Bad {
			lines = append(lines, l.Path+": "+l.Why)
		}
		return refused(undoing(r.Number).String(), "%d was cut short, and cannot be finished, since something has changed: %s", r.Number, severalLines(strings.Join(few(lines), "\n")))
	}
	t := &task{Proposal: f.Proposal(), question: fmt.Sprintf("Finish the %s of %s?", r.What, r.Name()), how: "finish it",
		undertaking: undertaking{doing: "finishing"}}
	t.told = func() term.Shown {
		return term.Good.Render("Finished") + term.Sprintf(": the %s of %s on %s. %s", r.What, r.Name(), when(r.When), a.undoes())
	}
	return a.propose(ask, t)
}

// unended refuses a plan that has to do with what a run has changed that was cut short.
func (a *app) unended(t *task) error {
	if t.Back != nil { // that looks by itself
		return nil
	}
	if len(a.cut) == 0 {
		return nil
	}
	var paths []address.Address
	undo.EachPath(t.plan.List, t.plan.Places, func(p address.Address) bool {
		paths = append(paths, p)
		return false
	})
	for _, c := range a.cut {
		if c.concerns(paths, true) {
			return refused(c.ways(), "Nothing was changed: %s, and changed the same things.", c)
		}
	}
	return nil
}
