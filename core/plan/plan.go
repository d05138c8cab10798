// Package plan writes sets of changes as tables that people read, edit in a spreadsheet
// and hand over, and reads such tables back. All old paths mean the disk as it is and
// all new ones the disk afterwards, so that rows have no order. A path begins with ./,
// so that no cell is a formula and 01 keeps its zero; a person need not write that.
package plan

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/proposal"
	"vestibula/core/table"
	"vestibula/core/tree"
)

// Headings are those of a table; behind them stand what could be meant, where that is open.
var Headings = []string{"what", "from", "to", "why", "sure"}

// maxChoices is how many places or names are offered of one thing.
const maxChoices = 5

// An Open row is a thing of which it is not known where it goes.
type Open struct {
	What, From, Why string
	Could           []string
	Alike           string // what it has in common with others that are open: those stand together
}

// A Row is one row of a plan.
type Row struct {
	Number         int // in its table
	What, From, To string
	Why            string
}

// Rows describes changes and what is open: the cell that decides is empty where nobody can know, and what
// could be meant stands behind, the likeliest first. Prefix is what stands in front of the paths of a place, own
// names the program's own files, which are left out, and sure says which changes follow
// from what is known. The first row holds the headings.
func Rows(changes []change.Change, open []Open, prefix func(in int) string, own func(path string) bool) [][]string {
	rows := [][]string{slices.Clone(Headings)}
	at := func(in int, p string, kind tree.Kind) string {
		p = "./" + path.Join(prefix(in), p)
		if kind == tree.Folder {
			p += "/"
		}
		return p
	}
	for i := range changes {
		c := &changes[i]
		word := "sure"
		if c.Probable {
			word = "probable"
		}
		var from, to string
		switch kind := c.Kind(); c.Op {
		case change.Make:
			c.Each(func(p string, n *tree.Node) bool {
				if !own(p) {
					rows = append(rows, []string{"make", "", at(c.In, p, n.Kind), c.Why, word})
				}
				return true
			})
			continue
		case change.Remove:
			from = at(c.In, c.Path, kind)
		case change.Replace:
			to = at(c.In, c.Path, kind)
		default:
			from, to = at(c.FromIn, c.From, kind), at(c.In, c.Path, kind)
		}
		if own(c.Path) {
			continue
		}
		row := []string{c.Op.String(), from, to, c.Why, word}
		if c.Probable && to != "" {
			row[2] = ""
			row = append(row, to)
			for _, other := range c.Or[:min(len(c.Or), maxChoices-1)] {
				row = append(row, at(c.In, other, c.Kind()))
			}
		}
		rows = append(rows, row)
	}
	open = slices.Clone(open) // so that one decision can be filled down
	slices.SortStableFunc(open, func(a, b Open) int {
		return cmp.Or(strings.Compare(strings.Join(a.Could, "\x00"), strings.Join(b.Could, "\x00")), strings.Compare(a.Alike, b.Alike))
	})
	for _, o := range open {
		rows = append(rows, append([]string{o.What, o.From, "", o.Why, ""}, o.Could[:min(len(o.Could), maxChoices)]...))
	}
	return even(rows)
}

// Choices are what a spreadsheet offers in the cell that decides of each row.
func Choices(rows [][]string) (lists []table.List) {
	if n := len(rows[0]); n > len(Headings) {
		lists = append(lists, table.List{Column: slices.Index(Headings, "to"), From: len(Headings), To: n - 1})
	}
	return lists
}

// even gives all rows the columns of the choices that some have.
func even(rows [][]string) [][]string {
	choices := 0
	for _, row := range rows {
		choices = max(choices, len(row)-len(Headings))
	}
	for n := range choices {
		rows[0] = append(rows[0], fmt.Sprintf("choice %d", n+1))
	}
	for i := range rows {
		for len(rows[i]) < len(Headings)+choices {
			rows[i] = append(rows[i], "")
		}
	}
	return rows
}

// names of columns that mean the same.
var columns = map[string]string{
	"what": "what", "op": "what", "action": "what", "from": "from", "old": "from", "old path": "from", "source": "from",
	"to": "to", "new": "to", "new path": "to", "target": "to", "why": "why", "sure": "sure",
}

// Read reads the rows of a table: its columns may stand in any order, and be called as
// people call them. Others are passed by. The error says that no paths can be found.
func Read(t *table.Table) ([]Row, error) {
	at := map[string]int{}
	for i, heading := range t.Headings {
		if name := columns[strings.ToLower(strings.TrimSpace(heading))]; name != "" {
			if _, twice := at[name]; !twice {
				at[name] = i
			}
		}
	}
	if _, known := at["to"]; !known {
		return nil, fmt.Errorf("it has no column called to: a plan has the columns from and to, and may have what, why and sure")
	}
	var rows []Row
	for i := range t.Rows {
		r := &t.Rows[i]
		if r.Empty() {
			continue
		}
		text := func(name string) string {
			k, known := at[name]
			if !known || k >= len(r.Cells) {
				return ""
			}
			return r.Cells[k].Text
		}
		rows = append(rows, Row{r.Number, strings.ToLower(strings.TrimSpace(text("what"))), text("from"), text("to"), text("why")})
	}
	return rows, nil
}

// A Problem is why a row cannot be carried out.
type Problem struct {
	Row     int
	Message string
}

// A Planned set is what rows say, with the row of each change.
type Planned struct {
	Set     change.Set
	Rows    []int // of the changes; 0 for folders on the way
	Skipped []Row // those that another command does, or that say nothing
}

// A Disk is the place that a plan is for.
type Disk interface {
	Look(path string) (tree.Entry, error)
	// Tree returns all that lies in a folder; what cannot be read is an error.
	Tree(path string) (*tree.Node, error)
	// Sum returns the checksum of a file, or of where a link leads.
	Sum(path string) (string, error)
	// Own names the program's own files.
	Own(path string) bool
}

// Set makes the changes of rows, in a place: moves, copies of files, folders that are
// put into others, and new folders, with those on the way that are not there yet. What
// the rows say among themselves is checked here; what stands in the way on the disk is
// found by whoever carries the set out.
func Set(rows []Row, base string, disk Disk) (*Planned, []Problem) {
	r := &reading{Planned: &Planned{Set: change.Set{Places: []address.Address{address.Address(base)}}}, disk: disk, from: map[string]int{}, to: map[string]int{}}
	for _, row := range rows {
		r.row(row)
	}
	t := &transition{map[string]*change.Change{}, r.from}
	for i := range r.Set.Changes {
		c := &r.Set.Changes[i]
		t.to[c.Path] = c
		if _, goes := r.from[c.Path]; c.Op == change.Move && c.Was.Kind == tree.Folder && !goes {
			if e, err := disk.Look(c.Path); err == nil && e.Kind == tree.Folder {
				r.problems = append(r.problems, Problem{r.Rows[i], fmt.Sprintf("“%s” is there already%s", c.Path, orMerge(c.From, tree.Folder))})
			}
		}
	}
	problems := append(r.problems, r.merge(r.merges, disk, t)...)
	slices.SortStableFunc(problems, func(a, b Problem) int { return cmp.Compare(a.Row, b.Row) })
	r.onTheWay(disk.Look, t)
	return r.Planned, problems
}

// A reading makes changes of rows.
type reading struct {
	*Planned
	disk     Disk
	problems []Problem
	merges   []merging
	from, to map[string]int // the rows, by what they move, and by what they make, folded
}

// row makes the change of one row, or says why there is none.
func (r *reading) row(row Row) {
	tell := func(format string, args ...any) {
		r.problems = append(r.problems, Problem{row.Number, fmt.Sprintf(format, args...)})
	}
	source, _, bad := clean(row.From)
	target, folder, worse := clean(row.To)
	if why := cmp.Or(bad, worse, r.owned(source, target)); why != "" {
		tell("%s", why)
		return
	}
	switch {
	case target == "" || slices.Contains([]string{"replace", "remove", "note"}, row.What), row.What == "make" && source == "" && !folder:
		r.Skipped = append(r.Skipped, row)
		return
	}
	kind, why := r.source(row, source)
	if why != "" {
		tell("%s", why)
		return
	}
	if target = under(target, source, folder && kind != tree.Folder); source == target {
		r.Skipped = append(r.Skipped, row)
		return
	}
	if row.What == "merge" {
		if kind != tree.Folder || source == "" {
			tell("only a folder can be put into another one, and “%s” is none", source)
			return
		}
		r.merges = append(r.merges, merging{row, source, target})
		return
	}
	if first, twice := r.to[tree.Folded(target)]; twice {
		tell("“%s” is made by row %d as well%s", target, first, orMerge(source, kind))
		return
	}
	r.to[tree.Folded(target)] = row.Number
	set := &r.Set
	switch from, to := (change.At{Path: source}), (change.At{Path: target}); {
	case source == "":
		if e, err := r.disk.Look(target); err == nil && e.Kind == tree.Folder {
			r.Skipped = append(r.Skipped, row)
			return
		}
		set.MakeFolder(to, row.Why)
	case row.What == "copy" && kind != tree.File:
		tell("“%s” is %s, and only files are copied", source, kind.Article())
		return
	case row.What == "copy":
		set.Copy(from, to, change.Is(kind), row.Why)
	case kind == tree.Folder && strings.HasPrefix(target, source+"/"):
		tell("“%s” cannot be moved into itself", source)
		return
	default:
		set.Move(from, to, change.Is(kind), row.Why)
	}
	r.Rows = append(r.Rows, row.Number)
}

// under is where something goes that was given a folder alone: into that, under its own name.
func under(target, source string, folder bool) string {
	if folder && source != "" {
		return path.Join(target, path.Base(source))
	}
	return target
}

// owned says that one of the paths is the program's own.
func (r *reading) owned(source, target string) string {
	switch {
	case r.disk.Own(source):
		return fmt.Sprintf("“%s” is the program's own, and goes with its folder", source)
	case r.disk.Own(target):
		return fmt.Sprintf("“%s” is a name of the program's own", target)
	}
	return ""
}

// source looks at what a row moves or copies. Why says that it cannot be; of a row that only
// makes a folder, it is that.
func (r *reading) source(row Row, at string) (kind tree.Kind, why string) {
	if at == "" {
		return tree.Folder, ""
	}
	e, err := r.disk.Look(at)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return 0, fmt.Sprintf("there is no “%s”", at)
	case err != nil:
		return 0, fmt.Sprintf("“%s” cannot be looked at: %v", at, err)
	case e.Kind == tree.Other:
		return 0, fmt.Sprintf("“%s” is %s", at, e.Kind.Article())
	case row.What == "copy":
		return e.Kind, ""
	}
	if first, twice := r.from[at]; twice {
		return 0, fmt.Sprintf("“%s” is moved by row %d as well", at, first)
	}
	r.from[at] = row.Number
	return e.Kind, ""
}

// orMerge says what to write to have a folder put into another one.
func orMerge(source string, kind tree.Kind) string {
	if source == "" || kind != tree.Folder {
		return ""
	}
	return "; to put the two folders together, write merge under what"
}

// A transition knows what has which path before and after.
type transition struct {
	to   map[string]*change.Change // by the new paths
	from map[string]int            // the rows by which something goes away, by the old paths
}

// before returns the old path of what will have a path, or "" where that goes away or
// only comes about.
func (t *transition) before(at string) string {
	for to := at; to != "."; to = path.Dir(to) {
		if c := t.to[to]; c != nil {
			if c.Op != change.Move {
				return ""
			}
			return c.From + at[len(to):]
		}
	}
	for from := at; from != "."; from = path.Dir(from) {
		if _, goes := t.from[from]; goes {
			return ""
		}
	}
	return at
}

// onTheWay adds the folders that targets lie in, and that nothing makes yet.
func (p *Planned) onTheWay(look func(path string) (tree.Entry, error), t *transition) {
	made := map[string]bool{}
	var dirs []string
	for i := range p.Set.Changes {
		if p.Set.Changes[i].Op == change.Remove {
			continue
		}
		for dir := path.Dir(p.Set.Changes[i].Path); dir != "." && !made[dir]; dir = path.Dir(dir) {
			if c := t.to[dir]; c != nil {
				break // what comes about itself
			}
			if old := t.before(dir); old != "" {
				if e, err := look(old); err == nil && e.Kind == tree.Folder {
					break
				}
			}
			made[dir] = true
			dirs = append(dirs, dir)
		}
	}
	slices.Sort(dirs)
	for _, dir := range dirs {
		p.Set.Changes, p.Rows = append(p.Set.Changes, change.Change{Op: change.Make, Path: dir, Node: &tree.Node{Name: path.Base(dir)}}), append(p.Rows, 0)
	}
}

// clean takes a path from a cell: from the folder of the plan, with slashes. One that
// begins with ./ is as it was written; people may write others with backslashes, and
// with spaces around them.
func clean(cell string) (at string, folder bool, bad string) {
	if at = cell; !strings.HasPrefix(cell, "./") {
		at = strings.ReplaceAll(strings.TrimPrefix(strings.TrimSpace(cell), "'"), `\`, "/")
	}
	if at == "" {
		return "", false, ""
	}
	folder = strings.HasSuffix(at, "/")
	if strings.HasPrefix(at, "/") || len(at) > 1 && at[1] == ':' {
		return "", false, fmt.Sprintf("“%s” is a path of its own; a plan speaks of what lies below its folder", cell)
	}
	if at = path.Clean(at); at == ".." || strings.HasPrefix(at, "../") || !change.Local(at) {
		return "", false, fmt.Sprintf("“%s” leads out of the folder of the plan", cell)
	}
	return at, folder, ""
}

// Proposal returns what is done, with a step for each row.
func (p *Planned) Proposal() *proposal.Proposal {
	out := &proposal.Proposal{Set: &p.Set, Roots: []journal.Root{{Path: "."}}}
	part := out.Part(p.Set.Places[0])
	for i := range p.Set.Changes {
		s := proposal.One(&p.Set.Changes[i])
		s.Why, s.Row = p.Set.Changes[i].Why, p.Rows[i]
		part.Add(s)
	}
	var stays, others []Row
	for _, row := range p.Skipped {
		if row.To == "" && row.From != "" && (row.What == "move" || row.What == "copy" || row.What == "") {
			stays = append(stays, row)
		} else {
			others = append(others, row)
		}
	}
	rows := func(list []Row, one, several string) string {
		if len(list) == 1 {
			return fmt.Sprintf("row %d %s", list[0].Number, one)
		}
		return fmt.Sprintf("%d rows %s", len(list), several)
	}
	if len(stays) > 0 {
		out.Remark(rows(stays, "says nowhere to go: that stays as it is", "say nowhere to go: that stays as it is"))
	}
	if len(others) > 0 {
		out.Remark(rows(others, "is", "are") + " left out: what is so already, and what only the command does that has written the plan")
	}
	return out
}
