package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/table"
	"vestibula/core/undo"
)

// records reads the journal for showing it; where there is none, it is empty.
func (a *app) records() (list []*journal.Record, err error) {
	err = a.journal(func(j *journal.Journal) error {
		list, err = j.Records()
		return err
	})
	return list, err
}

// changesOf returns the changes of a record.
func (a *app) changesOf(r *journal.Record) (list []change.Change, err error) {
	err = a.journal(func(j *journal.Journal) error {
		list, _, err = j.Changes(r)
		return err
	})
	return list, err
}

// journal calls do with the journal, if there is one.
func (a *app) journal(do func(j *journal.Journal) error) error {
	j, err := journal.Open(a.stateDir())
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err == nil {
		defer j.Close()
		err = do(j)
	}
	var s *stop
	if err != nil && !errors.As(err, &s) {
		err = unclear("", "the journal cannot be read: %s", place.Reason(err))
	}
	return err
}

// findRecord returns the record with a number.
func findRecord(records []*journal.Record, text string) (*journal.Record, error) {
	n, err := strconv.Atoi(text)
	for _, r := range records {
		if err == nil && r.Number == n {
			return r, nil
		}
	}
	if err != nil {
		return nil, unclear(advise("what was done", "history").String(), "there is no folder \"%s\", and it is no number of what was done", text)
	}
	return nil, unclear(advise("what was done", "history").String(), "nothing was done under the number \"%s\"", text)
}

// state says in a word how a record stands.
func state(r *journal.Record) term.Shown {
	switch {
	case r.UndoneBy > 0:
		return term.Sprintf("undone by %d", r.UndoneBy)
	case r.Busy:
		return "at work"
	case r.End == journal.CutShort:
		return "cut short"
	}
	return term.Visible(r.End)
}

// commandOf is the command that makes records which are told of by a noun.
func commandOf(what string) string {
	return cmp.Or(map[string]string{"new period": "next", "plan": "do", "fix": "check --fix", "accept": "check --accept", "links": "read --links", "return": "archive --back", "recovery": "backup --back"}[what], what)
}

// amount says how much a record did.
func amount(n change.Counts) term.Shown {
	var parts []term.Shown
	for _, p := range []struct {
		n    int
		noun term.Shown
	}{{n.Folders, "folder"}, {n.Files, "file"}} {
		if p.n > 0 {
			parts = append(parts, term.Count(p.n, p.noun))
		}
	}
	for _, p := range []struct {
		n    int
		verb term.Shown
	}{{n.Replaced, "rewritten"}, {n.Moved, "moved"}, {n.Copied, "copied"}, {n.Removed, "removed"}} {
		if p.n > 0 {
			parts = append(parts, term.Number(p.n)+" "+p.verb)
		}
	}
	if len(parts) == 0 {
		return "the label"
	}
	return term.Join(parts, ", ")
}

func (a *app) historyCommand() *cobra.Command {
	asJSON, forget, finish, ask := false, "", "", consent{}
	c := &cobra.Command{
		Use:   "history [NUMBER | FOLDER]",
		Short: "List what was built, changed and undone.",
		Long: `List what was built, changed and undone: when, what, how much, whether it has
been undone, and where. With a number, list its steps; with a folder, only what was
done at or below it.

What an undo removes is kept, so that the undo can be undone: of large files the
list says how much. --forget frees that, and the record can no longer be undone.
What was cut short, when the power went or somebody stopped it, --finish brings to its end:
it does what was left of that run's own list, and so does the same call again.`,
		Example: `  vestibula history
  vestibula history 3
  vestibula history --forget 3`,
		Args: atMost(1),
		RunE: func(_ *cobra.Command, args []string) error {
			cut, err := a.cutShort() // what was not ended is, first
			if err != nil {
				return err
			}
			records, err := a.records()
			switch {
			case err != nil:
				return err
			case forget != "":
				return a.forget(records, forget, ask)
			case finish != "":
				return a.finishNumber(records, finish, ask)
			case len(args) == 1:
				if at, is := a.folderOf(args); is {
					records = reaching(records, at)
					break
				}
				r, err := findRecord(records, args[0])
				if err != nil {
					return err
				}
				return a.showRecord(r, asJSON)
			}
			if asJSON {
				return a.printJSON(a.recordsJSON(records))
			}
			return a.listRecords(records, cut)
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	c.Flags().StringVar(&forget, "forget", "", "free what the record with this `NUMBER` keeps, and the record itself")
	c.Flags().StringVar(&finish, "finish", "", "do what was left of the record with this `NUMBER`, which was cut short")
	c.Flags().BoolVar(&ask.preview, "preview", false, "with --finish: show what would be done, and change nothing")
	ask.addYes(c, "with --forget and --finish: do not ask")
	c.ValidArgsFunction = a.completeRecord
	numbers := func(c *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		return a.completeRecord(c, nil, word)
	}
	_, _ = c.RegisterFlagCompletionFunc("forget", numbers), c.RegisterFlagCompletionFunc("finish", numbers)
	return c
}

// reaching are the records of what was done at or below a folder.
func reaching(records []*journal.Record, at address.Address) []*journal.Record {
	return slices.DeleteFunc(records, func(r *journal.Record) bool { return !undo.Reaches(r, at) })
}

func (a *app) listRecords(records []*journal.Record, cut []*cut) error {
	if len(records) == 0 {
		a.screen.Text("Nothing was done yet.")
		return nil
	}
	var rows [][]term.Shown
	for _, r := range records {
		what := commandOf(r.What)
		if r.Undoes > 0 {
			what += " of " + strconv.Itoa(r.Undoes)
		}
		much := amount(r.Count)
		if r.Kept > 0 && !r.Undone() {
			much += ", " + term.Size(r.Kept) + " kept"
		}
		rows = append(rows, []term.Shown{term.Sprintf("%d", r.Number), when(r.When), term.Visible(what), term.Visible(r.Name()), much, state(r), term.Dim.Render(term.Visible(address.List(r.Places)))})
	}
	a.screen.Table([]term.Column{{Name: "no.", Whole: true}, {Name: "when", Last: 3}, {Name: "what", Whole: true}, {Name: "project"}, {Name: "how much", Last: 2}, {Name: "state", Whole: true}, {Name: "where", Last: 1, Path: true}}, rows)
	a.tellCutShort(cut)
	return nil
}

func (a *app) showRecord(r *journal.Record, asJSON bool) error {
	if asJSON {
		return a.printJSON(a.recordsJSON([]*journal.Record{r})[0])
	}
	changes, err := a.changesOf(r)
	if err != nil {
		return err
	}
	a.screen.Line(term.Title.Render(term.Sprintf("%d: %s of %s", r.Number, r.What, term.Visible(r.Name()))), term.Dim.Render(" in "+term.Visible(address.List(r.Places))))
	a.screen.Text(term.Join([]term.Shown{when(r.When), amount(r.Count), state(r)}, ", "))
	a.screen.Line()
	for i := range changes {
		if c := &changes[i]; !c.Lift() {
			s := proposal.One(c)
			a.screen.Because(a.stepLine(&s, a.screen.Width), term.Visible(s.Why), term.Dim.Italic())
		}
	}
	return nil
}

// stepsJSON are single changes as JSON shows them.
func stepsJSON(changes []change.Change) []stepJSON {
	steps := []stepJSON{}
	for i := range changes {
		if c := &changes[i]; !c.Lift() {
			s := proposal.One(c)
			steps = append(steps, stepJSON{Op: s.Op.String(), From: s.From, To: s.To})
		}
	}
	return steps
}

func (a *app) recordsJSON(records []*journal.Record) []any {
	list := []any{}
	for _, r := range records {
		changes, _ := a.changesOf(r) // a record that cannot be read has no steps
		list = append(list, struct {
			journal.Head
			State term.Shown `json:"state"`
			Steps []stepJSON `json:"steps"`
		}{r.Head, state(r), stepsJSON(changes)})
	}
	return list
}

// forget frees what a record keeps.
func (a *app) forget(records []*journal.Record, number string, ask consent) error {
	r, err := findRecord(records, number)
	if err != nil {
		return err
	}
	switch {
	case r.Busy:
		return refused("wait until it has ended", "%d is still at work", r.Number)
	case r.End == journal.CutShort:
		return refused(undoing(r.Number).String(), "%d was cut short, and what was on its way is not in its place yet", r.Number)
	}
	show := func() {
		a.screen.Text(term.Sprintf("%d: %s of %s, %s. It keeps %s.", r.Number, r.What, term.Visible(r.Name()), when(r.When), term.Size(r.Kept)))
	}
	goes, err := a.agreed(ask, show, fmt.Sprintf("Forget %d for ever? It can then no longer be undone.", r.Number), "forget it")
	if !goes {
		return err
	}
	var away []string
	err = a.journal(func(j *journal.Journal) error {
		a.catching.Add(1) // it is not to be stopped half way
		defer a.catching.Add(-1)
		if away, err = a.writer().Forget(j, r); err != nil {
			return refused("", "%d cannot be forgotten: %s", r.Number, place.Reason(err))
		}
		return nil
	})
	if err != nil {
		return err
	}
	if len(away) > 0 && r.Kept > 0 {
		a.screen.Text(term.Good.Render("Forgotten") + term.Sprintf(": %d. What it kept in %s is not freed: that folder is not here.", r.Number, strings.Join(away, ", ")))
		return nil
	}
	a.screen.Text(term.Good.Render("Forgotten") + term.Sprintf(": %d; %s freed.", r.Number, term.Size(r.Kept)))
	return nil
}

// An undone is what an undo takes back, as JSON shows it.
type undone struct {
	Undoes int               `json:"undoes"`
	Places []address.Address `json:"places"`
}

// completeRecord offers the numbers of what was done, the newest first.
func (a *app) completeRecord(_ *cobra.Command, args []string, _ string) (list []string, _ cobra.ShellCompDirective) {
	records, err := a.records()
	if err != nil || len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	for _, r := range slices.Backward(records) {
		if r.Undone() || r.End == journal.Forgotten {
			continue
		}
		list = append(list, fmt.Sprintf("%d\t%s of %s", r.Number, r.What, term.Visible(r.Name())))
	}
	return list, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
}

// unmarking takes the marks of a build out of a table in which others, or people, have
// written as well since then: those of rows whose projects the build has made.
var unmarking = undo.Revise{
	Knows: func(path string) bool {
		return slices.Contains([]string{".csv", ".xlsx", ".xlsm", ".ods"}, strings.ToLower(filepath.Ext(path)))
	},
	Without: func(path string, now []byte, made func(path string) bool) ([]byte, bool) {
		t, err := table.Read(path, now, table.Options{Sheets: []string{"*"}})
		if err != nil {
			t, err = table.Read(path, now, table.Options{})
		}
		if err != nil {
			return nil, false
		}
		marks := map[int]table.Mark{}
		for i := range t.Rows {
			if m := t.Marking(&t.Rows[i]); m.Where != "" && made(m.Where) {
				marks[t.Rows[i].Number] = table.Mark{Clear: true}
			}
		}
		if len(marks) == 0 {
			return nil, false
		}
		data, err := t.WithMarks(marks)
		return data, err == nil
	},
}
