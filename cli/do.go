package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/plan"
	"vestibula/core/proposal"
	"vestibula/core/table"
	"vestibula/core/tree"
)

// addPlan adds the flag --plan.
func (c *consent) addPlan(to *cobra.Command) {
	to.Flags().StringVar(&c.plan, "plan", "", "write what would be done into a new table, a `FILE` in CSV or XLSX, and change nothing")
}

// writePlan writes a set as a table, instead of carrying it out. It ends the command.
func (a *app) writePlan(set *change.Set, c consent) error {
	base, err := place.Real(".")
	if err != nil {
		return unclear("", "the current folder cannot be read: %s", place.Reason(err))
	}
	if i := slices.IndexFunc(set.Places, address.Address.OnDrive); i >= 0 {
		base = set.Places[i]
	}
	for slices.ContainsFunc(set.Places, func(p address.Address) bool { return !p.Within(base) }) {
		up := base.Parent()
		if up == base {
			return refused("write one for each of them", "the folders lie on several disks, and one plan has one folder")
		}
		base = up
	}
	if slices.ContainsFunc(set.Changes, func(c change.Change) bool { return c.Op == change.Copy && c.From == "" }) {
		return refused("run the command itself", "Nothing was written: what comes out of an archive cannot stand in a table")
	}
	rows := plan.Rows(set.Changes, c.open(base), func(in int) string { below, _ := set.Places[in].From(base); return below }, label.Own)
	data, err := table.Write(c.plan, rows, plan.Choices(rows)...)
	var text *table.TextError
	switch {
	case errors.As(err, &text):
		return refused("run the command itself, or give that another name first", "Nothing was written: %v", err)
	case err != nil:
		return unclear("name it plan.csv or plan.xlsx", "%v", err)
	}
	if err := a.writeFile("plan", c.plan, data, term.Count(len(rows)-1, "row")+". Nothing else was changed"); err != nil {
		return err
	}
	words := []string{"do", typed(c.plan)}
	if here, err := place.Real("."); err != nil || here != base {
		words = append(words, "--in", typed(base))
	}
	a.screen.Text(advise("Read it, edit it, and carry it out", words...).line())
	if c.then != "" {
		a.screen.Text(term.Visible(c.then))
	}
	return &stop{status: statusDone}
}

// undecided reports whether there are such files.
func (c *consent) undecided() bool {
	return slices.ContainsFunc(c.parts, func(p *proposal.Part) bool {
		return slices.ContainsFunc(p.Left, func(l *proposal.Left) bool { return l.Op == change.Move || l.Op == change.Copy })
	})
}

// open are the files of which it is not known where they go, as rows of a plan.
func (c *consent) open(base address.Address) (rows []plan.Open) {
	at := func(p string, in address.Address, folder bool) string {
		full := address.Address(filepath.FromSlash(p))
		if !filepath.IsAbs(string(full)) {
			full = in.Join(p)
		}
		below, within := full.From(base)
		if !within {
			return ""
		}
		if below = "./" + below; folder && !strings.HasSuffix(below, "/") {
			below += "/"
		}
		return below
	}
	for _, part := range c.parts {
		for _, l := range part.Left {
			from := at(l.Path, part.In, false)
			if (l.Op != change.Move && l.Op != change.Copy) || (l.Kind != proposal.Several && l.Kind != proposal.Nowhere) || from == "" {
				continue
			}
			row := plan.Open{What: l.Op.String(), From: from, Why: l.Why, Alike: cmp.Or(l.Alike, l.Why)}
			if l.Kind == proposal.Several {
				row.Why = cmp.Or(l.Why, "it could go to several places")
			}
			for _, could := range l.Could {
				if to := at(could, part.In, false); to != "" {
					row.Could = append(row.Could, to+"/"+path.Base(from))
				}
			}
			rows = append(rows, row)
		}
	}
	return rows
}

// A planRun is one call of do.
type planRun struct {
	*app
	consent
	file, sheet, in string
}

func (a *app) doCommand() *cobra.Command {
	r := &planRun{app: a}
	c := &cobra.Command{
		Use:   "do FILE",
		Short: "Carry out a plan that stands in a table: moves, copies, new folders.",
		Long: `Carry out a plan that stands in a table: moves, copies, new folders. FILE is one that
--plan has written, or one of your own: a CSV or XLSX file with the columns from and to.

Paths begin in the current folder, or in the one of --in. All old paths mean what is
there now, and all new ones what will be there afterwards, so that the order of rows
does not matter. An empty from makes a folder. Under what, “copy” copies a file, and
“merge” puts a folder into one that is there: files that are the same are there once,
others lie side by side. All rows are checked before the first change, nothing is ever overwritten, and
one undo takes all of it back.`,
		Example: `  vestibula check Clients --fix --plan plan.csv
  vestibula do plan.csv --preview
  vestibula do plan.csv --yes`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return unclear(examplesOf("do"), "which table?")
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) error {
			r.file = args[0]
			return r.run()
		},
	}
	r.addAnswers(c, "carry it out")
	r.addMoves(c)
	c.Flags().StringVar(&r.in, "in", ".", "the `FOLDER` in which its paths begin")
	c.Flags().StringVar(&r.sheet, "sheet", "", "the `NAME` of the sheet to read; the first one if you name none")
	return c
}

func (r *planRun) run() error {
	planned, err := r.read()
	if err != nil {
		return err
	}
	rows := map[string]int{}
	for i := range planned.Set.Changes {
		rows[planned.Set.Changes[i].Path] = planned.Rows[i]
	}
	r.called = func(path string) string {
		if row := rows[path]; row > 0 {
			return fmt.Sprintf("row %d: %s", row, path)
		}
		return path
	}
	if bad := r.misnamed(&planned.Set); len(bad) > 0 {
		return refused("give them other names in the table", "%s", blocked(bad, r.called))
	}
	n, title := term.Count(len(planned.Set.Changes), "change"), filepath.Base(r.file)
	return r.propose(r.consent, &task{Proposal: planned.Proposal(), follows: &following{alone: true}, question: fmt.Sprintf("Make %s in %s?", n, planned.Set.Places[0].Name()), how: "carry it out",
		idle:        term.Sprintf("%s says what is there already, or what is only to be read.", r.file),
		undertaking: undertaking{doing: "applying", head: journal.Head{What: "plan", Title: title, Project: title}},
		told: func() term.Shown {
			return term.Good.Render("Applied") + term.Sprintf(" %s: %s. %s", title, n, r.undoes())
		}})
}

// read reads the table, and makes the changes of it.
func (r *planRun) read() (*plan.Planned, error) {
	t, err := readTable(r.file, sheetOf(r.sheet, nil))
	if err != nil {
		return nil, err
	}
	rows, err := plan.Read(t)
	if err != nil {
		return nil, unclear("the headings are "+strings.Join(t.Headings, ", "), "%s: %v", r.file, err)
	}
	at, err := place.Open(r.in)
	if err != nil {
		return nil, unclear("", "%v", err)
	}
	defer at.Close()
	planned, problems := plan.Set(rows, string(at.Real), planDisk{at})
	if len(problems) == 0 {
		return planned, nil
	}
	for i, p := range problems {
		if i == r.most(manyRows) {
			r.side.Text(term.Sprintf("  … and %s more", term.Number(len(problems)-i)))
			break
		}
		r.side.Text(term.Bad.Render("error:") + term.Sprintf(" row %d: %s", p.Row, p.Message))
	}
	return nil, refused("fix them in the table; nothing is done by halves", "Nothing was changed: %s of %s cannot be carried out.", term.Count(len(problems), "row"), r.file)
}

// A planDisk is the place of a plan.
type planDisk struct{ *place.Place }

// Look looks at a path; why it cannot is told for a person.
func (d planDisk) Look(path string) (tree.Entry, error) {
	e, err := d.Place.Look(path)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		err = errors.New(place.Reason(err))
	}
	return e, err
}

// Tree reads all that lies in a folder.
func (d planDisk) Tree(path string) (*tree.Node, error) {
	n, unread, err := place.Read(d.Real.Join(path), nil, nil)
	switch {
	case err != nil:
		return nil, errors.New(place.Reason(err))
	case len(unread) > 0:
		return nil, fmt.Errorf("“%s” cannot be read: %s", filepath.ToSlash(filepath.Join(path, unread[0].Path)), place.Reason(unread[0].Err))
	}
	return n, nil
}

// Sum returns the checksum of a file.
func (d planDisk) Sum(path string) (string, error) {
	sum, err := d.Place.Sum(path)
	if err != nil {
		err = fmt.Errorf("“%s” cannot be read: %s", path, place.Reason(err))
	}
	return sum, err
}

// Own names the program's own files.
func (d planDisk) Own(path string) bool { return label.Own(path) }
