package cli

import (
	"fmt"
	"maps"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/disk"
	"vestibula/core/label"
	"vestibula/core/outline"
	"vestibula/core/plan"
	"vestibula/core/roster"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A rosterRun is what a build for every row of a table needs beside that of a
// single one.
type rosterRun struct {
	file, sheet, rows, report string
	columns                   []string
	onlyGood, mark            bool

	table   *roster.Table
	meeting *tree.Meeting
	bad     []badRow
	marked  []int // rows that are marked as built, and left alone
}

func (r *rosterRun) add(c *cobra.Command) {
	c.Flags().StringVar(&r.file, "roster", "", "build once for each row of this table, a `FILE` in XLSX or CSV")
	c.Flags().StringVar(&r.sheet, "sheet", "", "the `NAME` of the sheet to read; the first one if you name none")
	c.Flags().StringArrayVar(&r.columns, "column", nil, "join a field to a column: `field=Heading`")
	c.Flags().StringVar(&r.rows, "rows", "", "only these `ROWS` of the roster, such as 3,7-9")
	c.Flags().BoolVar(&r.onlyGood, "only-good", false, "build the good rows, and list the others")
	c.Flags().BoolVar(&r.mark, "mark", false, "write into the roster which rows are built; those are left alone the next time")
	c.Flags().StringVar(&r.report, "report", "", "write what became of each row into a new CSV `FILE`")
}

// inOrder says that a flag needs a roster, or that the report cannot be written.
func (r *rosterRun) inOrder() error {
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
			return unclear("name the table: --roster FILE", "%s goes with a roster", flag.name)
		}
	}
	return nil
}

// A badRow is a row that cannot be built.
type badRow struct {
	row     int
	problem string // begins with the place in the row
}

// A rowBuild is what one row builds, or the only build where there is no
// roster.
type rowBuild struct {
	row     int
	values  template.Values
	root    *tree.Node
	changes []template.Change
	count   [plan.Blocked + 1]int // of its folders and files, by state
}

// folder is where the row's project lies, from the place of the build.
func (r *rowBuild) folder() string {
	at, n := ".", r.root
	for len(n.Children) == 1 && n.Children[0].Kind == tree.Folder {
		n = n.Children[0]
		if at = path.Join(at, n.Name); n.Marks&tree.Way == 0 {
			break
		}
	}
	return at
}

// growRoster makes one tree of all rows of the roster. All rows are read and
// checked; what is wrong is told at once, later.
func (b *buildRun) growRoster(args []string) error {
	var err error
	if b.t, err = b.load(args[0]); err != nil {
		return err
	}
	if _, errs := rules.Configure(b.t); len(errs) > 0 {
		return b.tellErrors(b.t.Name, b.t.Text, errs, statusUnclear)
	}
	common, err := rawArgs(args[1:])
	if err != nil {
		return err
	}
	if b.flags.file != "" {
		if err := rawFile(common, b.flags.file); err != nil {
			return err
		}
	}
	if _, errs := b.t.ParseValues(common, b.now); len(errs) > 0 {
		return badValues(errs)
	}
	r := &b.roster
	if r.table, err = roster.Read(r.file, r.sheet); err != nil {
		return unclear("", "the roster %s: %s", r.file, disk.Reason(err))
	}
	if r.sheet == "" && len(r.table.Others) > 0 {
		b.side.Text(term.Warn.Render("note:") + term.Visible(fmt.Sprintf(" the sheet “%s” is read; --sheet names another: %s", r.table.Sheet, strings.Join(r.table.Others, ", "))))
	}
	if n := len(r.table.Short); n > 0 {
		b.side.Text(term.Warn.Render("note:") + fmt.Sprintf(" %s, beginning with row %d, %s fewer cells than there are headings: the others count as empty", term.Count(n, "row"), r.table.Short[0], map[bool]string{true: "has", false: "have"}[n == 1]))
	}
	columns, err := b.columns(r.table)
	if err != nil {
		return err
	}
	wanted, err := rowRanges(r.rows)
	if err != nil {
		return err
	}
	grown := b.growRows(columns, common)
	// What is built already keeps its folders: no other row may have them.
	r.meeting = tree.NewMeeting()
	claims := r.meeting
	if r.rows != "" || slices.ContainsFunc(r.table.Rows, func(row roster.Row) bool { return r.table.Marked(&row) }) {
		claims = tree.NewMeeting()
	}
	for i, g := range grown {
		if row := &r.table.Rows[i]; r.table.Marked(row) && len(g.problems) == 0 {
			claims.Add(g.build.root, row.Number)
		}
	}
	size := 0
	for i, g := range grown {
		row := &r.table.Rows[i]
		if r.table.Marked(row) {
			if wanted(row.Number) {
				r.marked = append(r.marked, row.Number)
			}
			continue
		}
		if len(g.problems) == 0 {
			if taken, by, ok := claims.Add(g.build.root, row.Number); !ok {
				g.problems = []badRow{{row.Number, fmt.Sprintf(": “%s” would be made for row %d as well", taken, by)}}
			}
		}
		if !wanted(row.Number) {
			continue
		}
		if r.bad = append(r.bad, g.problems...); len(g.problems) == 0 {
			if claims != r.meeting {
				r.meeting.Add(g.build.root, row.Number)
			}
			size += g.build.root.Count()
			b.built = append(b.built, g.build)
		}
	}
	if size > b.flags.limit {
		return b.tellErrors(b.t.Name, b.t.Text, &template.LimitError{Limit: b.flags.limit, Count: size}, statusFound)
	}
	b.tree.Root = r.meeting.Root
	return nil
}

// A grownRow is the tree of a row, or what is wrong with it.
type grownRow struct {
	build    *rowBuild
	problems []badRow
}

// growRows makes the trees of all rows, several at a time.
func (b *buildRun) growRows(columns map[string]int, common map[string]template.Raw) []grownRow {
	const bunch = 32
	rows := b.roster.table.Rows
	grown := make([]grownRow, len(rows))
	done, end := b.progress("checking", len(rows))
	defer end()
	var next atomic.Int64
	var group sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			set, _ := rules.Configure(b.t) // that it can be was seen before; a set is not to be shared
			raw := map[string]template.Raw{}
			for {
				first := int(next.Add(bunch)) - bunch
				if first >= len(rows) {
					return
				}
				last := min(first+bunch, len(rows))
				for i := first; i < last; i++ {
					grown[i].build, grown[i].problems = b.growRow(set, raw, &rows[i], columns, common)
				}
				done(last - first)
			}
		})
	}
	group.Wait()
	return grown
}

// growRow makes the tree of one row. Raw is for its values, and used again for
// the next.
func (b *buildRun) growRow(set *rules.Set, raw map[string]template.Raw, row *roster.Row, columns map[string]int, common map[string]template.Raw) (*rowBuild, []badRow) {
	var problems []badRow
	tell := func(field, problem string) {
		where := ""
		if i, ok := columns[field]; ok {
			where = fmt.Sprintf(", column %q", b.roster.table.Headings[i])
		}
		problems = append(problems, badRow{row.Number, where + ": " + problem})
	}
	clear(raw)
	maps.Copy(raw, common)
	for _, f := range b.t.Fields {
		field := f.Name
		i, joined := columns[field]
		if _, given := common[field]; given || !joined {
			continue
		}
		switch cell := row.Cells[i]; {
		case cell.Problem != "":
			tell(field, cell.Problem)
		case !cell.Day.IsZero():
			raw[field] = template.Raw{Text: f.Type.OnDay(cell.Text, cell.Day)}
		case cell.Text != "":
			raw[field] = template.Raw{Text: cell.Text}
		}
	}
	values, errs := b.t.ParseValues(raw, b.now)
	for _, e := range errs {
		tell(e.Field, e.Message)
	}
	if len(problems) > 0 {
		return nil, problems
	}
	for _, f := range b.t.Missing(values) {
		tell(f.Name, fmt.Sprintf("there is no value for %q", f.Name))
	}
	if len(problems) > 0 {
		return nil, problems
	}
	values = b.t.Complete(values, b.now)
	x, err := b.t.Tree(values, b.flags.limit)
	if err != nil {
		message := err.Error()
		if many, ok := err.(outline.Errors); ok {
			message = many[0].Message // its place is in the template, which is fine
		}
		tell("", message)
		return nil, problems
	}
	for _, f := range set.Check(x.Root) {
		if f.Severity == rules.Error {
			tell("", f.Message)
		}
	}
	return &rowBuild{row: row.Number, values: values, root: x.Root.Built(), changes: x.Changes}, problems
}

// rowsInTheWay counts what each row builds. Rows for which something is in the
// way are bad rows, and a plan without them is made. Then all that is wrong is
// told; it stops the build unless only the good rows are wanted.
func (b *buildRun) rowsInTheWay() error {
	r := &b.roster
	for b.plan.Count[plan.Blocked] > 0 {
		out := map[int]bool{}
		b.byRow(func(i int, rows []int) {
			s := &b.plan.Steps[i]
			if s.State != plan.Blocked {
				return
			}
			for _, row := range rows {
				if !out[row] {
					r.bad = append(r.bad, badRow{row, fmt.Sprintf(", “%s”: %s", b.plan.Path(i), s.Why)})
				}
				out[row] = true
			}
		})
		b.built = slices.DeleteFunc(b.built, func(build *rowBuild) bool { return out[build.row] })
		r.meeting = tree.NewMeeting()
		for _, build := range b.built {
			r.meeting.Add(build.root, build.row)
		}
		b.tree.Root = r.meeting.Root
		if err := b.makePlan(); err != nil {
			return err
		}
	}
	builds := map[int]*rowBuild{}
	seen := map[template.Change]bool{}
	for _, build := range b.built {
		builds[build.row] = build
		for _, c := range build.changes {
			if !seen[c] {
				b.tree.Changes = append(b.tree.Changes, c)
			}
			seen[c] = true
		}
	}
	b.byRow(func(i int, rows []int) { builds[rows[0]].count[b.plan.Steps[i].State]++ })
	return b.tellBadRows()
}

// byRow calls visit for each step of the plan, with the rows that it is for.
func (b *buildRun) byRow(visit func(i int, rows []int)) {
	steps := b.plan.Steps
	top := make([]int32, len(steps)) // the step above which rows may meet
	for i := range steps {
		s := &steps[i]
		if up := s.Parent; up >= 0 && steps[top[up]].Node.Marks&tree.Way == 0 {
			top[i] = top[up]
		} else {
			top[i] = int32(i)
		}
		visit(i, b.roster.meeting.From(steps[top[i]].Node))
	}
}

// tellBadRows tells all that is wrong with the roster, and stops unless only the
// good rows are wanted.
func (b *buildRun) tellBadRows() error {
	r := &b.roster
	slices.SortStableFunc(r.bad, func(x, y badRow) int { return x.row - y.row })
	rows := map[int]bool{}
	for _, p := range r.bad {
		rows[p.row] = true
		if !b.asJSON {
			b.side.Text(term.Bad.Render("row "+strconv.Itoa(p.row)) + term.Visible(p.problem))
		}
	}
	stop := func(err error) error {
		if e := b.report(false); e != nil && e != found {
			return e
		}
		return err
	}
	switch {
	case len(r.bad) > 0 && !r.onlyGood:
		return stop(refused("mend the roster, or build the good rows with --only-good", "Nothing was built: %s cannot be built.", term.Count(len(rows), "row")))
	case len(b.built) == 0 && len(r.bad) == 0 && len(r.marked) > 0:
		return nil // all is done
	case len(b.built) == 0:
		return stop(refused("", "Nothing was built: there is no row to build."))
	}
	return nil
}

// columns joins the fields of the template to the columns of the roster.
func (b *buildRun) columns(table *roster.Table) (map[string]int, error) {
	at := map[string]int{}
	for i, h := range table.Headings {
		at[roster.Folded(h)] = i
	}
	columns, used := map[string]int{}, map[int]bool{}
	for _, text := range b.roster.columns {
		field, heading, _ := strings.Cut(text, "=")
		i, ok := at[roster.Folded(heading)]
		if f := b.t.Field(field); f == nil || f.Made() || !ok || heading == "" {
			return nil, unclear("write --column field=Heading; the headings are "+strings.Join(table.Headings, ", "), "%q joins no field to a column", text)
		}
		columns[field], used[i] = i, true
	}
	for _, name := range b.t.FieldNames() {
		if _, chosen := columns[name]; chosen {
			continue
		}
		if i, ok := at[roster.Folded(name)]; ok && !used[i] {
			columns[name], used[i] = i, true
		}
	}
	var unknown []string
	for i, h := range table.Headings {
		if !used[i] && !table.IsMark(i) && strings.TrimSpace(h) != "" {
			unknown = append(unknown, "“"+h+"”")
		}
	}
	if len(unknown) > 0 {
		b.side.Text(term.Warn.Render("note:") + term.Visible(" no field is called "+strings.Join(unknown, ", ")) + "; --column field=Heading joins them")
	}
	return columns, nil
}

// rowRanges reads rows such as 3,7-9; "" means all.
func rowRanges(text string) (func(row int) bool, error) {
	if text == "" {
		return func(int) bool { return true }, nil
	}
	var ranges [][2]int
	for part := range strings.SplitSeq(text, ",") {
		first, last, isRange := strings.Cut(strings.TrimSpace(part), "-")
		lo, err := strconv.Atoi(strings.TrimSpace(first))
		hi := lo
		if err == nil && isRange {
			hi, err = strconv.Atoi(strings.TrimSpace(last))
		}
		if err != nil || lo < 1 || hi < lo {
			return nil, unclear("write --rows 3,7-9", "%q is no row", part)
		}
		ranges = append(ranges, [2]int{lo, hi})
	}
	return func(row int) bool {
		for _, r := range ranges {
			if r[0] <= row && row <= r[1] {
				return true
			}
		}
		return false
	}, nil
}

// labels returns the labels of all builds: builds that meet in one root share
// its label. Those of new roots are made when they are needed.
func (b *buildRun) labels() ([]disk.Note, error) {
	fresh := map[string]bool{}
	for i := range b.plan.Steps {
		if s := &b.plan.Steps[i]; s.Parent < 0 && s.State == plan.New {
			fresh[s.Node.Name] = true
		}
	}
	var files []string
	builds := map[string][]*rowBuild{}
	for _, r := range b.built {
		file := label.FileName
		if top := r.root.Children; len(top) == 1 && top[0].Kind == tree.Folder {
			if b.preview && fresh[top[0].Name] {
				continue // it will be made, and is not needed yet
			}
			file = path.Join(top[0].Name, label.FileName)
		}
		if builds[file] == nil {
			files = append(files, file)
		}
		builds[file] = append(builds[file], r)
	}
	at := b.now
	if b.archive.name != "" {
		at = b.archive.time
	}
	labelOf := func(file string, old []byte) ([]byte, error) {
		var list []*label.Build
		for _, r := range builds[file] {
			list = append(list, label.NewBuild(b.t, r.values, at, b.version))
		}
		return label.Add(old, list...)
	}
	var notes []disk.Note
	for _, file := range files {
		if fresh[path.Dir(file)] {
			notes = append(notes, disk.Note{Path: file, Data: func() ([]byte, error) { return labelOf(file, nil) }})
			continue
		}
		old, err := b.place.ReadFile(file)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %s", file, disk.Reason(err))
		}
		data, err := labelOf(file, old)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path.Join(b.into, path.Dir(file)), err)
		}
		if data != nil {
			notes = append(notes, disk.Note{Path: file, Was: old, Data: func() ([]byte, error) { return data, nil }})
		}
	}
	return notes, nil
}

// markRows makes the roster with its marks.
func (b *buildRun) markRows() error {
	r := &b.roster
	if len(b.built) == 0 {
		return nil
	}
	at, err := disk.Real(r.file)
	if err != nil {
		return unclear("", "the roster %s: %s", r.file, disk.Reason(err))
	}
	place, err := filepath.Abs(b.into)
	if err != nil {
		return err
	}
	marks := map[int]roster.Mark{}
	for _, build := range b.built {
		marks[build.row] = roster.Mark{When: b.now, Where: filepath.Join(place, filepath.FromSlash(build.folder()))}
	}
	data, err := r.table.WithMarks(marks)
	if err != nil {
		return refused("or build without --mark", "the roster %s cannot be marked: %s", r.file, disk.Reason(err))
	}
	b.marks = &disk.Revision{Path: at, Data: data}
	return nil
}
