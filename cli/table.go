package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/change"
	"vestibula/core/place"
	"vestibula/core/rules"
	"vestibula/core/table"
	"vestibula/core/template"
)

// A tableRun is what a build for every row of a table needs beside that of a
// single one.
type tableRun struct {
	file, sheet, rows, report string
	columns                   []string
	onlyGood, mark            bool
}

func (r *tableRun) add(c *cobra.Command) {
	c.Flags().StringVar(&r.file, "table", "", "build once for each row of this table, a `FILE` in XLSX or CSV")
	c.Flags().StringVar(&r.sheet, "sheet", "", "the `NAME` of the sheet to read; the first one if you name none")
	c.Flags().StringArrayVar(&r.columns, "column", nil, "join a field to a column: `field=Heading`")
	c.Flags().StringVar(&r.rows, "rows", "", "only these `ROWS` of the table, such as 3,7-9")
	c.Flags().BoolVar(&r.onlyGood, "only-good", false, "build the good rows, and list the others")
	c.Flags().BoolVar(&r.mark, "mark", false, "write into the table which rows are built; those are left alone the next time")
	c.Flags().StringVar(&r.report, "report", "", "write what became of each row into a new CSV `FILE`")
}

// inOrder says that a flag needs a table, or that the report cannot be written.
func (r *tableRun) inOrder() error {
	if r.file != "" {
		if r.report != "" {
			if _, err := os.Lstat(r.report); err == nil {
				return refused("name another file, or move that one away", "the report %s is there already, and nothing is overwritten", r.report)
			}
		}
		return nil
	}
	for _, flag := range []struct {
		name string
		used bool
	}{{"--sheet", r.sheet != ""}, {"--column", r.columns != nil}, {"--rows", r.rows != ""}, {"--only-good", r.onlyGood}, {"--mark", r.mark}, {"--report", r.report != ""}} {
		if flag.used {
			return unclear("name the table: --table FILE", "%s goes with a table", flag.name)
		}
	}
	return nil
}

// growTable makes one tree of all rows of the table. All rows are read and
// checked; what is wrong is told at once, later.
func (b *buildRun) growTable(args []string) error {
	var err error
	if b.t, err = b.load(args[0]); err != nil {
		return err
	}
	if _, errs := rules.Configure(b.t); len(errs) > 0 {
		return b.tellErrors(b.t.Name, b.t.Text, errs, statusUnclear)
	}
	r := &b.table
	x := &batch.Batch{Template: b.t, Limit: b.flags.limit, Now: b.now, Counter: &batch.Counter{Place: b.place}}
	b.batch = x
	if x.Common, err = rawArgs(args[1:]); err != nil {
		return err
	}
	if b.flags.file != "" {
		if err := rawFile(x.Common, b.flags.file); err != nil {
			return err
		}
	}
	if _, errs := b.t.ParseValues(x.Common, b.now); len(errs) > 0 {
		return badValues(errs)
	}
	data, err := place.ReadFile(r.file, table.MaxBytes)
	if err == nil {
		x.Table, err = table.Read(r.file, data, r.sheet)
	}
	if err != nil {
		return unclear("", "the table %s: %s", r.file, place.Reason(err))
	}
	if x.Wanted, err = batch.ParseRows(r.rows); err != nil {
		return unclear("write --rows 3,7-9", "%v", err)
	}
	var unknown []string
	if x.Columns, unknown, err = batch.Join(b.t, x.Table, r.columns); err != nil {
		return unclear("write --column field=Heading; the headings are "+strings.Join(x.Table.Headings, ", "), "%v", err)
	}
	b.noteTable(unknown)
	done, end := b.progress("checking", len(x.Table.Rows))
	x.Done = done
	x.Grow()
	end()
	b.tree.Root = x.Root()
	if size := b.tree.Root.Count(); size > b.flags.limit {
		return b.tellErrors(b.t.Name, b.t.Text, &template.LimitError{Limit: b.flags.limit, Count: size}, statusFound)
	}
	return nil
}

// noteTable tells what was passed by in the table.
func (b *buildRun) noteTable(unknown []string) {
	t := b.batch.Table
	note := func(text string) { b.side.Text(term.Warn.Render("note:") + " " + term.Visible(text)) }
	if b.table.sheet == "" && len(t.Others) > 0 {
		note(fmt.Sprintf("the sheet “%s” is read; --sheet names another: %s", t.Sheet, strings.Join(t.Others, ", ")))
	}
	if n := len(t.Short); n > 0 {
		note(fmt.Sprintf("%s, beginning with row %d, %s fewer cells than there are headings: the others count as empty", term.Count(n, "row"), t.Short[0], map[bool]string{true: "has", false: "have"}[n == 1]))
	}
	if len(unknown) > 0 {
		note("no field is called “" + strings.Join(unknown, "”, “") + "”; --column field=Heading joins them")
	}
}

// judgeRows tells all that is wrong with the table, what is in the way among it,
// and stops unless only the good rows are wanted.
func (b *buildRun) judgeRows() error {
	x := b.batch
	for x.SetAside(b.plan) {
		b.tree.Root = x.Root()
		if err := b.makePlan(); err != nil {
			return err
		}
	}
	x.CountSteps(b.plan)
	b.tree.Changes = x.Changes()
	rows := map[int]bool{}
	for _, p := range x.Problems {
		rows[p.Row] = true
		if b.asJSON {
			continue
		}
		where := term.Bad.Render(term.Sprintf("row %d", p.Row))
		if p.Place != "" {
			where += ", " + term.Visible(p.Place)
		}
		b.side.Text(where + ": " + term.Visible(p.Message))
	}
	var why error
	switch {
	case len(rows) > 0 && !b.table.onlyGood:
		why = refused("mend the table, or build the good rows with --only-good", "Nothing was built: %s cannot be built.", term.Count(len(rows), "row"))
	case len(x.Builds) == 0 && (len(rows) > 0 || len(x.Marked) == 0):
		why = refused("", "Nothing was built: there is no row to build.")
	default:
		return nil
	}
	if err := b.report(false); err != nil && err != found {
		return err
	}
	return why
}

// markRows returns the change that marks the rows in the table, and the folder
// that it lies in.
func (b *buildRun) markRows() (dir string, marked *change.Change, err error) {
	r := &b.table
	if len(b.batch.Builds) == 0 {
		return "", nil, nil
	}
	at, err := place.Real(r.file)
	if err != nil {
		return "", nil, unclear("", "the table %s: %s", r.file, place.Reason(err))
	}
	marks := map[int]table.Mark{}
	for _, build := range b.batch.Builds {
		marks[build.Row] = table.Mark{When: b.now, Where: strings.ToValidUTF8(filepath.Join(b.place.Real, b.archive.name, filepath.FromSlash(build.Folder())), "\uFFFD")}
	}
	data, err := b.batch.Table.WithMarks(marks)
	if err != nil {
		return "", nil, refused("or build without --mark", "the table %s cannot be marked: %s", r.file, place.Reason(err))
	}
	c := replacing(0, filepath.Base(at), b.batch.Table.Bytes(), data)
	return filepath.Dir(at), &c, nil
}
