package cli

import (
	"errors"
	"fmt"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/change"
	"vestibula/core/forward"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/order"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A nextRun is one call of next.
type nextRun struct {
	*app
	consent
	count            int
	from, convention string
	by, into         string
	archive          string   // the folder that the old project goes to
	away             *awayRun // how it goes there

	templates map[string]*template.Template // by their texts
	builds    []*buildRun                   // of projects of one template in one place
	turns     []*turn                       // of all projects
	set       *change.Set
	roots     []journal.Root
	begun     int // files that are there already
}

// A turn is one period that a project is carried forward to.
type turn struct {
	project *project.Project // nil of a folder that no template made
	old     string           // its own folder, from the place that is built in
	values  template.Values
	plan    *forward.Plan
	build   *batch.Build
	goes    []*forward.Step // those whose place is free
}

func (a *app) nextCommand() *cobra.Command {
	r := &nextRun{app: a}
	c := &cobra.Command{
		Use:   "next PROJECT… [field=value …]",
		Short: "Carry projects forward to their next period.",
		Long: `Carry projects forward to their next period: the month, quarter, week, term or year of each
goes one on, unless you say which. It is made anew by its template beside the old one; what
lies under lines with “carry” comes along; names that a naming convention reads are written
with the new values, and other names stay as they are. What is begun already in the new
one stays.

With --from it is done for a folder that no template made: its files are copied, and names
that the convention reads are written anew.`,
		Example: `  vestibula next "Books 2027"
  vestibula next "Case Binding 2027 2 Spring" term="2027 autumn" --preview
  vestibula next "2027-01" --count 11
  vestibula next Courses/*Autumn --archive "Past courses"
  vestibula next --from "March" --template ledger --convention statement --into April`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	r.addYes(c, "carry it forward without asking")
	r.addPlan(c)
	c.Flags().BoolVar(&r.preview, "preview", false, "show what would be done, and change nothing")
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	c.Flags().IntVar(&r.count, "count", 1, "`N` periods, one after the other")
	c.Flags().StringVar(&r.from, "from", "", "a folder `DIR` that no template made")
	c.Flags().StringVar(&r.convention, "convention", "", "with --from: the `NAME` of the convention that reads its names")
	c.Flags().StringVar(&r.by, "template", "", "with --from: the `TEMPLATE` that has it")
	c.Flags().StringVar(&r.into, "into", "", "with --from: the new folder `DIR`")
	c.Flags().StringVar(&r.archive, "archive", "", "move the old project into the folder `DIR` afterwards, as archive does")
	_ = c.MarkFlagDirname("from")
	_ = c.MarkFlagDirname("archive")
	c.ValidArgsFunction = a.completeProject
	_ = c.RegisterFlagCompletionFunc("template", a.completeTemplates)
	return c
}

func (r *nextRun) run(args []string) error {
	if r.count < 1 || r.count > 1000 {
		return unclear("", "--count is from 1 to 1000")
	}
	var words, values []string
	for i, arg := range args {
		if strings.Contains(arg, "=") && (i > 0 || !isThere(arg)) {
			values = append(values, arg)
			continue
		}
		words = append(words, arg)
	}
	raw, err := rawArgs(values)
	if err != nil {
		return err
	}
	if r.from != "" {
		return r.loose(words, raw)
	}
	if len(words) == 0 {
		words = []string{"."}
	}
	r.templates = map[string]*template.Template{}
	for _, at := range words {
		p, err := r.open(at)
		if err != nil {
			return err
		}
		if err := r.plan(p, raw); err != nil {
			return err
		}
	}
	if err := r.makeBuilds(); err != nil {
		return err
	}
	for _, b := range r.builds {
		defer b.place.Close()
	}
	if r.archive != "" {
		if err := r.addArchive(); err != nil {
			return err
		}
	}
	return r.carryOut()
}

// open opens a project.
func (r *nextRun) open(at string) (*project.Project, error) {
	p, rest, err := r.projectAt(at)
	if err != nil {
		return nil, err
	}
	if rest != "" && rest != "." {
		return nil, unclear("name the project itself", "%s is a folder in the project %s", at, fromHere(p.Dir))
	}
	if slices.ContainsFunc(r.turns, func(t *turn) bool { return t.project.Dir == p.Dir }) {
		return nil, unclear("", "%s is named twice", at)
	}
	return p, nil
}

// plan plans all periods of a project, by the template of today.
func (r *nextRun) plan(p *project.Project, raw map[string]template.Raw) error {
	t, _, err := r.today(p)
	if err != nil {
		return err
	}
	if known := r.templates[t.Name+"\x00"+t.Text]; known != nil {
		t = known
	}
	r.templates[t.Name+"\x00"+t.Text] = t
	old := template.Values{}
	for name, v := range p.Label.Raw() {
		if f := t.Field(name); f != nil && !f.Made() {
			if value, err := f.Parse(v, r.now); err == nil {
				old[name] = value
			}
		}
	}
	given, errs := t.ParseValues(raw, r.now)
	if len(errs) > 0 {
		return badValues(errs)
	}
	period, err := r.period(p, t, given, old)
	if err != nil {
		return err
	}
	full, _, err := r.reading(p.Dir)
	if err != nil {
		return unreadable(p.Dir, err)
	}
	last := old
	for n := range r.count {
		values := maps.Clone(last)
		maps.Copy(values, given)
		if _, is := given[period.Name]; !is || n > 0 {
			v, ok := last[period.Name].Shift(1, &period.Type)
			if !ok || !last[period.Name].Given() {
				return refused(fmt.Sprintf("say which: %s=…", period.Name), "there is no %s after %s", period.Type.Kind, last[period.Name])
			}
			values[period.Name] = v
		}
		last = values
		if lacking := t.Missing(values); len(lacking) > 0 {
			return missing(t.Name, lacking)
		}
		seen, err := inspect.Seen(full, t)
		if err != nil {
			return err
		}
		job := &forward.Job{Template: t, Old: t.Complete(old.Clone(), r.now), New: t.Complete(values.Clone(), r.now), Full: full, Seen: seen, Limit: max(template.DefaultLimit, 10*full.Count()), Now: r.now}
		plan, err := forward.Make(job)
		if err != nil {
			return r.tellErrors(t.Name, t.Text, err, statusFound)
		}
		if slices.ContainsFunc(plan.Steps, func(s *forward.Step) bool { return s.Moves }) && r.count > 1 {
			return refused("carry it forward one period at a time", "what lies under “carry: moves” can go along once only")
		}
		build := &batch.Build{Template: t, Row: len(r.turns) + 1, Values: job.New, Root: plan.Root}
		r.turns = append(r.turns, &turn{project: p, values: job.New, plan: plan, build: build})
	}
	return nil
}

// period is the field that goes on: the only one, or the one that is given or asked for.
func (r *nextRun) period(p *project.Project, t *template.Template, given, old template.Values) (*template.Field, error) {
	f, err := forward.Period(t)
	var unclearPeriod *forward.PeriodError
	if !errors.As(err, &unclearPeriod) {
		return f, err
	}
	var named []*template.Field
	for name := range given {
		if f := t.Field(name); f != nil && (f.Type.Kind.Calendar() || f.Type.Kind == value.Number) {
			named = append(named, f)
		}
	}
	switch {
	case len(named) == 1:
		return named[0], nil
	case len(named) == 0 && len(given) > 0 && r.count == 1:
		for name := range given {
			return t.Field(name), nil
		}
	}
	fields := unclearPeriod.Fields
	if len(fields) == 0 {
		return nil, unclear("say what is another one, as in month=2027-04", "%v", err)
	}
	if len(fields) == 1 && r.interactive() && !r.asJSON {
		if err := r.askFields(fields, given); err != nil {
			return nil, err
		}
		return fields[0], nil
	}
	var ways []string
	for _, f := range fields {
		next := "…"
		if v, ok := old[f.Name].Shift(1, &f.Type); ok && old[f.Name].Given() {
			next = v.String()
		}
		ways = append(ways, advise("", "next", typed(fromHere(p.Dir)), f.Name+"="+next).String())
	}
	return nil, unclear("say what it is to be, for example:\n"+strings.Join(ways, "\n"), "%v", err)
}

// makeBuilds plans the building of the new projects, and what goes along: those of one
// template in one place together, as they may meet in what they share.
func (r *nextRun) makeBuilds() error {
	r.set = &change.Set{}
	bases := map[*turn]string{}
	for _, t := range r.turns {
		x, err := t.project.Template.Tree(t.project.Values, template.DefaultLimit)
		if err != nil {
			return refused("", "%v", err)
		}
		bases[t] = t.project.Base(x.Root)
	}
	done := map[*turn]bool{}
	for _, first := range r.turns {
		if done[first] {
			continue
		}
		var together []*turn
		for _, t := range r.turns {
			if !done[t] && bases[t] == bases[first] && t.build.Template == first.build.Template {
				together = append(together, t)
				done[t] = true
			}
		}
		if err := r.makeBuild(bases[first], together); err != nil {
			return err
		}
	}
	r.roots = apartFrom(r.set, r.roots)
	return nil
}

// makeBuild plans the building of some of them, into one folder.
func (r *nextRun) makeBuild(base string, turns []*turn) error {
	t := turns[0].build.Template
	b := &buildRun{app: r.app, consent: r.consent, what: "new period", into: base, t: t}
	b.flags.limit = template.DefaultLimit
	r.builds = append(r.builds, b)
	if err := b.openPlace(); err != nil {
		return err
	}
	var builds []*batch.Build
	taken := map[string]bool{}
	for _, turn := range turns {
		rel, err := filepath.Rel(b.place.Real, turn.project.Dir)
		if err != nil {
			return err
		}
		turn.old = filepath.ToSlash(rel)
		taken[turn.old] = true
	}
	for _, turn := range turns {
		if taken[turn.plan.Own] {
			return refused("its name has to show what goes on", "the next one would be the same folder: %s", turn.plan.Own)
		}
		taken[turn.plan.Own] = true
		builds = append(builds, turn.build)
		turn.plan.Root.Share()
	}
	b.batch = batch.Of(t, builds)
	b.tree = &template.Expansion{Root: b.batch.Root()}
	if err := b.compare(); err != nil {
		return err
	}
	if b.plan.Count[build.Blocked] > 0 {
		var lines []string
		for i := range b.plan.Steps {
			if s := &b.plan.Steps[i]; s.State == build.Blocked {
				lines = append(lines, fmt.Sprintf("%s: %s", b.plan.Path(i), s.Why))
			}
		}
		return refused("", "Nothing was changed: %s", severalLines(strings.Join(few(lines), "\n")))
	}
	b.batch.CountSteps(b.plan)
	if err := r.addCarried(b, turns); err != nil {
		return err
	}
	in := func(i int) int {
		if k := slices.Index(r.set.Places, b.set.Places[i]); k >= 0 {
			return k
		}
		r.set.Places = append(r.set.Places, b.set.Places[i])
		return len(r.set.Places) - 1
	}
	for _, c := range b.set.Changes {
		c.In, c.FromIn = in(c.In), in(c.FromIn)
		r.set.Changes = append(r.set.Changes, c)
	}
	for _, root := range b.roots {
		root.In = in(root.In)
		r.roots = append(r.roots, root)
	}
	return nil
}

// addCarried adds to the set of a build what goes along.
func (r *nextRun) addCarried(b *buildRun, turns []*turn) error {
	way := b.set.Way(func(at change.At) bool { _, err := b.place.Look(at.Path); return err == nil })
	for i := range b.plan.Steps {
		if b.plan.Steps[i].Node.Kind == tree.Folder {
			way.Knows(change.At{Path: b.plan.Path(i)})
		}
	}
	for _, turn := range turns {
		if err := r.bring(&b.set, way, change.At{Path: turn.old}, change.At{Path: turn.plan.Own}, turn); err != nil {
			return err
		}
	}
	return nil
}

// bring adds what brings the steps of a turn from one folder to another. What is begun there
// stays.
func (r *nextRun) bring(set *change.Set, way *change.Way, from, to change.At, t *turn) error {
	onDisk := func(at change.At) string { return filepath.Join(set.Places[at.In], filepath.FromSlash(at.Path)) }
	taken := map[string]string{}
	for _, s := range t.plan.Steps {
		old, new := from.Below(s.From), to.Below(s.To)
		if s.Kind == tree.Folder {
			way.To(new, "carry")
			continue
		}
		if other, twice := taken[tree.Folded(new.Path)]; twice {
			return refused("give one of them another name first", "two files would get one name: %s and %s would both be %s", other, s.From, s.To)
		}
		taken[tree.Folded(new.Path)] = s.From
		if isThere(onDisk(new)) {
			r.begun++
			continue
		}
		way.To(change.At{In: new.In, Path: path.Dir(new.Path)}, "carry")
		switch {
		case s.Moves:
			set.Move(old, new, change.Is(s.Kind), s.Why)
		case s.Kind == tree.Symlink:
			target, err := os.Readlink(onDisk(old))
			if err != nil {
				return refused("", "%s cannot be read: %s", s.From, place.Reason(err))
			}
			set.MakeLink(new, target, s.Why)
		default:
			set.Copy(old, new, change.Is(s.Kind), s.Why)
		}
		t.goes = append(t.goes, s)
	}
	return nil
}

// addArchive adds to the set that the old project goes to its archive: the turn of a term
// is one step, with one undo.
func (r *nextRun) addArchive() error {
	r.away = &awayRun{app: r.app, into: r.archive, lists: map[string]*awayList{}, moved: map[string]bool{}}
	var dirs []string
	for _, t := range r.turns {
		if !slices.Contains(dirs, t.project.Dir) {
			dirs = append(dirs, t.project.Dir)
		}
	}
	if err := r.away.open(dirs); err != nil {
		return err
	}
	for _, g := range r.away.goes {
		moved := map[string]bool{}
		for _, t := range r.turns {
			for _, s := range t.goes {
				if s.Moves && t.project.Dir == g.from {
					moved[s.From] = true
					r.away.moved[filepath.Join(g.from, filepath.FromSlash(s.From))] = true
				}
			}
		}
		g.note.Files = slices.DeleteFunc(g.note.Files, func(f string) bool { return moved[f] })
	}
	set, err := r.away.set()
	if err != nil {
		return err
	}
	in := func(i int) int {
		if k := slices.Index(r.set.Places, set.Places[i]); k >= 0 {
			return k
		}
		r.set.Places = append(r.set.Places, set.Places[i])
		return len(r.set.Places) - 1
	}
	for _, c := range set.Changes {
		c.In, c.FromIn = in(c.In), in(c.FromIn)
		r.set.Changes = append(r.set.Changes, c)
	}
	r.roots = apartFrom(r.set, r.roots)
	return nil
}

// carried is how many things go along.
func (r *nextRun) carried() (n int) {
	for _, t := range r.turns {
		n += len(t.goes)
	}
	return n
}

func (r *nextRun) carryOut() error {
	if len(r.set.Changes) == 0 {
		return r.nothing()
	}
	return r.carryForward(r.olds(), r.draw, journal.Head{What: "new period", Title: r.builds[0].t.Heading(), Project: r.title(), Roots: r.roots})
}

// nothing says that all is there already.
func (r *nextRun) nothing() error {
	if r.asJSON {
		return r.report(false)
	}
	r.screen.Text(term.Good.Render("Nothing to do:") + term.Sprintf(" %s is there already.", r.title()))
	return nil
}

// carryForward carries what is planned forward, with a yes.
func (r *nextRun) carryForward(olds string, draw func(), head journal.Head) error {
	return r.propose(r.consent, proposal{set: r.set, draw: draw, question: fmt.Sprintf("Carry %s forward to %s?", olds, r.title()), how: "carry it forward", report: r.report,
		undertaking: undertaking{doing: "carrying forward", head: head},
		told: func() term.Shown {
			text := term.Good.Render("Carried forward") + term.Sprintf(" to %s: %s along. ", r.title(), term.Count(r.carried(), "file"))
			if r.away != nil {
				text += r.away.kept()
			}
			return text + r.undoes().line()
		}})
}

// olds are the projects that are carried forward.
func (r *nextRun) olds() string {
	if n := len(r.turns) / r.count; n > 1 {
		return string(term.Count(n, "project"))
	}
	return filepath.Base(r.turns[0].project.Dir)
}

// title is what comes about.
func (r *nextRun) title() string {
	first, n := r.turns[0].plan.Own, len(r.turns)
	switch {
	case n == 1:
		return first
	case n > r.count:
		return string(term.Count(n, "new project"))
	}
	return first + " … " + path.Base(r.turns[n-1].plan.Own)
}

// draw shows each new period: what is made, what comes along under which name, and what
// does not.
func (r *nextRun) draw() {
	for _, t := range r.turns {
		r.screen.Line(term.Title.Render(term.Visible(t.plan.Own)), term.Dim.Render("  "+counts(t.build)))
		r.drawSteps(t)
	}
	for i := 0; r.away != nil && i < len(r.away.goes); i++ {
		g := r.away.goes[i]
		r.screen.Line(term.Accent.Render("»"), " ", term.Moved(filepath.Base(g.from), fromHere(g.to)))
	}
	r.screen.Line()
	r.drawNotes()
}

// drawSteps draws what comes along, under which name.
func (r *nextRun) drawSteps(t *turn) {
	most := max(3, 2*manyRows/len(r.turns))
	order.Sort(order.Natural, t.goes, func(s *forward.Step) string { return s.From })
	for i, s := range t.goes {
		if i == most {
			r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more along", term.Number(len(t.goes)-i))))
			return
		}
		sign := term.Good.Render("+")
		if s.Moves {
			sign = term.Accent.Render("»")
		}
		if s.From == s.To {
			r.screen.Line("  ", sign, " ", term.Visible(s.To))
			continue
		}
		r.screen.Line("  ", sign, " ", term.Moved(s.From, s.To))
	}
}

// drawNotes tells what holds the old period still, what is begun, and what does not go
// along.
func (r *nextRun) drawNotes() {
	var unread []string
	left := 0
	for i, t := range r.turns {
		if r.count > 1 && i%r.count > 0 {
			continue // it is the same for each period
		}
		unread = append(unread, t.plan.Unread...)
		left += t.plan.Left
	}
	if n := len(unread); n > 0 {
		text := term.Count(n, "name") + map[bool]term.Shown{true: " still holds the old period, as no convention reads it: ", false: " still hold the old period, as no convention reads them: "}[n == 1]
		r.screen.Text(term.Warn.Render("note:") + " " + text + term.Visible(strings.Join(few(unread), ", ")))
	}
	if r.begun > 0 {
		r.screen.Text(term.Dim.Render(term.Count(r.begun, "file") + map[bool]term.Shown{true: " is there already, and stays as it is.", false: " are there already, and stay as they are."}[r.begun == 1]))
	}
	if left > 0 {
		r.screen.Text(term.Dim.Render(term.Count(left, "file") + map[bool]term.Shown{true: " does", false: " do"}[left == 1] + " not go along: only what lies under lines with “carry” does."))
	}
}

// report prints the plan, or what was done, as JSON.
func (r *nextRun) report(done bool) error {
	type step struct {
		From  string `json:"from"`
		To    string `json:"to"`
		Moves bool   `json:"moves,omitempty"`
	}
	type one struct {
		Project string   `json:"project"`
		New     int      `json:"new"`
		Goes    []step   `json:"goes"`
		Unread  []string `json:"unread"`
		Left    int      `json:"left"`
	}
	out := struct {
		Done  bool  `json:"done"`
		Begun int   `json:"begun"`
		Turns []one `json:"turns"`
	}{done, r.begun, []one{}}
	for _, t := range r.turns {
		o := one{Project: t.plan.Own, Goes: []step{}, Unread: append([]string{}, t.plan.Unread...), Left: t.plan.Left}
		if t.build != nil {
			o.New = t.build.Count[build.New]
		}
		for _, s := range t.goes {
			o.Goes = append(o.Goes, step{s.From, s.To, s.Moves})
		}
		out.Turns = append(out.Turns, o)
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && len(r.set.Changes) > 0 {
		return found
	}
	return err
}
