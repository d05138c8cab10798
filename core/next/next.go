// Package next plans what goes along when a project is carried forward to its next
// period: what lies under lines with `carry`, with names that a convention reads written
// with the new values. It only plans.
package next

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Job is a project that is carried forward.
type Job struct {
	Template *template.Template
	Old, New template.Values // complete
	Full     *tree.Node      // all that lies in the old project
	Seen     *tree.Node      // the same without what is passed by
	Limit    int
	Now      time.Time
	Stands   bool // the new project is there already: what it has is its own, and nothing is made anew
}

// A Step is one thing that goes along. Paths are from the two own folders.
type Step struct {
	From, To string
	Kind     tree.Kind
	Moves    bool // it leaves the old project; else it is copied
	Why      string
}

// A Plan is what goes along to the next period.
type Plan struct {
	Steps  []*Step
	Root   *tree.Node // what the template makes for the new values, without what is carried
	Own    string     // the new own folder in it
	Unread []string   // files whose names hold the old period, and that no convention reads: where they come to lie
	Left   int        // files that do not go along
	Unhad  int        // files that would, but for their folder, which the new period does not have
}

// A PeriodError says why it is not clear what goes on, and which fields could.
type PeriodError struct {
	Why    string
	Fields []*template.Field
	Later  *template.Field // the period of a folder that is kept for later: that is added
}

// Error says it.
func (e *PeriodError) Error() string { return e.Why }

// Period is the field that stands for time: the only month, quarter, week, term or year.
// The error is a [PeriodError].
func Period(t *template.Template) (*template.Field, error) {
	var found, others []*template.Field
	var names []string
	later, kept := "", (*template.Field)(nil)
	for _, f := range t.Fields {
		switch {
		case f.Made() || f.Borrowed:
		case !f.Needed() && t.LaterOf(f) != nil:
			if l := t.LaterOf(f); f.Type.Kind.Calendar() || f.Type.Kind == value.Term {
				later, kept = fmt.Sprintf(" of the project: %s is that of line %d, “%s”, which is kept for later", f.Name, l.Syntax.Number, l.Syntax.Name), f
			}
		case f.Type.Kind == value.Date || f.Type.Kind == value.Number:
			others = append(others, f)
		case f.Type.Kind.Calendar() || f.Type.Kind == value.Term:
			found = append(found, f)
			names = append(names, f.Name)
		}
	}
	switch len(found) {
	case 0:
		return nil, &PeriodError{"no field of the template is a month, quarter, week, term or year" + later, others, kept}
	case 1:
		return found[0], nil
	}
	return nil, &PeriodError{"several fields are periods: " + strings.Join(names, ", "), found, nil}
}

// planner is one plan that is made.
type planner struct {
	*Job
	plan    *Plan
	old     *match.Wanted
	new     *match.Wanted
	reads   *naming.Folders
	pairs   map[*tree.Node]*tree.Node // wanted nodes of the new period, by those of the old one
	real    map[*tree.Node]string     // where wanted nodes of the old period are
	wanted  map[string]*tree.Node     // and the other way round
	carried map[*tree.Node]bool       // of the new ones: they come from the old project
	periods []string                  // how the old period is written in names
	called  map[*tree.Node]carried    // the names of the files in a folder
}

// Make plans it. The error is that of the template.
func Make(j *Job) (*Plan, error) {
	p := &planner{Job: j, plan: &Plan{}, reads: naming.NewFolders(j.Template), pairs: map[*tree.Node]*tree.Node{}, real: map[*tree.Node]string{}, wanted: map[string]*tree.Node{}, carried: map[*tree.Node]bool{}, called: map[*tree.Node]carried{}}
	var err error
	if p.old, err = match.Of(j.Template, j.Old, j.Limit, j.Now); err != nil {
		return nil, err
	}
	if p.new, err = match.Of(j.Template, j.New, j.Limit, j.Now); err != nil {
		return nil, err
	}
	p.old.Matched = func(want, _ *tree.Node, at string, _ func(func(*match.Thing) bool) string) {
		if p.real[want] == "" {
			p.real[want], p.wanted[at] = at, want
		}
	}
	match.Compare(p.old, j.Seen)
	p.pair(p.old.Own, p.new.Own)
	p.periods = p.texts()
	whole := spot{want: p.old.Own, new: p.new.Own, sure: true}
	if line := j.Template.ClausesOf(p.old.Own); line != nil {
		whole.carry = line.Carry
	}
	p.walk(j.Full, "", whole)
	p.plan.Own, _ = j.Template.Own(p.new.Expansion.Root)
	p.plan.Root = p.without(p.new.Expansion.Root.Built())
	if j.Stands {
		p.plan.Root = leading(p.plan.Root, p.plan.Own)
	}
	return p.plan, nil
}

// pair finds, for what is wanted in the old period, the same in the new one: of the same
// line the same name, else the same place in its row.
func (p *planner) pair(old, new *tree.Node) {
	p.pairs[old] = new
	taken := map[*tree.Node]bool{}
	same := func(a, b *tree.Node) bool { return a.From == b.From && a.Nth == b.Nth }
	for _, byName := range []bool{true, false} {
		for _, o := range old.Children {
			if p.pairs[o] != nil || !byName && p.listed(o) {
				continue
			}
			// The place in the row counts among those of the line that are left.
			for _, n := range new.Children {
				if !taken[n] && same(o, n) && (!byName || o.Name == n.Name) {
					taken[n] = true
					p.pair(o, n)
					break
				}
			}
		}
	}
}

// listed reports whether something is one of a list, whose items are what they are called:
// nothing of Ola's goes to Ida, who has come in her place.
func (p *planner) listed(n *tree.Node) bool {
	line := p.Template.LineOf(n)
	return line != nil && line.OfList()
}

// A spot is a folder of the old project, and what it is in the new one.
type spot struct {
	want  *tree.Node // what it is by the template; nil of a person's own
	new   *tree.Node
	to    string // its path there
	carry template.Carry
	sure  bool // it has a place in the new project
}

// walk goes through a folder of the old project.
func (p *planner) walk(n *tree.Node, at string, here spot) {
	p.names(n, at)
	for _, c := range n.Children {
		path := path.Join(at, c.Name)
		below := p.below(c, path, here)
		kind := c.Kind
		if c.Marks&tree.Link != 0 {
			kind = tree.Symlink
		}
		if kind == tree.Folder {
			goes := below.carry != template.Unsaid && below.sure
			if goes && (below.new == nil || len(c.Children) == 0) {
				p.step(path, below, kind)
			}
			p.walk(c, path, below)
			continue
		}
		if c.Name == label.FileName && at == "" {
			continue
		}
		switch {
		case below.carry == template.Unsaid:
			p.plan.Left++
			continue
		case !below.sure:
			p.plan.Unhad++
			continue
		}
		if below.new != nil {
			p.carried[below.new] = true
		}
		p.step(path, below, kind)
	}
}

func (p *planner) step(from string, to spot, kind tree.Kind) {
	p.plan.Steps = append(p.plan.Steps, &Step{From: from, To: to.to, Kind: kind, Moves: to.carry == template.Moves, Why: "carry"})
}

// below is what an entry of a folder is.
func (p *planner) below(c *tree.Node, at string, here spot) spot {
	next := spot{carry: here.carry, sure: here.sure}
	if want := p.wanted[at]; want != nil {
		next.want, next.new = want, p.pairs[want]
		if line := p.Template.ClausesOf(want); line != nil && line.Carry != template.Unsaid {
			next.carry = line.Carry
		}
		if next.new == nil {
			next.sure = false // the new period has no such thing
			return next
		}
		next.to = path.Join(here.to, next.new.Name)
		if want.Marks&tree.Either != 0 && c.Kind != tree.Folder {
			next.to += strings.TrimPrefix(c.Name, want.Name)
		}
		return next
	}
	name, read := c.Name, true
	if c.Kind != tree.Folder {
		name, read = p.called[c].name, p.called[c].read
	} else {
		read = false
	}
	next.to = path.Join(here.to, name)
	if !read && next.carry != template.Unsaid && next.sure && slices.ContainsFunc(p.periods, func(text string) bool { return holds(name, text) }) {
		p.plan.Unread = append(p.plan.Unread, next.to)
	}
	return next
}

// without is a tree without the files that are carried.
func (p *planner) without(n *tree.Node) *tree.Node {
	out := *n
	out.Children = nil
	for _, c := range n.Children {
		if p.carried[c] && c.Kind != tree.Folder {
			continue
		}
		out.Children = append(out.Children, p.without(c))
	}
	return &out
}

// leading is a tree with nothing but the folders that lead to a path in it, and that one.
func leading(n *tree.Node, at string) *tree.Node {
	out := *n
	out.Children = nil
	first, rest, _ := strings.Cut(at, "/")
	if c := n.Child(first); c != nil {
		out.Children = []*tree.Node{leading(c, rest)}
	}
	return &out
}

// A Turn is a period and the one that follows it, as the values of a field.
type Turn struct {
	Field   string
	Was, Is value.Value
}
