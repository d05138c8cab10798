package cli

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/next"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/value"
)

// A nextRun is one call of next.
type nextRun struct {
	*app
	consent
	count   int
	archive string   // the folder that the old project goes to
	away    *awayRun // how it goes there

	templates map[string]*template.Template // by their texts
	turns     []*next.Forward               // of all projects
	proposal  *proposal.Proposal
	follows   *following // what leads to what is archived
	begun     int        // files that are there already
}

func (a *app) nextCommand() *cobra.Command {
	r := &nextRun{app: a}
	c := &cobra.Command{
		Use:   "next PROJECT… [field=value …]",
		Short: "Carry projects forward to their next period.",
		Long: `Carry projects forward to their next period: the month, quarter, week, term or year of each
goes one on, unless you say which. It is made again by its template beside the old one; what
lies under lines with “carry” comes along; names that a naming convention reads are written
with the new values, and other names stay as they are. What is begun already in the new
one stays. A folder that no template made is taken over first: vestibula upgrade --template.`,
		Example: `  vestibula next "Books 2027"
  vestibula next "Case Binding 2027 2 Spring" term="2027 autumn" --preview
  vestibula next "2027-01" --count 11
  vestibula next Courses/*Autumn --archive "Past courses"`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	r.addAnswers(c, "carry it forward")
	r.addPlan(c)
	r.addMoves(c)
	c.Flags().IntVar(&r.count, "count", 1, "`N` periods, one after the other")
	c.Flags().StringVar(&r.archive, "archive", "", "move the old project into the folder `DIR` afterwards, as archive does")
	_ = c.MarkFlagDirname("archive")
	c.ValidArgsFunction = a.completeProject
	return c
}

func (r *nextRun) run(args []string) error {
	if r.count < 1 || r.count > 1000 {
		return unclear("", "--count is from 1 to 1000")
	}
	if (r.fixLinks || r.addresses != "") && r.archive == "" {
		return unclear("leave it out", "nothing is moved without --archive, and nothing would lead nowhere")
	}
	words, raw := wordsAndValues(args)
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
	if slices.ContainsFunc(r.turns, func(t *next.Forward) bool { return t.Project.Dir == p.Dir }) {
		return nil, unclear("", "%s is named twice", at)
	}
	return p, nil
}

// nextPeriod is the time after one, of the field that says it.
func nextPeriod(period *template.Field, last value.Value) (value.Value, error) {
	if !last.Given() {
		return last, refused(fmt.Sprintf("say which comes next: %s=…", period.Name), "which %s this project is of is not known", period.Type.Kind)
	}
	v, ok := last.Shift(1, &period.Type)
	if !ok {
		return last, refused(fmt.Sprintf("say which: %s=…", period.Name), "there is no %s after %s", period.Type.Kind, last)
	}
	return v, nil
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
	old := t.Known(p.Label.Raw(), r.now)
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
			v, err := nextPeriod(period, last[period.Name])
			if err != nil {
				return err
			}
			values[period.Name] = v
		}
		last = values
		if lacking := t.Missing(values); len(lacking) > 0 {
			return missing(t.Name, lacking)
		}
		seen, err := match.Seen(full, t)
		if err != nil {
			return err
		}
		job := &next.Job{Template: t, Old: t.Complete(old.Clone(), r.now), New: t.Complete(values.Clone(), r.now), Full: full, Seen: seen, Limit: max(template.DefaultLimit, 10*full.Count()), Now: r.now}
		if job.Stands, err = r.stands(p, job, given); err != nil {
			return err
		}
		plan, err := next.Make(job)
		if err != nil {
			return r.tellErrors(t.Name, t.Text, err, statusFound)
		}
		if slices.ContainsFunc(plan.Steps, func(s *next.Step) bool { return s.Moves }) && r.count > 1 {
			return refused("carry it forward one period at a time", "what lies under “carry: moves” can go along once only")
		}
		if err := r.judge(p, t, plan, job); err != nil {
			return err
		}
		build := &batch.Build{Template: t, Row: len(r.turns) + 1, Values: job.New, Root: plan.Root, Stands: job.Stands}
		r.turns = append(r.turns, &next.Forward{Project: p, Plan: plan, Build: build})
	}
	return nil
}

// stands reports whether the new project of a job is there already, and gives the job its values:
// what a period has is its own. Others that are given are asked for.
func (r *nextRun) stands(p *project.Project, j *next.Job, given template.Values) (bool, error) {
	x, err := j.Template.Tree(j.New, j.Limit)
	if err != nil {
		return false, r.tellErrors(j.Template.Name, j.Template.Text, err, statusFound)
	}
	own, _ := j.Template.Own(x.Root)
	old, err := p.Template.Tree(p.Values, j.Limit)
	if err != nil {
		return false, refused("", "%v", err)
	}
	dir := p.Base(old.Root).Join(own)
	if !place.Exists(string(dir.Join(label.FileName))) {
		return false, nil
	}
	l, _, err := project.ReadLabel(dir)
	if err == nil && l.Template != j.Template.Name {
		return false, nil
	} else if err != nil {
		return false, refused("", "%s: %v", fromHere(dir), err)
	}
	has := j.Template.Complete(j.Template.Known(l.Raw(), r.now), r.now)
	var differ, args []string
	for _, name := range j.Template.FieldNames() {
		if v, said := given[name]; said && !v.Equal(has[name]) && has[name].Given() {
			differ, args = append(differ, fmt.Sprintf("%s is %s there, not %s", name, has[name], v)), append(args, name+"="+v.String())
		}
	}
	if len(differ) == 0 {
		j.New = has
		return true, nil
	}
	told := fmt.Sprintf("%s is there already, and what a period has is its own: %s", fromHere(dir), strings.Join(differ, "; "))
	if r.interactive() && !r.yes && !r.preview {
		r.side.Text(term.Warn.Render("note:") + " " + term.Visible(told))
		yes, err := r.confirm("Is that to change?")
		if err != nil || yes {
			return false, err
		}
		j.New = has
		return true, nil
	}
	return false, refused(advise("to change that first", append([]string{"upgrade", typed(fromHere(dir))}, args...)...).String(), "%s", told)
}

// judge refuses a new project that build would refuse.
func (r *nextRun) judge(p *project.Project, t *template.Template, plan *next.Plan, j *next.Job) error {
	if from := p.Lacks(plan.Root); from != "" && t == p.Template {
		return refused(noStarter(), "Nothing was changed: what is to be made starts from %s, which cannot be found.", from)
	}
	set, err := r.rulesOf(t)
	if err != nil {
		return err
	}
	if j.Stands {
		return nil
	}
	x, err := t.Tree(j.New, j.Limit)
	if err != nil {
		return r.tellErrors(t.Name, t.Text, err, statusFound)
	}
	for _, f := range set.Check(x.Root.Built()) {
		if f.Severity == rules.Error {
			return refused("give it another value, or change the rule in the template", "Nothing was changed: %v", f.Message)
		}
	}
	return nil
}

// period is the field that goes on: the only one, or the one that is given or asked for.
func (r *nextRun) period(p *project.Project, t *template.Template, given, old template.Values) (*template.Field, error) {
	f, err := next.Period(t)
	var unclearPeriod *next.PeriodError
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
	if f := unclearPeriod.Later; f != nil && len(fields) == 0 {
		return nil, unclear(advise("to add one", "add", typed(fromHere(p.Dir)), f.Name+"=…").String(), "%v", err)
	}
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

func (r *nextRun) carryOut() error {
	return r.carryForward(r.olds(), journal.Head{What: "new period", Title: r.turns[0].Build.Template.Heading(), Project: r.title()})
}

// carryForward carries what is planned forward, with a yes.
func (r *nextRun) carryForward(olds string, head journal.Head) error {
	r.parts()
	var by []*template.Template
	for _, t := range r.turns {
		if t.Build != nil {
			by = append(by, t.Build.Template)
		}
	}
	r.goes(r.proposal, by...)
	return r.propose(r.consent, &task{Proposal: r.proposal, follows: r.follows, question: fmt.Sprintf("Carry %s forward to %s?", olds, r.title()), how: "carry it forward",
		idle:        term.Sprintf("%s is there already.", r.title()),
		undertaking: undertaking{doing: "carrying forward", head: head},
		told: func() term.Shown {
			text := term.Good.Render("Carried forward") + term.Sprintf(" to %s: %s along. ", r.title(), term.Count(r.carried(), "file"))
			if r.away != nil {
				text += r.away.kept()
			}
			return text + r.undoes().line()
		}})
}
