package cli

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"

	"github.com/adrg/xdg"
	"github.com/gofrs/flock"
	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/disk"
)

// journalDir is the folder of the journal.
func journalDir() string { return filepath.Join(xdg.StateHome, "vestibula", "journal") }

// journal opens the journal and takes the lock of a place, so that no two runs
// work there at one time.
func (a *app) journal(place string) (j *disk.Journal, unlock func(), err error) {
	dir := filepath.Join(xdg.StateHome, "vestibula")
	if j, err = disk.MakeJournal(journalDir()); err == nil {
		err = os.MkdirAll(filepath.Join(dir, "locks"), 0o700)
	}
	if err != nil {
		return nil, nil, refused("nothing was changed; --no-journal builds all the same, but then it cannot be undone", "nothing can be written down in %s: %s", dir, disk.Reason(err))
	}
	at, err := filepath.Abs(place)
	if err != nil {
		return nil, nil, err
	}
	lock := lockOf(at)
	free, err := lock.TryLock()
	if err != nil {
		return nil, nil, refused("nothing was changed", "the place %s cannot be locked: %s", place, disk.Reason(err))
	}
	if !free {
		return nil, nil, refused("wait until it has ended, and try again", "another run is at work in %s", place)
	}
	return j, func() { _, _ = lock.Unlock(), j.Close() }, nil
}

// lockOf is the lock of a place, by its absolute path.
func lockOf(at string) *flock.Flock {
	sum := sha256.Sum256([]byte(at))
	return flock.New(filepath.Join(xdg.StateHome, "vestibula", "locks", hex.EncodeToString(sum[:8])))
}

// cutShort returns the runs that never came to their end, without those that are
// still at work.
func (a *app) cutShort() []*disk.Record {
	j, err := disk.OpenJournal(journalDir())
	if err != nil {
		return nil // told when something is to be written down
	}
	defer j.Close()
	open, _ := j.CutShort("")
	return slices.DeleteFunc(open, func(r *disk.Record) bool {
		lock := lockOf(r.Place)
		free, err := lock.TryLock()
		if free {
			_ = lock.Unlock()
		}
		return err == nil && !free
	})
}

// offer says how a run that was cut short is finished or taken back. Here is
// where the reader is at work.
func offer(r *disk.Record, here string) string {
	where := ""
	if r.Place != here {
		where = " in " + r.Place
	}
	help := fmt.Sprintf("The same build again finishes it; vestibula undo %d takes it back.", r.Number)
	if r.Undoes > 0 {
		help = fmt.Sprintf("vestibula undo %d finishes it.", r.Undoes)
	}
	return fmt.Sprintf("the %s of %s on %s%s was cut short. %s", r.What, r.Title, r.When.Local().Format("2006-01-02 15:04"), where, help)
}

// records reads the journal for showing it; where there is none, it is empty.
func (a *app) records() ([]*disk.Record, error) {
	j, err := disk.OpenJournal(journalDir())
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, unclear("", "the journal cannot be read: %s", disk.Reason(err))
	}
	defer j.Close()
	list, err := j.Records()
	if err != nil {
		return nil, unclear("", "the journal cannot be read: %s", disk.Reason(err))
	}
	return list, nil
}

// findRecord returns the record with a number.
func findRecord(records []*disk.Record, text string) (*disk.Record, error) {
	n, err := strconv.Atoi(text)
	for _, r := range records {
		if err == nil && r.Number == n {
			return r, nil
		}
	}
	return nil, unclear("vestibula history lists what was done", "nothing was done under the number %q", text)
}

// state says in a word how a record stands.
func state(r *disk.Record) string {
	switch {
	case r.UndoneBy > 0:
		return "undone by " + strconv.Itoa(r.UndoneBy)
	case r.End == disk.CutShort:
		return "cut short"
	}
	return r.End
}

func amount(r *disk.Record) string {
	folders, files := 0, 0
	for _, act := range r.Actions {
		switch act.Op {
		case "folder":
			folders++
		case "file":
			files++
		}
	}
	switch {
	case files == 0:
		return term.Count(folders, "folder")
	case folders == 0:
		return term.Count(files, "file")
	}
	return term.Count(folders, "folder") + ", " + term.Count(files, "file")
}

func (a *app) historyCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:   "history [NUMBER]",
		Short: "List what was built and undone.",
		Long: `List what was built and undone: when, what, where, how much, and whether it has
been undone. With a number, list its steps.`,
		Example: `  vestibula history
  vestibula history 3`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			records, err := a.records()
			if err != nil {
				return err
			}
			if len(args) == 1 {
				r, err := findRecord(records, args[0])
				if err != nil {
					return err
				}
				return a.showRecord(r, asJSON)
			}
			if asJSON {
				return a.printJSON(recordsJSON(records))
			}
			if len(records) == 0 {
				a.screen.Text("Nothing was built yet.")
				return nil
			}
			var rows [][]string
			for _, r := range records {
				what := r.What
				if r.Undoes > 0 {
					what += " of " + strconv.Itoa(r.Undoes)
				}
				rows = append(rows, []string{strconv.Itoa(r.Number), r.When.Local().Format("2006-01-02 15:04"), what, term.Visible(r.Title), amount(r), state(r), term.Dim.Render(term.Visible(r.Place))})
			}
			a.screen.Table([]string{"no.", "when", "what", "template", "how much", "state", "where"}, rows)
			for _, r := range a.cutShort() {
				a.side.Text(term.Warn.Render("note:") + " " + term.Visible(offer(r, "")))
			}
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

func (a *app) showRecord(r *disk.Record, asJSON bool) error {
	if asJSON {
		return a.printJSON(recordsJSON([]*disk.Record{r})[0])
	}
	a.screen.Line(term.Title.Render(fmt.Sprintf("%d: %s of %s", r.Number, r.What, term.Visible(r.Title))), term.Dim.Render(" in "+term.Visible(r.Place)))
	a.screen.Text(r.When.Local().Format("2006-01-02 15:04") + ", " + amount(r) + ", " + state(r))
	a.screen.Line()
	for _, act := range r.Actions {
		m := term.Mark{Sign: "+", Style: term.Good}
		if act.Gone {
			m = term.Mark{Sign: "-", Style: term.Bad}
		}
		path := term.Visible(act.Path)
		if act.Op == "folder" {
			path += term.Dim.Render("/")
		}
		a.screen.Line(m.Style.Render(m.Sign), " ", path)
	}
	return nil
}

func recordsJSON(records []*disk.Record) []any {
	type action struct {
		Op   string `json:"op"`
		Path string `json:"path"`
		Gone bool   `json:"gone,omitempty"`
	}
	list := []any{}
	for _, r := range records {
		actions := []action{}
		for _, act := range r.Actions {
			actions = append(actions, action{act.Op, act.Path, act.Gone})
		}
		list = append(list, struct {
			disk.Head
			State   string   `json:"state"`
			Actions []action `json:"actions"`
		}{r.Head, state(r), actions})
	}
	return list
}

func (a *app) undoCommand() *cobra.Command {
	var yes bool
	c := &cobra.Command{
		Use:   "undo [NUMBER]",
		Short: "Take back what was built.",
		Long: `Take back what was built: the last build, or the one with that number in the
history. Only what is still as it was made goes; what somebody has changed, or
put something into, stays and is told. An undo can itself be undone by its
number.`,
		Example: `  vestibula undo
  vestibula undo 3 --yes`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error { return a.undo(args, yes) },
	}
	c.Flags().BoolVarP(&yes, "yes", "y", false, "undo without asking")
	return c
}

func (a *app) undo(args []string, yes bool) error {
	records, err := a.records()
	if err != nil {
		return err
	}
	var r *disk.Record
	if len(args) == 1 {
		if r, err = findRecord(records, args[0]); err != nil {
			return err
		}
	} else {
		for _, candidate := range records {
			if candidate.What == "build" && !candidate.Undone() {
				r = candidate
			}
		}
		if r == nil {
			return refused("vestibula history lists what was done; an undo is undone by its number", "there is nothing to undo")
		}
	}
	if r.Undone() {
		return refused("", "%d has been taken back already", r.Number)
	}
	place, err := disk.Open(r.Place)
	if err != nil {
		return refused("nothing was changed", "%v", err)
	}
	defer place.Close()
	j, unlock, err := a.journal(r.Place)
	if err != nil {
		return err
	}
	defer unlock()
	u, err := j.PlanUndo(place, r)
	if err != nil {
		return refused("nothing was changed", "%v", err)
	}
	a.drawUndo(u)
	if !yes {
		if !a.interactive() {
			return refused("add --yes to undo it", "Nothing was changed yet.")
		}
		sure, err := a.confirm(fmt.Sprintf("Undo the %s of %s?", r.What, r.Title))
		if err != nil {
			return err
		}
		if !sure {
			return refused("", "Nothing was changed.")
		}
	}
	record, err := j.Undo(place, u, disk.Head{When: a.now, Place: r.Place, Title: r.Title})
	var unwritten *disk.JournalError
	switch {
	case errors.As(err, &unwritten) && unwritten.Done:
		return refused(fmt.Sprintf("vestibula undo %d finishes it", r.Number), "All of it is taken back, but that cannot be written down: %s", disk.Reason(unwritten.Err))
	case errors.As(err, &unwritten):
		return refused("nothing was changed", "what is undone cannot be written down: %s", disk.Reason(unwritten.Err))
	case err != nil:
		return refused(fmt.Sprintf("the rest is as it was; vestibula undo %d goes on with it", r.Number), "The undo stopped at %v", err)
	}
	a.screen.Text(term.Good.Render("Undone") + fmt.Sprintf(": %s. To have it back: vestibula undo %d", amount(record), record.Number))
	return nil
}

// drawUndo shows what an undo will do, and what stays.
func (a *app) drawUndo(u *disk.Undo) {
	a.screen.Line(term.Title.Render(fmt.Sprintf("Undo %d", u.Record.Number)), term.Dim.Render(" in "+term.Visible(u.Record.Place)))
	a.screen.Line()
	a.drawActions(u.Actions)
	for _, s := range u.Stays {
		a.screen.Line(term.Warn.Render("~"), " ", term.Visible(s.Path), "   ", term.Dim.Italic(true).Render("stays: "+term.Visible(s.Why)))
	}
	a.screen.Line()
}

// drawActions lists what an undo will do; of a folder that goes or comes as a
// whole, only the folder.
func (a *app) drawActions(actions []disk.Action) {
	whole := map[string]bool{}
	for _, act := range actions {
		if act.Op == "folder" {
			whole[act.Path] = true
		}
	}
	inside := map[string]int{}
	var tops []disk.Action
	for _, act := range actions {
		top := act.Path
		for above := path.Dir(top); whole[above]; above = path.Dir(above) {
			top = above
		}
		switch {
		case act.Op == "part", act.Op == "note" && act.Was != "":
		case top == act.Path:
			tops = append(tops, act)
		default:
			inside[top]++
		}
	}
	for i, act := range tops {
		if i == manyRows {
			a.screen.Line(term.Dim.Render(fmt.Sprintf("  … and %s more", term.Number(len(tops)-i))))
			return
		}
		m, note := term.Mark{Sign: "-", Style: term.Bad}, ""
		switch {
		case !act.Gone:
			m = term.Mark{Sign: "+", Style: term.Good}
		case act.Was != "":
			m, note = term.Mark{Sign: "←", Style: term.Warn}, "   becomes what it was before"
		}
		name := term.Visible(act.Path)
		if act.Op == "folder" {
			name += term.Dim.Render("/")
		}
		if n := inside[act.Path]; n > 0 {
			note = "   with the " + term.Count(n, "thing") + " in it"
		}
		a.screen.Line(m.Style.Render(m.Sign), " ", name, term.Dim.Italic(true).Render(note))
	}
}
