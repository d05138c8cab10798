package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/batch"
	"vestibula/core/place"
	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/upgrade"
)

// A tableRun is what a build for every row of a table needs beside that of a
// single one.
type tableRun struct {
	file, rows, report, dates string
	sheets, columns           []string
	onlyGood, mark            bool
	changed, again            bool
	asked                     bool // about rows that have changed, or are gone

	up *upgradeRun // brings projects up to date whose rows have changed; or nil
}

func (r *tableRun) add(c *cobra.Command) {
	c.Flags().StringVar(&r.file, "table", "", "build once for each row of this table, a `FILE` in XLSX, ODS or CSV")
	c.Flags().StringArrayVar(&r.sheets, "sheet", nil, "the `NAME` of the sheet to read; several are read as one, and '*' is all")
	c.Flags().StringVar(&r.dates, "dates", "", "how days are written in the table, such as `d.m.yyyy`")
	c.Flags().StringArrayVar(&r.columns, "column", nil, "join a field to a column: `field=Heading`")
	c.Flags().StringVar(&r.rows, "rows", "", "only these `ROWS` of the table, such as 3,7-9")
	c.Flags().BoolVar(&r.onlyGood, "only-good", false, "build the good rows, and list the others")
	c.Flags().BoolVar(&r.mark, "mark", false, "write into the table which rows are built; those are left alone the next time")
	c.Flags().BoolVar(&r.changed, "changed", false, "bring projects up to date whose rows have other values now")
	c.Flags().BoolVar(&r.again, "again", false, "build rows again that are marked, and whose projects are gone")
	c.Flags().StringVar(&r.report, "report", "", "write what became of each row into a new `FILE`: "+outEndings)
}

// inOrder says that a flag needs a table, or that the report cannot be written.
func (r *tableRun) inOrder() error {
	if r.file != "" {
		if r.report != "" {
			if _, err := place.Lstat(r.report); err == nil {
				return refused("name another file, or move that one away", "the report %s is there already, and nothing is overwritten", r.report)
			}
		}
		return nil
	}
	for _, flag := range []struct {
		name string
		used bool
	}{{"--sheet", r.sheets != nil}, {"--dates", r.dates != ""}, {"--changed", r.changed}, {"--again", r.again}, {"--column", r.columns != nil}, {"--rows", r.rows != ""}, {"--only-good", r.onlyGood}, {"--mark", r.mark}, {"--report", r.report != ""}} {
		if flag.used {
			return unclear("name the table: --table FILE", "%s goes with a table", flag.name)
		}
	}
	return nil
}

// fewLacking is how many values a table may lack that are asked for: one that lacks more is of another template.
const fewLacking = 3

// growTable makes one tree of all rows of the table. All rows are read and
// checked; what is wrong is told at once, later.
func (b *buildRun) growTable(args []string) error {
	var err error
	if b.t, err = b.load(args[0]); err != nil {
		return err
	}
	if _, err := b.rulesOf(b.t); err != nil {
		return err
	}
	r := &b.table
	x := &batch.Batch{Template: b.t, Limit: b.flags.limit, Now: b.now, Counter: batch.NewCounter(b.job.Place)}
	b.job.Batch = x
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
	if x.Table, err = readTable(r.file, table.Options{Sheets: r.sheets, Names: batch.Expected(b.t, r.columns)}); err != nil {
		return err
	}
	if x.Wanted, err = batch.ParseRows(r.rows); err != nil {
		return unclear("write --rows 3,7-9", "%v", err)
	}
	var unknown []string
	if x.Columns, unknown, err = batch.Join(b.t, x.Table, r.columns); err != nil {
		return unclear("write --column field=Heading; the headings are "+strings.Join(x.Table.Headings, ", "), "%v", err)
	}
	b.noteTable(unknown)
	if lacking := x.Lacking(); len(lacking) > 0 {
		if err := b.askCommon(lacking); err != nil {
			return err
		}
	}
	if err := b.readDates(); err != nil {
		return err
	}
	done, end := b.progress("checking", len(x.Table.Rows))
	x.Done = done
	x.Grow()
	end()
	if l := x.Listed; l != nil {
		b.note(term.Sprintf("%s, %s: %s from the column “%s”", term.Count(l.Rows, "row"), term.Count(l.Builds, "project"), l.Field, l.Heading))
	}
	if err := b.compareKept(args[0]); err != nil {
		return err
	}
	if size := x.Root().Count(); size > b.flags.limit {
		return b.tellErrors(b.t.Name, b.t.Text, &template.LimitError{Limit: b.flags.limit, Count: size}, statusFound)
	}
	return nil
}

// noteTable tells how the table was read, and what was passed by in it.
func (b *buildRun) noteTable(unknown []string) {
	t := b.job.Table
	note := func(text string) { b.side.Text(term.Warn.Render("note:") + " " + term.Visible(text)) }
	if b.table.sheets == nil && len(t.Others) > 0 {
		note(fmt.Sprintf("the sheet “%s” is read, and none of the others: %s", t.Sheet, strings.Join(t.Others, ", ")))
	}
	for _, text := range t.Notes {
		note(text)
	}
	if n := len(t.Short); n > 0 {
		note(fmt.Sprintf("%s, beginning with row %d, %s fewer cells than there are headings: the others count as empty", term.Count(n, "row"), t.Short[0], map[bool]string{true: "has", false: "have"}[n == 1]))
	}
	if len(unknown) > 0 {
		b.side.Text(term.Dim.Render(term.Visible("no field for the " + map[bool]string{true: "column", false: "columns"}[len(unknown) == 1] + " “" + strings.Join(few(unknown), "”, “") + "”")))
	}
}

// few are the first of some names, and how many more there are.
func few(names []string) []string { return fewOf(names, 12) }

// few is the same, or all of them where that is asked for.
func (a *app) few(names []string) []string { return fewOf(names, a.most(12)) }

// fewOf are the first of a list, with how many more there are.
func fewOf(names []string, shown int) []string {
	if len(names) <= shown {
		return names
	}
	return append(slices.Clone(names[:shown]), fmt.Sprintf("… and %s more", term.Number(len(names)-shown)))
}

// askCommon asks for what the table has no column for, once for all rows, where somebody can be asked.
func (b *buildRun) askCommon(lacking []*template.Field) error {
	x := b.job.Batch
	if len(lacking) > fewLacking || len(x.Columns) == 0 || !b.interactive() || b.yes || b.asJSON || b.preview {
		return b.noColumns(lacking)
	}
	b.note(term.Sprintf("the table %s has no column for what is asked now: that is said once, for all rows", b.table.file))
	said := template.Values{}
	if err := b.askFields(lacking, said); err != nil {
		return err
	}
	for name, v := range said {
		x.Common[name] = template.Raw{Text: v.String()}
	}
	b.revisable = true
	return nil
}

// noColumns says once, and not for each row, which fields have no column.
func (b *buildRun) noColumns(lacking []*template.Field) error {
	var names, joins []string
	var headings []string
	for _, h := range b.job.Table.Headings {
		if strings.TrimSpace(h) != "" {
			headings = append(headings, h)
		}
	}
	for _, f := range lacking {
		names = append(names, f.Name)
		joins = append(joins, "--column", f.Name+"=…")
	}
	last := len(names) - 1
	text := names[last]
	if last > 0 {
		text = strings.Join(names[:last], ", ") + " and " + names[last]
	}
	return unclear(b.sameCall("join a column", joins...).String()+"\nor say one value for all rows: "+names[0]+"=…", "the table %s has no column for %s; its headings are %s", b.table.file, text, strings.Join(few(headings), ", "))
}

// readDates settles how days are written that are no dates to the spreadsheet. It is asked
// once, and never guessed.
func (b *buildRun) readDates() (err error) {
	x := b.job
	if b.table.dates != "" {
		if x.Dates, err = batch.ParseDates(b.table.dates); err != nil {
			return unclear("write them as in d.m.yyyy", "%v", err)
		}
	}
	odd := x.OddDates()
	if odd == nil {
		return nil
	}
	if b.interactive() && !b.yes && !b.asJSON {
		q := &question{title: term.Sprintf("%s, column “%s”: how is %s meant?", x.Table.RowName(odd.Row), odd.Heading, odd.Example), hint: chooses}
		for _, p := range odd.Forms {
			q.list = append(q.list, p+"   "+batch.DayShown(p, odd.Example))
		}
		if _, err := b.answerTo(q); err != nil {
			return err
		}
		b.table.dates = odd.Forms[q.at]
		x.Dates, err = batch.ParseDates(b.table.dates)
		return err
	}
	var ways, flags []string
	for _, p := range odd.Forms {
		ways = append(ways, batch.DayShown(p, odd.Example))
		flags = append(flags, b.sameCall(batch.DayShown(p, odd.Example), "--dates", p).String())
	}
	if len(ways) == 1 {
		ways = append(ways, "something else")
	}
	return unclear(strings.Join(flags, "\n"), "%s, column \"%s\": is %s meant as %s?", x.Table.RowName(odd.Row), odd.Heading, odd.Example, strings.Join(ways, " or as "))
}

// compareKept holds rows that are marked against the disk, and settles what becomes of
// them.
func (b *buildRun) compareKept(template string) error {
	x, r := b.job, &b.table
	if b.job.Pack != nil || len(x.Kept) == 0 {
		return nil
	}
	done, end := b.progress("comparing", len(x.Kept))
	x.Compare(b.job.Place, b.badLabel)
	done(len(x.Kept))
	end()
	if err := b.askKept(); err != nil {
		return err
	}
	if r.changed {
		lost, err := b.lost()
		if err != nil {
			return err
		}
		x.Went = lost.Now
		if err := b.bringUp(template); err != nil {
			return err
		}
	}
	if r.again {
		x.BuildAgain()
	}
	x.InTheWay(string(b.job.Place.Real), func(dir address.Address) bool { return b.job.Vacated[b.fromPlace(dir)] })
	return nil
}

// askKept asks what is to become of rows that have changed, and of those of which nothing is there,
// where nobody has said it.
func (b *buildRun) askKept() (err error) {
	if !b.interactive() || b.yes || b.preview || b.asJSON || b.consent.plan != "" {
		return nil
	}
	r := &b.table
	if names := b.keptNames(batch.Changed); len(names) > 0 && !r.changed {
		b.side.Text(term.Warn.Render("changed") + ": " + b.named(names) + " with other values than the project has")
		if r.changed, err = b.confirm(fmt.Sprintf("Bring %s up to date as well?", term.Count(len(names), "project"))); err != nil {
			return err
		}
	}
	if names := b.keptNames(batch.Gone); len(names) > 0 && !r.again {
		b.side.Text(term.Warn.Render("gone") + ": " + b.named(names) + " marked as built, of which nothing is there")
		r.again, err = b.confirm(fmt.Sprintf("Build %s again?", term.Count(len(names), "row")))
	}
	r.asked = true
	return err
}

// keptNames are the names of rows that are marked and stand in some way to the disk.
func (b *buildRun) keptNames(as batch.Standing) (names []string) {
	for _, k := range b.job.Kept {
		if k.Standing == as {
			names = append(names, b.job.Table.RowName(k.Row))
		}
	}
	return names
}

// named names rows, as far as they can be taken in.
func (b *buildRun) named(names []string) term.Shown {
	const shown = 5
	if n := len(names) - shown; n > 0 {
		names = append(slices.Clone(names[:shown]), fmt.Sprintf("and %d more", n))
	}
	return term.Visible(strings.Join(names, ", "))
}

// bringUp plans what brings projects to the values that their rows have by now.
func (b *buildRun) bringUp(by string) error {
	r, up := &b.table, b.newUpgrade()
	up.consent, up.by, up.limit = b.consent, by, b.flags.limit
	up.each = b.job.Updates(b.fromPlace)
	for _, dir := range slices.Sorted(maps.Keys(up.each)) {
		if err := up.find(string(dir)); err != nil {
			return err
		}
	}
	up.apart()
	if len(up.bad) > 0 && !r.onlyGood {
		return refused(b.sameCall("to leave them out", "--only-good").String(), "%s", severalLines(strings.Join(up.bad, "\n")))
	}
	for _, bad := range up.bad {
		b.side.Text(term.Warn.Render("left out") + ": " + term.Visible(bad))
	}
	if len(up.jobs) > 0 {
		b.table.up, b.job.Vacated, b.job.Stood = up, map[string]bool{}, map[string]string{}
	}
	for to, from := range upgrade.Shared(up.all()) {
		b.job.Stood[b.fromPlace(to)] = b.fromPlace(from)
	}
	for _, u := range up.jobs {
		if u.Name != u.Becomes {
			b.job.Vacated[b.fromPlace(u.project.Dir)] = true
		}
	}
	return nil
}

// judgeRows tells all that is wrong with the table, what is in the way among it,
// and stops unless only the good rows are wanted.
func (b *buildRun) judgeRows() error {
	x := b.job
	for x.SetAside(x.Plan) {
		if err := planned(x.Look()); err != nil {
			return err
		}
	}
	x.CountSteps(x.Plan)
	rows := map[int]bool{}
	for _, p := range x.Problems {
		rows[p.Row] = true
	}
	if len(rows) > 0 && !b.asJSON && !b.table.onlyGood && len(x.Builds) > 0 {
		b.screen.Line(term.Title.Render("Good"), term.Dim.Render(": "+term.Count(len(x.Builds), "row")))
		b.drawRows(false)
		b.screen.Line()
	}
	for _, p := range x.Problems {
		if b.asJSON {
			break
		}
		where := term.Bad.Render(term.Visible(x.Table.RowName(p.Row)))
		if p.Place != "" {
			where += ", " + term.Visible(p.Place)
		}
		b.side.Text(where + ": " + term.Visible(p.Message))
	}
	var why error
	switch {
	case len(rows) > 0 && !b.table.onlyGood:
		help := "fix the table"
		if field, heading := x.CouldList(); field != "" {
			help += "\n" + b.sameCall("where such rows are one, with a list of "+field, "--column", field+"="+heading).String()
		}
		if len(x.Builds) > 0 {
			help += "\n" + b.sameCall("to build the good rows", "--only-good").String()
		}
		why = refused(help, "Nothing was built: %s cannot be built.", term.Count(len(rows), "row"))
	case len(x.Builds) == 0 && (len(rows) > 0 || len(x.Kept) == 0):
		why = refused("", "Nothing was built: there is no row to build.")
	default:
		return nil
	}
	if err := b.report(false); err != nil && err != found {
		return err
	}
	return why
}

// mark adds what marks the rows in the table.
func (b *buildRun) mark() (err error) {
	r := &b.table
	if !r.mark && !r.changed && !r.again {
		return nil
	}
	becomes := map[address.Address]address.Address{}
	if r.up != nil {
		for _, u := range r.up.jobs {
			becomes[u.project.Dir] = u.Place().Join(u.Becomes)
		}
	}
	b.marked, err = b.job.Mark(b.proposal, r.file, becomes)
	return planned(err)
}

// apart leaves out what would come to lie where something else lies, and does not go away itself.
func (r *upgradeRun) apart() {
	for again := true; again; {
		again = false
		goes, comes := map[address.Address]bool{}, map[address.Address]int{}
		for _, u := range r.jobs {
			if u.Name != u.Becomes {
				goes[u.project.Dir] = true
				comes[u.Place().Join(u.Becomes)]++
			}
		}
		r.jobs = slices.DeleteFunc(r.jobs, func(u *upgrading) bool {
			if u.Renames() && len(r.each) > 0 {
				r.bad = append(r.bad, fmt.Sprintf("%s: which item of a list got which other name is only probable; %s", fromHere(u.project.Dir), advise("to answer that", "upgrade", typed(fromHere(u.project.Dir)))))
				return true
			}
			to := u.Place().Join(u.Becomes)
			if u.Name == u.Becomes || comes[to] < 2 && (!place.Exists(to) || goes[to]) {
				return false
			}
			again = true
			r.bad = append(r.bad, fmt.Sprintf("%s: “%s” is there already, or another one goes there", fromHere(u.project.Dir), fromHere(to)))
			return true
		})
	}
}

// sheetOf says how a table is read: by the name of a sheet, or "", and expected headings.
func sheetOf(sheet string, names []string) table.Options {
	o := table.Options{Names: names}
	if sheet != "" {
		o.Sheets = []string{sheet}
	}
	return o
}

// unreadable is the stop for what cannot be read.
func unreadable[P ~string](path P, err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return unclear("", "there is no \"%s\"", path)
	}
	return unclear("", "%s cannot be read: %s", path, place.Reason(err))
}

// readTable reads a table that somebody names.
func readTable(file string, o table.Options) (*table.Table, error) {
	data, err := place.ReadFile(file, table.MaxBytes)
	if err == nil {
		var t *table.Table
		if t, err = table.Read(file, data, o); err == nil {
			return t, nil
		}
	}
	return nil, noTable(file, err)
}

// noTable is the stop for a table that cannot be read.
func noTable(file string, err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return unclear("", "there is no table \"%s\"", file)
	}
	return unclear("", "the table %s: %s", file, place.Reason(err))
}
