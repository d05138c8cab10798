// Package batch makes one build for each row of a table: it joins the columns to
// the fields of a template, makes the tree of each row, puts the trees together
// where they meet, and says for each row what is wrong with it. It is not for
// reading tables, nor for changing a disk.
package batch

import (
	"fmt"
	"iter"
	"maps"
	"path"
	"runtime"
	"slices"
	"time"

	"vestibula/core/address"
	"vestibula/core/build"
	"vestibula/core/outline"
	"vestibula/core/pool"
	"vestibula/core/rules"
	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Build is what one row builds, or the only build where there is no table.
type Build struct {
	Template *template.Template
	Row      int
	Values   template.Values
	Root     *tree.Node
	Changes  []template.Change
	Stands   bool                   // it is there already, and its label stays as it is
	Count    [build.Blocked + 1]int // of its folders and files, by state: see [Batch.CountSteps]
}

// Folder returns the path of the build's own folder, from the place of the build.
func (b *Build) Folder() string {
	path, _ := b.Template.Own(b.Root)
	return path
}

// State sums up how the folders and files of the build stand.
func (b *Build) State() build.State {
	switch {
	case b.Count[build.New] > 0:
		return build.New
	case b.Count[build.Kept] > 0:
		return build.Kept
	}
	return build.There
}

// A Problem is why a row cannot be built.
type Problem struct {
	Row     int
	Place   string // in the row, such as `column "received"`; empty for all of it
	Message string
}

// String returns the place and the message, without the row.
func (p Problem) String() string {
	if p.Place == "" {
		return p.Message
	}
	return p.Place + ": " + p.Message
}

// A Batch is the builds of a table.
type Batch struct {
	Template *template.Template
	Table    *table.Table
	Columns  map[string][]int        // of the fields, by their names: see [Join]
	Dates    *Dates                  // how dates are written that are no dates to the spreadsheet; may be nil
	Common   map[string]template.Raw // values that hold for all rows
	Wanted   func(row int) bool      // which rows are built, by their numbers
	Limit    int                     // how many folders and files a row may make
	Now      time.Time               // what "today" means
	Done     func(n int)             // is called with how many rows were just looked at; may be nil
	Counter  *Counter                // gives rows their numbers, where the template counts
	Went     func(at string) string  // where the history says that something lies by now; may be nil

	Builds   []*Build  // of the good rows, in their order
	Problems []Problem // of the others, in the order of the rows
	Kept     []*Kept   // rows that are marked as built
	Listed   *Listed   // the list that several rows are joined in; nil for none

	meeting *tree.Meeting
	rows    []table.Row     // of the table, of which several can be one
	place   address.Address // that is built in, where rows are held against it
}

// A grown is the tree of a row, or what is wrong with it.
type grown struct {
	build    *Build
	problems []Problem
}

// Grow makes the trees of all rows and puts them together. All that is wrong is
// found, whichever rows are wanted.
func (b *Batch) Grow() {
	b.joinLists()
	all := b.growAll()
	byRow := func(number int) *Build {
		i, _ := slices.BinarySearchFunc(b.rows, number, func(r table.Row, number int) int { return r.Number - number })
		return all[i].build
	}
	// What is built already keeps its folders: no other row may have them.
	claims := tree.NewMeeting(len(all)) // all rows' that nothing is wrong with
	for i, g := range all {
		if row := &b.rows[i]; b.Table.Marked(row) && len(g.problems) == 0 {
			claims.Add(g.build.Root, row.Number)
		}
	}
	for i, g := range all {
		row := &b.rows[i]
		if b.Table.Marked(row) {
			if b.wanted(row) {
				b.Kept = append(b.Kept, b.kept(row, g))
			}
			continue
		}
		if len(g.problems) == 0 {
			if c := claims.Add(g.build.Root, row.Number); c != nil {
				g.problems = []Problem{{row.Number, "", b.clash(c, g.build, byRow(c.By))}}
			}
		}
		if !b.wanted(row) {
			continue
		}
		if b.Problems = append(b.Problems, g.problems...); len(g.problems) == 0 {
			b.Builds = append(b.Builds, g.build)
		}
	}
	if b.meeting = claims; len(b.Builds) < len(all) {
		b.meet()
	}
}

func (b *Batch) wanted(row *table.Row) bool {
	_, number := b.Table.InSheet(row.Number)
	return b.Wanted(number) || slices.ContainsFunc(b.Aside(row.Number), func(r table.Row) bool { return b.wanted(&r) })
}

// kept is a row that is marked.
func (b *Batch) kept(row *table.Row, g grown) *Kept {
	k := &Kept{Build: g.build, Marking: b.Table.Marking(row)}
	if k.Build == nil {
		k.Build = &Build{Template: b.Template, Row: row.Number, Root: &tree.Node{}}
		k.Standing = Unclear
		for i, p := range g.problems {
			if i > 0 {
				k.Why += "; "
			}
			k.Why += p.String()
		}
	}
	return k
}

// clash says why a build cannot stand beside another one.
func (b *Batch) clash(c *tree.Clash, mine, theirs *Build) string {
	if path.Base(c.Path) != c.There {
		return fmt.Sprintf("“%s” is spelled “%s” in %s, and many systems take the two for one", c.Path, c.There, b.Table.RowName(c.By))
	}
	message := fmt.Sprintf("“%s” is made for %s already", c.Path, b.Table.RowName(c.By))
	if mine.Folder() == theirs.Folder() {
		message = fmt.Sprintf("%s has the same own folder, “%s”", b.Table.RowName(c.By), mine.Folder())
	}
	if line := b.apart(mine.Root, theirs.Root); line != nil {
		return message + fmt.Sprintf(": if several rows are to share it, write | project behind line %d of the template, “%s”", line.Syntax.Number, line.Syntax.Name)
	}
	return message + ": take one of the two rows out, or tell them apart"
}

// apart finds the topmost folder with something in it that only the first of two trees
// has, and the line that makes it: each of them could be a project of its own.
func (b *Batch) apart(mine, theirs *tree.Node) *template.Line {
	var meet [][2]*tree.Node
	for _, c := range mine.Children {
		other := theirs.Child(c.Name)
		if line := b.Template.LineOf(c); other == nil && c.Kind == tree.Folder && len(c.Children) > 0 && line != nil && line.Each == nil && int(c.Nth) < len(line.Names) && !line.Names[c.Nth].Constant() {
			return line
		}
		if other != nil {
			meet = append(meet, [2]*tree.Node{c, other})
		}
	}
	for _, both := range meet {
		if line := b.apart(both[0], both[1]); line != nil {
			return line
		}
	}
	return nil
}

// Of is the builds of one template that come from no table. What several of them share
// stands in the root once. Limit and now are those of a [Batch].
func Of(t *template.Template, builds []*Build, limit int, now time.Time) *Batch {
	b := &Batch{Template: t, Builds: builds, Limit: limit, Now: now}
	b.meet()
	return b
}

// meet puts the trees of the builds together.
func (b *Batch) meet() {
	b.meeting = tree.NewMeeting(len(b.Builds))
	for _, build := range b.Builds {
		b.meeting.Add(build.Root, build.Row)
	}
}

// growAll makes the trees of all rows, several at a time.
func (b *Batch) growAll() []grown {
	rows := b.rows
	all := make([]grown, len(rows))
	several := runtime.GOMAXPROCS(0)
	if Counts(b.Template) {
		several = 1 // the numbers go by the order of the rows
	}
	pool.With(several, len(rows), 32, func(numbers iter.Seq[int]) {
		set, _ := rules.Configure(b.Template) // a set is not to be shared; errors in the rules are errors of the template
		raw := map[string]template.Raw{}
		for i := range numbers {
			all[i] = b.grow(set, raw, &rows[i])
			if b.Done != nil {
				b.Done(1)
			}
		}
	})
	return all
}

// problem is what is wrong with the value of a field in a row, or with the row itself.
func (b *Batch) problem(row *table.Row, field, message string) Problem {
	place := ""
	if columns := b.Columns[field]; len(columns) > 0 {
		place = fmt.Sprintf("column \"%s\"", b.Table.Headings[columns[0]])
	}
	return Problem{row.Number, place, message}
}

// grow makes the tree of one row. Raw is for its values, and used again for the
// next.
func (b *Batch) grow(set *rules.Set, raw map[string]template.Raw, row *table.Row) (g grown) {
	tell := func(field, message string) { g.problems = append(g.problems, b.problem(row, field, message)) }
	if row.Problem != "" {
		tell("", row.Problem)
		return g
	}
	clear(raw)
	maps.Copy(raw, b.Common)
	for _, f := range b.Template.Fields {
		columns := b.Columns[f.Name]
		if _, given := b.Common[f.Name]; given || len(columns) == 0 {
			continue
		}
		if r, problem := b.raw(f, row, columns); problem != "" {
			tell(f.Name, problem)
		} else if r.Text != "" || len(r.Items) > 0 {
			raw[f.Name] = r
		}
	}
	values, errs := b.Template.ParseValues(raw, b.Now)
	for _, e := range errs {
		tell(e.Field, e.Message)
	}
	if len(g.problems) > 0 {
		return g
	}
	for _, f := range b.Template.Missing(values) {
		tell(f.Name, fmt.Sprintf("there is no value for \"%s\"", f.Name)+b.level(f.Name))
	}
	if len(g.problems) > 0 {
		return g
	}
	values = b.Template.Complete(values, b.Now)
	if !b.Table.Marked(row) && b.Counter != nil {
		if err := b.Counter.Fill(b.Template, values, b.Limit); err != nil {
			tell("", err.Error())
			return g
		}
	}
	x, err := b.Template.Tree(values, b.Limit)
	if err != nil {
		message := err.Error()
		if many, ok := err.(outline.Errors); ok {
			message = many[0].Message // its place is in the template, which is fine
		}
		tell("", message)
		return g
	}
	for _, f := range set.Check(x.Root) {
		if f.Severity == rules.Error {
			tell("", f.Message.String())
		}
	}
	x.Root.Share()
	g.build = &Build{Template: b.Template, Row: row.Number, Values: values, Root: x.Root.Built(), Changes: x.Changes}
	return g
}

// level says how a level that a field alone names can be left out.
func (b *Batch) level(field string) string {
	for _, line := range b.Template.Lines {
		if slots := line.Names[len(line.Names)-1].Pattern.Slots(); line.Kind == tree.Folder && line.Marks&tree.Own == 0 && len(line.Inside()) > 0 && len(slots) == 1 && slots[0] == field && b.Template.Field(field).Type.Kind == value.Text {
			return fmt.Sprintf(": give the field default: \"\", and line %d, “%s”, is left out where it has none", line.Syntax.Number, line.Syntax.Name)
		}
	}
	return ""
}

// Raw are the values that a row says, or what is wrong with one of them.
func (b *Batch) Raw(row *table.Row) (values map[string]template.Raw, problem string) {
	values = map[string]template.Raw{}
	for _, f := range b.Template.Fields {
		if columns := b.Columns[f.Name]; len(columns) > 0 {
			r, wrong := b.raw(f, row, columns)
			if wrong != "" {
				return nil, b.problem(row, f.Name, wrong).String()
			}
			if r.Text != "" || len(r.Items) > 0 {
				values[f.Name] = r
			}
		}
	}
	return values, row.Problem
}

// raw is the value of a field in a row.
func (b *Batch) raw(f *template.Field, row *table.Row, columns []int) (r template.Raw, problem string) {
	if b.Listed != nil && b.Listed.Field == f.Name && b.Listed.items[row.Number] != nil {
		return template.Raw{Items: b.Listed.items[row.Number], List: true}, ""
	}
	for _, i := range columns {
		switch cell := &row.Cells[i]; {
		case cell.Problem != "":
			return r, cell.Problem
		case len(columns) > 1: // one item each
			if cell.Text != "" {
				r.Items, r.List = append(r.Items, cell.Text), true
			}
		case !cell.Day.IsZero():
			r.Text = f.Type.OnDay(cell.Text, cell.Day)
		default:
			r.Text = cell.Text
			if day, is := b.Dates.day(f, cell.Text); is {
				r.Text = f.Type.OnDay(cell.Text, day)
			}
		}
	}
	return r, ""
}

// Root returns the tree of all builds. Those of several rows meet in it.
func (b *Batch) Root() *tree.Node { return b.meeting.Root }

// Changes returns the texts that could not stand in names as they were given,
// each once.
func (b *Batch) Changes() []template.Change {
	var list []template.Change
	seen := map[template.Change]bool{}
	for _, build := range b.Builds {
		for _, c := range build.Changes {
			if !seen[c] {
				list = append(list, c)
			}
			seen[c] = true
		}
	}
	return list
}

// SetAside makes problems of the rows for which something is in the way in a
// plan of the root, and leaves them out. It reports whether there are any: the
// root is another one then, and needs a new plan.
func (b *Batch) SetAside(p *build.Plan) bool {
	if p.Count[build.Blocked] == 0 {
		return false
	}
	out := map[int]bool{}
	b.byRow(p, func(i int, rows []int) {
		s := &p.Steps[i]
		if s.State != build.Blocked {
			return
		}
		for _, row := range rows {
			if !out[row] {
				b.Problems = append(b.Problems, Problem{row, fmt.Sprintf("“%s”", p.Path(i)), s.Why})
			}
			out[row] = true
		}
	})
	slices.SortStableFunc(b.Problems, func(x, y Problem) int { return x.Row - y.Row })
	b.Builds = slices.DeleteFunc(b.Builds, func(build *Build) bool { return out[build.Row] })
	b.meet()
	return true
}

// CountSteps counts the folders and files of each build by their states in a
// plan of the root. What several rows share counts for the first of them.
func (b *Batch) CountSteps(p *build.Plan) {
	var build *Build
	b.byRow(p, func(i int, rows []int) {
		if build == nil || build.Row != rows[0] { // the steps of a row mostly follow each other
			at, _ := slices.BinarySearchFunc(b.Builds, rows[0], func(x *Build, row int) int { return x.Row - row })
			build = b.Builds[at]
		}
		build.Count[p.Steps[i].State]++
	})
}

// byRow calls visit for each step of a plan, with the rows that it is for.
func (b *Batch) byRow(p *build.Plan, visit func(i int, rows []int)) {
	top := make([]int32, len(p.Steps)) // the step above which rows may meet
	var rows []int
	last := int32(-1)
	for i := range p.Steps {
		up := p.Steps[i].Parent
		if up >= 0 && !p.Steps[top[up]].Node.Meets() {
			top[i] = top[up]
		} else {
			top[i] = int32(i)
		}
		if top[i] != last {
			last, rows = top[i], b.meeting.From(p.Steps[top[i]].Node)
		}
		visit(i, rows)
	}
}
