package cli

import (
	"cmp"
	"fmt"
	"math"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/outline"
	"vestibula/core/tree"
)

// most is how many of a list are shown: so many, or all of them where that is asked for.
func (a *app) most(many int) int {
	if a.all {
		return math.MaxInt
	}
	return many
}

// manyRows is how many rows a plan shows one by one.
const manyRows = 40

// drawPlan draws what will be made: the tree of a build with what is new, there,
// kept and blocked or, of a table, a line for each row and the tree of one.
func (b *buildRun) drawPlan() {
	b.screen.Line(term.Title.Render(term.Visible(b.t.Heading())), term.Dim.Render(" into "+term.Visible(b.where())))
	b.screen.Line()
	if b.table.file == "" {
		b.drawTree(b.job.Root())
		b.screen.Line()
	} else if b.drawRows(true) && b.table.up == nil {
		b.screen.Line()
	}
	var counts []term.Shown
	for state, word := range []term.Shown{"new", "there already", "kept unchanged", "in the way"} {
		if n := b.job.Plan.Count[state]; n > 0 {
			m := planMarks[build.State(state)]
			counts = append(counts, m.Style.Render(m.Sign)+" "+term.Number(n)+" "+word)
		}
	}
	if len(counts) > 0 {
		b.screen.Text(term.Join(counts, "   "))
	}
	b.drawLeftOut()
	b.app.changes(b.job.Changes())
	if b.warned > 0 {
		b.screen.Text(term.Warn.Render("note:") + " " + term.Count(b.warned, "warning") + " about this template; " + advise("to see what will go wrong", "check", typed(cmp.Or(b.template, "."))).line())
	}
}

// drawAgreed draws the plan; of one that was agreed to already, only what moves.
func (b *buildRun) drawAgreed(ask consent) {
	if !ask.yes || ask.preview {
		b.drawPlan()
	} else if b.updates != nil && b.yes {
		b.app.drawPlan(b.updates)
	}
}

// alike says which neighbours of a plan's tree say the same: of which the same becomes.
func (b *buildRun) alike(state func(n *tree.Node) *build.Step) func(x, y *tree.Node) bool {
	if b.all {
		return nil
	}
	var equal func(x, y *tree.Node) bool
	equal = func(x, y *tree.Node) bool {
		s, z := state(x), state(y)
		return s.State == z.State && s.State != build.Blocked && s.Why == z.Why && slices.EqualFunc(x.Children, y.Children, equal)
	}
	return func(x, y *tree.Node) bool { return tree.Alike(x, y) && equal(x, y) }
}

// drawTree draws a tree with the states of its steps.
func (b *buildRun) drawTree(root *tree.Node) {
	state := b.states(root)
	b.screen.Tree(root, term.TreeView{
		Mark: func(n *tree.Node) term.Mark { return planMarks[state(n).State] },
		Same: b.alike(state), All: allShows,
		Alert: func(n *tree.Node) bool { return state(n).State == build.Blocked },
		Note: func(n *tree.Node) term.Shown {
			switch s := state(n); s.State {
			case build.Blocked:
				return term.Visible(s.Why)
			case build.Kept:
				return "stays as it is: it is not what the template would write"
			case build.New:
				if n.Content != nil {
					return term.Sprintf("from %s", n.Content.Source())
				}
			}
			return ""
		},
	})
}

// states returns what tells the step of a node of a tree.
func (b *buildRun) states(root *tree.Node) func(n *tree.Node) *build.Step {
	shared := b.sharedSteps(root)
	// The steps are in the order of the tree, so the next one is mostly at hand; neighbours
	// that are held against each other lie apart.
	steps, at := b.job.Plan.Steps, 0
	var of map[*tree.Node]int32
	return func(n *tree.Node) *build.Step {
		if s := shared[n]; s != nil {
			return s
		}
		for i := at; i < min(at+2, len(steps)); i++ {
			if steps[i].Node == n {
				at = i
				return &steps[i]
			}
		}
		if of == nil {
			of = make(map[*tree.Node]int32, len(steps))
			for i := range steps {
				of[steps[i].Node] = int32(i)
			}
		}
		if i, known := of[n]; known {
			at = int(i)
			return &steps[i]
		}
		return &build.Step{} // a folder in which rows meet, or what goes into an archive
	}
}

// sharedSteps are the steps of the folders of a row's tree in which other rows meet it.
func (b *buildRun) sharedSteps(root *tree.Node) map[*tree.Node]*build.Step {
	steps, of := map[*tree.Node]*build.Step{}, map[*tree.Node]*tree.Node{}
	var meet func(own, all *tree.Node)
	meet = func(own, all *tree.Node) {
		for _, c := range own.Children {
			if there := all.Child(c.Name); there != nil && there != c {
				of[there] = c
				meet(c, there)
			}
		}
	}
	meet(root, b.job.Root())
	if len(of) > 0 {
		for i := range b.job.Plan.Steps {
			if own := of[b.job.Plan.Steps[i].Node]; own != nil {
				steps[own] = &b.job.Plan.Steps[i]
			}
		}
	}
	return steps
}

// fewRows is how many good rows of a refused table are drawn.
const fewRows = 5

// drawRows draws a line for each row with its own folder and what is new or otherwise, as
// far as they can be taken in; and the tree of the first, if that is wanted. It reports
// whether there are any.
func (b *buildRun) drawRows(withTree bool) (some bool) {
	type line struct {
		*batch.Build
		kept *batch.Kept
	}
	var lines []line
	cells := func(row int, m term.Mark, folder string, note term.Shown) []term.Shown {
		return []term.Shown{m.Style.Render(m.Sign) + " " + term.Visible(b.job.Table.RowName(row)), term.Visible(folder), note}
	}
	for _, r := range b.job.Builds {
		lines = append(lines, line{Build: r})
	}
	for _, k := range b.job.Kept {
		if k.Standing != batch.Settled && k.Standing != batch.Bare && k.Standing != batch.Unlooked || k.Moved() {
			lines = append(lines, line{k.Build, k})
		}
	}
	slices.SortStableFunc(lines, func(x, y line) int { return x.Row - y.Row })
	most := b.most(manyRows)
	if !withTree {
		most = b.most(fewRows)
	}
	var rows [][]term.Shown
	for _, l := range lines[:min(len(lines), most)] {
		if l.kept != nil {
			m, note := b.keptLine(l.kept)
			rows = append(rows, cells(l.Row, m, b.keptFolder(l.kept), note))
		} else {
			rows = append(rows, cells(l.Row, planMarks[l.State()], l.Folder(), term.Dim.Render(counts(l.Build))))
		}
	}
	b.screen.Columns(rows)
	if more := len(lines) - len(rows); more > 0 {
		b.more(more, map[bool]term.Shown{true: "row", false: "rows"}[more == 1])
	}
	if !withTree {
		return len(lines) > 0
	}
	for _, r := range b.job.Builds {
		if r.State() == build.New {
			b.screen.Line()
			b.screen.Line(term.Dim.Render(term.Visible(outline.Capitalised(b.job.Table.RowName(r.Row))) + " makes"))
			b.drawTree(r.Root)
			break
		}
	}
	if b.updates != nil {
		b.screen.Line()
		b.app.drawPlan(b.updates)
	}
	return len(lines) > 0
}

// keptLine says how a row that is marked stands to the disk.
func (b *buildRun) keptLine(k *batch.Kept) (m term.Mark, note term.Shown) {
	moved := term.Shown("")
	if k.Moved() && k.Marking.Where != "" {
		moved = "lies there now, not in " + term.Visible(b.fromPlace(address.Address(k.Marking.Where)))
	} else if k.Moved() {
		moved = "is there, and was marked by hand"
	}
	switch k.Standing {
	case batch.Changed:
		var parts []term.Shown
		for _, d := range k.Diffs {
			parts = append(parts, term.Sprintf("%s ", d.Field)+orNothing(d.Was)+term.Dim.Render(" → ")+orNothing(d.Is))
		}
		if moved != "" {
			parts = append(parts, moved)
		}
		return term.Mark{Sign: "←", Style: term.Warn}, term.Join(parts, ", ")
	case batch.Gone:
		if k.Marking.Where == "" {
			return term.Mark{Sign: "!", Style: term.Bad}, "marked by hand: nothing of it is there"
		}
		return term.Mark{Sign: "!", Style: term.Bad}, "gone: it is no longer in " + term.Visible(b.fromPlace(address.Address(k.Marking.Where)))
	case batch.Archived:
		return term.Mark{Sign: "·", Style: term.Dim}, "archived: it is " + term.Visible(k.Why)
	case batch.Unclear:
		return term.Mark{Sign: "!", Style: term.Bad}, "cannot be compared: " + term.Visible(k.Why)
	}
	return term.Mark{Sign: "»", Style: term.Accent}, moved
}

func orNothing(text string) term.Shown {
	if text == "" {
		return "(nothing)"
	}
	return term.Visible(text)
}

// keptFolder is where the project of a marked row is, or would be by its values.
func (b *buildRun) keptFolder(k *batch.Kept) string {
	if k.Dir != "" {
		return b.fromPlace(k.Dir)
	}
	return k.Folder()
}

// fromPlace is a path from the folder that is built in, or as it is.
func (b *buildRun) fromPlace(full address.Address) string {
	if below, is := full.From(b.job.Place.Real); is {
		return below
	}
	return string(full)
}

// drawLeftOut says how many rows are left out or left alone.
func (b *buildRun) drawLeftOut() {
	left := map[int]bool{}
	var names []string
	for _, p := range b.job.Problems {
		if !left[p.Row] {
			names = append(names, b.job.Table.RowName(p.Row))
		}
		left[p.Row] = true
	}
	if n := len(left); n > 0 {
		more := ""
		if n > 12 {
			names, more = names[:12], fmt.Sprintf(" and %d more", n-12)
		}
		b.screen.Text(term.Warn.Render("left out") + ": " + term.Sprintf("%s, which cannot be built%s", strings.Join(names, ", "), more))
	}
	count := map[batch.Standing]int{}
	for _, k := range b.job.Kept {
		count[k.Standing]++
	}
	if n := count[batch.Settled] + count[batch.Bare] + count[batch.Unlooked]; n > 0 {
		b.screen.Text(term.Dim.Render("left alone: " + term.Count(n, "row") + " marked as built"))
	}
	if names := b.keptNames(batch.Changed); len(names) > 0 && b.table.up == nil {
		b.screen.Text(term.Warn.Render("changed") + ": " + b.named(names) + " with other values than the project has; " + b.sameCall("to bring that up to date", "--changed").line())
	}
	if names := b.keptNames(batch.Gone); len(names) > 0 {
		b.screen.Text(term.Warn.Render("gone") + ": " + b.named(names) + " marked as built, of which nothing is there; " + b.sameCall("to build those again", "--again").line())
	}
}

// questionOfTable asks for the yes where projects are brought up to date as well.
func (b *buildRun) questionOfTable() string {
	var parts []string
	if b.made().Count[build.New] > 0 {
		parts = append(parts, fmt.Sprintf("build %s in %s", b.amount(), b.into))
	}
	if b.upgrades > 0 {
		parts = append(parts, fmt.Sprintf("bring %s up to date", term.Count(len(b.table.up.jobs), "project")))
	}
	if b.marked > 0 {
		parts = append(parts, fmt.Sprintf("mark %s in %s", term.Count(b.marked, "row"), b.table.file))
	}
	return outline.Capitalised(strings.Join(parts, ", and ")) + "?"
}

// closing tells what a build has done.
func (b *buildRun) closing(nothing bool) {
	target := b.into
	if top := b.job.Root().Children; len(top) == 1 && b.job.Pack == nil {
		target = filepath.Join(b.into, top[0].Name)
		if b.table.file == "" && len(b.job.Builds) == 1 { // for whom it is
			target = filepath.Join(b.into, filepath.FromSlash(b.job.Builds[0].Folder()))
		}
	}
	if b.aim != "" {
		target = b.aim
	}
	what, before := b.amount(), besides(b.job.Plan.Count[build.There])
	if b.table.file != "" {
		fresh := 0
		for _, r := range b.job.Builds {
			if r.State() == build.New {
				fresh++
			}
		}
		what, before = term.Count(fresh, "row")+": "+what, ""
		if n := len(b.job.Builds) - fresh; n > 0 {
			before = "; " + term.Count(n, "row") + " stood there already"
		}
	}
	switch {
	case b.upgrades > 0 && b.made().Count[build.New] == 0:
	case b.table.file != "" && len(b.job.Builds) == 0:
		b.screen.Text(term.Good.Render("Nothing to do:") + " no row is left to build")
	case nothing || b.made().Count[build.New] == 0:
		b.screen.Text(term.Good.Render("Nothing to do:") + " all of it is there already in " + term.Visible(target))
	default:
		b.screen.Text(term.Good.Render("Built") + " " + what + " in " + term.Visible(target) + before)
	}
	kept := 0
	for i := range b.job.Plan.Steps {
		if b.job.Plan.Steps[i].State != build.Kept {
			continue
		}
		if kept++; kept <= b.most(manyRows) {
			b.screen.Text(term.Warn.Render("kept") + " as it is, though not what the template would write: " + term.Visible(b.job.Plan.Path(i)))
		}
	}
	if kept > b.most(manyRows) {
		b.screen.Text(term.Warn.Render("kept") + term.Sprintf(" as they are: %s more", term.Count(kept-manyRows, "file")))
	}
	b.drawLeftOut()
	if up := b.table.up; up != nil && b.upgrades > 0 {
		b.screen.Text(term.Good.Render("Brought up to date") + " " + term.Count(len(up.jobs), "project") + ", as the rows say")
	}
	if b.marked > 0 {
		b.screen.Text("Marked " + term.Count(b.marked, "row") + " in " + term.Visible(b.table.file))
	}
}

// besides says how much was there before.
func besides(there int) term.Shown {
	if there == 0 {
		return ""
	}
	return term.Sprintf("; %s more stood there already", term.Number(there))
}
