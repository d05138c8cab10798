// Package upgrade plans what brings a project to another template, or to other values:
// what stands under another number or name is moved with all that it holds, what is new
// is made, files that the project was given and nobody has touched are brought up to
// date, and what is no longer asked for goes where it is empty. It only plans.
package upgrade

import (
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A Job is what a project is to be brought to.
type Job struct {
	Project  *project.Project
	Template *template.Template // the new one
	Values   template.Values    // the new ones, complete
	Full     *tree.Node         // all that lies in the project
	Seen     *tree.Node         // the same without what is passed by
	Sum      func(path string) (string, error)
	Named    bool                   // its own folder gets the name that its values say, whatever it is called
	Taken    bool                   // no template made it: what it holds is not explained by any yet
	CopyOf   address.Address        // the project that it was copied from by hand: it becomes one of its own; or ""
	Own      func(path string) bool // names the program's own files
	Limit    int
	Now      time.Time
}

// A Step is one thing that an upgrade does, or leaves to a person.
type Step struct {
	proposal.Step // of the project's own folder: what is removed may have the path at which the same lies

	kind    tree.Kind
	thing   *match.Thing
	node    *tree.Node
	sum     string // of what is replaced or removed
	equal   bool   // it goes because the same lies at To
	written string // the checksum of what is written, where that is another text
	final   func(chosen func(*match.Thing) bool) string
}

// A Stay is something that is left as it is, and why.
type Stay struct {
	Path, Why string
	Unasked   bool // it is no longer asked for
}

// A Plan is what an upgrade will do.
type Plan struct {
	Steps []*Step
	Stays []Stay
	// Name is what the project's own folder is called, and Becomes what it will be: with the
	// folders on the way from the place of the build, joined by slashes, where these are
	// others by the new values.
	Name, Becomes string
	// above is the folder above the project that moves as a whole, and becomesAbove what it will be.
	above, becomesAbove string
	Label               *label.Label // as it will be, when all is done that is sure

	written []template.Change // values that cannot stand in names as they are, and could before

	job     *Job
	matched map[*tree.Node]matched
	before  map[*tree.Node]*tree.Node // what was wanted by the old template and values, by what is there
	given   map[string]string         // of files that stay or come, by their new paths
	targets []target
	links   *links

	known   *memories
	moving  map[string]*match.Thing // what gets another name or place, by its path
	origin  map[string]string       // where what is put together lies, by its path in the trees
	why     map[string]string       // the same for why it is moved
	emptied []*Step                 // what goes when folders have been put together
	apart   []Stay                  // folders that cannot be
}

// A matched entry is one that is wanted.
type matched struct {
	want *tree.Node
	at   string
}

// A target is a wanted file or link that is there.
type target struct {
	want *tree.Node
	real *tree.Node
	path string
	to   func(chosen func(*match.Thing) bool) string
}

// A Planner plans upgrades one after another. It remembers what templates have to do with
// each other.
type Planner struct {
	pairs map[[2]*template.Template]*correspondence
	rules map[*template.Template]*rules.Set
}

// correspond is as the function of that name.
func (pl *Planner) correspond(old, new *template.Template, folder *template.Line) *correspondence {
	key := [2]*template.Template{old, new}
	c := pl.pairs[key]
	if c == nil {
		if pl.pairs == nil {
			pl.pairs = map[[2]*template.Template]*correspondence{}
		}
		c = correspond(old, new, folder)
		pl.pairs[key] = c
	}
	return c
}

// Plan plans an upgrade. What of the job's project is seen learns where it comes from.
func (pl *Planner) Plan(j *Job) (*Plan, error) {
	p := &Plan{job: j, origin: map[string]string{}, why: map[string]string{}, before: map[*tree.Node]*tree.Node{}}
	old, err := match.Of(j.Project.Template, j.Project.Values, j.Limit, j.Now)
	if err != nil {
		return nil, err
	}
	old.Closed, old.Refuses = j.Project.Label.Closed, j.Project.Label.Refuses
	old.Matched = func(want, real *tree.Node, _ string, _ func(func(*match.Thing) bool) string) { p.before[real] = want }
	for _, t := range match.Compare(old, j.Seen) { // has each entry know its old line
		if n := j.Seen.At(t.Path); t.Kind == match.Misnamed && !t.Sure && n != nil {
			forget(n) // that was only guessed, and is no more sure than it was
		}
	}
	w, err := match.Of(j.Template, j.Values, j.Limit, j.Now)
	if err != nil {
		return nil, err
	}
	w.Closed, w.Refuses = j.Project.Label.Closed, j.Project.Label.Refuses
	before, after := j.Project.Template.LineOf(old.Own), j.Template.LineOf(w.Own)
	lines := pl.correspond(j.Project.Template, j.Template, before)
	if before != nil && lines.to[before] != nil && lines.to[before] != after {
		return nil, &OwnError{source(lines.to[before])}
	}
	w.Follows = lines.follows(renamedItems(j.Template, j.Project.Values, j.Values))
	p.links = linksOf(w.Own)
	p.known = remember(j.Seen)
	var things []*match.Thing
	for some := true; some; { // until no two folders are one any more
		things = p.compare(w)
		if some = p.together(p.doubles(w, lines)); some {
			p.known.restore(j.Seen)
		}
	}
	p.names(old, w)
	for _, t := range things {
		if err := p.thing(t); err != nil {
			return nil, err
		}
		if t.Kind == match.Missing {
			p.links.lies(t.Node, t.Target, true)
		}
	}
	for _, t := range p.targets {
		if err := p.update(t); err != nil {
			return nil, err
		}
	}
	if err := p.dropped(j.Seen, j.Full, ""); err != nil {
		return nil, err
	}
	p.formerNames()
	p.gathered()
	p.Stays = append(p.Stays, p.apart...)
	if err := pl.judge(p, w); err != nil {
		return nil, err
	}
	p.relabel(w)
	return p, nil
}

// compare holds the project against what is wanted.
func (p *Plan) compare(w *match.Wanted) []*match.Thing {
	p.matched, p.given, p.targets = make(map[*tree.Node]matched, len(p.known.list)), map[string]string{}, nil
	w.Matched = func(want, real *tree.Node, at string, to func(chosen func(*match.Thing) bool) string) {
		p.matched[real] = matched{want, at}
		p.links.lies(want, to, false)
		if want.Kind != tree.Folder && want.Marks&tree.Due == 0 {
			p.targets = append(p.targets, target{want, real, at, to})
		}
	}
	things := match.Compare(w, p.job.Seen)
	p.moving = map[string]*match.Thing{}
	for _, t := range things {
		if t.Kind == match.Misnamed {
			p.moving[t.Path] = t
		}
	}
	return things
}

// forget takes from an entry, and all in it, what it is known by.
func forget(n *tree.Node) {
	n.From = 0
	for _, c := range n.Children {
		forget(c)
	}
}

// names settles what the own folder will be called: as the new values say, if it is
// called as the old ones said. What somebody has renamed keeps its name.
func (p *Plan) names(old, w *match.Wanted) {
	for _, c := range w.Expansion.Changes {
		if !slices.Contains(old.Expansion.Changes, c) {
			p.written = append(p.written, c)
		}
	}
	_, real := p.job.Project.Names(old.Expansion.Root)
	p.Name = path.Base(strings.ReplaceAll(string(p.job.Project.Dir), `\`, "/"))
	p.Becomes = p.Name
	before, _ := p.job.Project.Template.Own(old.Expansion.Root)
	after, _ := p.job.Template.Own(w.Expansion.Root)
	if len(real) == 0 || after == "." {
		return
	}
	switch is, will := path.Base(before), path.Base(after); {
	case (is == p.Name || p.job.CopyOf != "" || p.job.Named) && w.Own.Marks&tree.Open == 0:
		p.Becomes = will
	case is != will && will != p.Name: // by hand it got the name that its values say by now
		p.Stays = append(p.Stays, Stay{Path: ".", Why: "it was renamed by hand, and keeps that name; by its values it would be “" + will + "”"})
	}
	if path.Dir(before) == path.Dir(after) || w.Own.Marks&tree.Open != 0 {
		return
	}
	if way := path.Join(real[:len(real)-1]...); way != path.Dir(before) && (way != "" || path.Dir(before) != ".") {
		p.Stays = append(p.Stays, Stay{Path: ".", Why: "by its values it would lie in “" + path.Dir(after) + "”: the folders that it lies in were renamed by hand, so move it there yourself"})
		return
	}
	p.Name, p.Becomes = path.Join(path.Dir(before), p.Name), path.Join(path.Dir(after), p.Becomes)
}

// thing plans what a match has found.
func (p *Plan) thing(t *match.Thing) error {
	switch {
	case t.Kind == match.Missing && t.Reason == match.InTheWay:
		p.Stays = append(p.Stays, Stay{Path: t.Path, Why: "something else has the name of what is to be made here"})
	case t.Kind == match.Missing:
		if from := p.lacks(t.Node); from != "" {
			return &StarterError{t.Path, from}
		}
		p.Steps = append(p.Steps, &Step{Step: proposal.Step{Op: change.Make, To: t.Final(), Why: "new", Folder: t.Node.Kind == tree.Folder}, kind: t.Node.Kind, thing: t, node: t.Node.Built(), final: t.Target})
	case t.Kind == match.Stray && p.job.Taken:
		p.Stays = append(p.Stays, Stay{Path: t.Path, Why: "nothing in the template says what it is"})
	case t.Kind == match.Misnamed:
		kind := t.Node.Kind
		if t.Node.Marks&tree.Either != 0 {
			kind = tree.File
		}
		p.Steps = append(p.Steps, &Step{Step: proposal.Step{Op: change.Move, Probable: !t.Sure, From: p.lies(t.Path), To: t.Final(), Why: t.Reason.String(), Folder: kind == tree.Folder}, kind: kind, thing: t, final: t.Target})
	}
	return nil
}

func all(*match.Thing) bool { return true }

// dropped plans what becomes of what is no longer asked for: it goes where it is empty,
// or holds only what the project was given.
func (p *Plan) dropped(seen, full *tree.Node, at string) error {
	named := make(map[string]*tree.Node, len(full.Children))
	for _, n := range full.Children {
		named[n.Name] = n
	}
	for _, n := range seen.Children {
		here := path.Join(at, n.Name)
		whole := named[n.Name]
		switch {
		case whole == nil:
		case p.stands(n):
			if n.Kind == tree.Folder {
				if err := p.dropped(n, whole, here); err != nil {
					return err
				}
			}
		case n.From > 0:
			steps, holds, err := p.removal(whole, here)
			if err != nil {
				return err
			}
			if holds != "" && p.origin[here] != "" {
				continue // it was put there, and that is told
			}
			if holds != "" {
				p.Stays = append(p.Stays, Stay{p.lies(here), "it is no longer asked for, and " + holds, true})
				continue
			}
			p.Steps = append(p.Steps, steps...)
		}
	}
	return nil
}

// stands reports whether an entry is wanted.
func (p *Plan) stands(n *tree.Node) bool {
	_, is := p.matched[n]
	return is
}

// removal plans that something goes, the deepest first, or says why it cannot.
func (p *Plan) removal(n *tree.Node, at string) (steps []*Step, holds string, err error) {
	lies := p.lies(at)
	step := &Step{Step: proposal.Step{Op: change.Remove, From: lies, Why: "no longer asked for, and empty", Folder: n.Kind == tree.Folder}, kind: n.Kind}
	if n.Marks&tree.Link != 0 {
		step.kind = tree.Symlink
	}
	if n.Kind != tree.Folder {
		given, known := p.job.Project.Label.Given[lies]
		if !known {
			return nil, "it holds “" + n.Name + "”", nil
		}
		sum, err := p.job.Sum(lies)
		if err != nil {
			return nil, "", err
		}
		if sum != given {
			return nil, "“" + n.Name + "” was edited", nil
		}
		step.Why, step.sum = "no longer asked for, and nobody has touched it", given
		return []*Step{step}, "", nil
	}
	for _, c := range n.Children {
		if t := p.moving[path.Join(at, c.Name)]; t != nil && t.Sure {
			continue
		}
		inner, holds, err := p.removal(c, path.Join(at, c.Name))
		if err != nil || holds != "" {
			return nil, holds, err
		}
		steps = append(steps, inner...)
	}
	return append(steps, step), "", nil
}

// relabel makes the label as it will be.
func (p *Plan) relabel(w *match.Wanted) {
	l := *p.job.Project.Label
	l.Build = *label.NewBuild(p.job.Template, p.job.Values, l.Built, l.Version)
	if l.Lay = p.job.Project.Label.Lay; l.Text != p.job.Project.Label.Text {
		l.Laid(p.job.Template, p.job.Project.Dir)
	}
	if p.job.Template == p.job.Project.Template {
		l.Text = p.job.Project.Label.Text // with its starters, also where they are not at hand
	}
	l.Were = p.remembers()
	if l.Given = p.given; p.job.CopyOf != "" {
		l.ID = label.NewID()
	}
	for _, s := range p.Steps {
		if s.Op != change.Make {
			continue
		}
		made := change.Change{Op: change.Make, Path: s.thing.Final(), Node: p.links.made(s.node, all)}
		made.Each(func(at string, n *tree.Node) bool {
			if n.Kind != tree.Folder {
				if sum, err := journal.SumOf(n); err == nil {
					l.Given[at] = sum
				}
			}
			return true
		})
	}
	l.Accepted = slices.Clone(l.Accepted)
	for i := range l.Accepted {
		l.Accepted[i].Path = p.after(l.Accepted[i].Path)
	}
	if len(l.Closed) > 0 {
		closed := map[string]string{}
		for at, to := range l.Closed {
			closed[p.after(at)] = p.after(to)
		}
		l.Closed = closed
	}
	p.Label = &l
}

// after is where something comes to lie when all moves are done.
func (p *Plan) after(at string) string {
	longest := ""
	to := at
	for _, s := range p.Steps {
		if s.Op == change.Move && !s.Probable && (at == s.From || strings.HasPrefix(at, s.From+"/")) && len(s.From) > len(longest) {
			longest, to = s.From, s.To+at[len(s.From):]
		}
	}
	return to
}

// Nothing reports whether the project is as it is to be already.
func (p *Plan) Nothing() bool { return len(p.Steps) == 0 && p.Name == p.Becomes }

// Changes returns what the steps do that are sure or agreed to: paths are from the folder that
// the project's own folder lies in.
func (p *Plan) Changes() []change.Change {
	things := map[*match.Thing]bool{}
	for _, s := range p.Steps {
		if s.thing != nil && s.Goes() {
			things[s.thing] = true
		}
	}
	taken := func(t *match.Thing) bool { return things[t] }
	gathered := map[string]bool{}
	for _, s := range p.Steps {
		if s.Op == change.Move && s.thing == nil {
			gathered[s.From] = true
		}
	}
	var list []change.Change
	if p.Name != p.Becomes && !p.comesAlong() {
		list = append(list, change.Change{Op: change.Move, From: p.Name, Path: p.Becomes, Was: change.State{Entry: tree.Entry{Kind: tree.Folder}}, Why: "by its values"})
	}
	for _, s := range p.Steps {
		if !s.Goes() {
			continue
		}
		c := change.Change{Op: s.Op, Probable: s.Probable, Why: s.Why, Was: change.State{Entry: tree.Entry{Kind: s.kind}}}
		switch s.Op {
		case change.Make:
			c.Path, c.Node = p.Becomes+"/"+s.final(taken), p.links.made(s.node, taken)
		case change.Move:
			c.From, c.Path = p.Name+"/"+s.From, p.Becomes+"/"+s.final(taken)
			if c.From == c.Path || s.thing != nil && gathered[s.From] {
				continue
			}
		case change.Replace:
			c.Path, c.Content, c.Was.Sum = p.Becomes+"/"+s.final(taken), s.node.Content, s.sum
			if s.kind == tree.Symlink {
				c.Content = p.links.made(s.node, taken).Content
			} else if c.Content == nil {
				c.Content = tree.Bytes(nil)
			}
		case change.Remove:
			if c.Path, c.Was.Sum = p.Name+"/"+s.From, s.sum; s.To != "" {
				c.Instead, c.Equal = p.Becomes+"/"+s.To, s.equal
			}
		}
		list = append(list, c)
	}
	return list
}
