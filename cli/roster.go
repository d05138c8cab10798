package cli

import (
	"fmt"
	"maps"
	"path"
	"strconv"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/disk"
	"vestibula/core/label"
	"vestibula/core/outline"
	"vestibula/core/roster"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// rosterFlags are the flags of a build for every row of a table.
type rosterFlags struct {
	file, rows string
	columns    []string
	onlyGood   bool
}

// A badRow is a row that cannot be built.
type badRow struct {
	row     int
	problem string // begins with the place in the row
}

// growRoster makes one tree of all rows of the roster. All rows are read and
// checked; what is wrong is told at once.
func (b *buildRun) growRoster(args []string) error {
	var err error
	if b.t, err = b.load(args[0]); err != nil {
		return err
	}
	set, errs := rules.Configure(b.t)
	if len(errs) > 0 {
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
	table, err := roster.Read(b.roster.file)
	if err != nil {
		return unclear("", "the roster %s: %s", b.roster.file, disk.Reason(err))
	}
	columns, err := b.columns(table)
	if err != nil {
		return err
	}
	wanted, err := rowRanges(b.roster.rows)
	if err != nil {
		return err
	}
	meeting := tree.NewMeeting()
	var bad []badRow
	size := 0
	for i := range table.Rows {
		row := &table.Rows[i]
		if !wanted(row.Number) {
			continue
		}
		values, x, problems := b.growRow(set, table, row, columns, common)
		if len(problems) == 0 {
			root := x.Root.Built()
			if taken, by, ok := meeting.Add(root, row.Number); !ok {
				problems = append(problems, badRow{row.Number, fmt.Sprintf(": “%s” would be made for row %d as well", taken, by)})
			} else {
				facts := tree.Measure(root)
				size += facts.Folders + facts.Files
				b.built = append(b.built, rowBuild{values, root})
				b.tree.Changes = append(b.tree.Changes, x.Changes...)
			}
		}
		bad = append(bad, problems...)
	}
	if size > b.flags.limit {
		return b.tellErrors(b.t.Name, b.t.Text, &template.LimitError{Limit: b.flags.limit, Count: size}, statusFound)
	}
	b.tree.Root = meeting.Root
	return b.tellBadRows(bad)
}

// tellBadRows tells all that is wrong with the roster, and stops unless only the
// good rows are wanted.
func (b *buildRun) tellBadRows(bad []badRow) error {
	rows := map[int]bool{}
	for _, p := range bad {
		rows[p.row] = true
		b.side.Text(term.Bad.Render("row "+strconv.Itoa(p.row)) + term.Visible(p.problem))
	}
	switch {
	case len(bad) > 0 && !b.roster.onlyGood:
		return refused("mend the roster, or build the good rows with --only-good", "Nothing was built: %s cannot be built.", term.Count(len(rows), "row"))
	case len(b.built) == 0:
		return refused("", "Nothing was built: there is no row to build.")
	case len(bad) > 0:
		b.side.Text(term.Dim.Render(fmt.Sprintf("%s left out", term.Count(len(rows), "row"))))
	}
	return nil
}

// growRow makes the tree of one row.
func (b *buildRun) growRow(set *rules.Set, table *roster.Table, row *roster.Row, columns map[string]int, common map[string]template.Raw) (template.Values, *template.Expansion, []badRow) {
	var problems []badRow
	tell := func(field, problem string) {
		where := ""
		if i, ok := columns[field]; ok {
			where = fmt.Sprintf(", column %q", table.Headings[i])
		}
		problems = append(problems, badRow{row.Number, where + ": " + problem})
	}
	raw := maps.Clone(common)
	for field, i := range columns {
		cell := row.Cells[i]
		switch _, given := common[field]; {
		case given:
		case cell.Problem != "":
			tell(field, cell.Problem)
		case cell.Text != "":
			raw[field] = template.Raw{Text: cell.Text}
		}
	}
	values, errs := b.t.ParseValues(raw, b.now)
	for _, e := range errs {
		tell(e.Field, e.Message)
	}
	if len(problems) > 0 {
		return nil, nil, problems
	}
	for _, f := range b.t.Missing(values) {
		tell(f.Name, fmt.Sprintf("there is no value for %q", f.Name))
	}
	if len(problems) > 0 {
		return nil, nil, problems
	}
	values = b.t.Complete(values, b.now)
	x, err := b.t.Tree(values, b.flags.limit)
	if err != nil {
		message := err.Error()
		if many, ok := err.(outline.Errors); ok {
			message = many[0].Message // its place is in the template, which is fine
		}
		tell("", message)
		return nil, nil, problems
	}
	for _, f := range set.Check(x.Root) {
		if f.Severity == rules.Error {
			tell("", f.Message)
		}
	}
	return values, x, problems
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
		if !used[i] && strings.TrimSpace(h) != "" {
			unknown = append(unknown, "“"+term.Visible(h)+"”")
		}
	}
	if len(unknown) > 0 {
		b.side.Text(term.Warn.Render("note:") + " no field is called " + strings.Join(unknown, ", ") + "; --column field=Heading joins them")
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

// A rowBuild is what one row builds.
type rowBuild struct {
	values template.Values
	root   *tree.Node
}

// labels returns the labels of all builds: builds that meet in one root share
// its label.
func (b *buildRun) labels() ([]disk.Note, error) {
	var notes []disk.Note
	at := map[string]int{}
	for _, r := range b.built {
		file := label.FileName
		if top := r.root.Children; len(top) == 1 && top[0].Kind == tree.Folder {
			file = path.Join(top[0].Name, label.FileName)
		}
		i, again := at[file]
		var old []byte
		if again {
			old = notes[i].Data
		} else {
			var err error
			if old, err = b.place.ReadFile(file); err != nil {
				return nil, fmt.Errorf("%s cannot be read: %s", file, disk.Reason(err))
			}
		}
		data, err := label.Add(old, label.NewBuild(b.t, r.values, b.now, b.version))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path.Join(b.into, path.Dir(file)), err)
		}
		switch {
		case data == nil:
		case again:
			notes[i].Data = data
		default:
			at[file] = len(notes)
			notes = append(notes, disk.Note{Path: file, Data: data})
		}
	}
	return notes, nil
}
