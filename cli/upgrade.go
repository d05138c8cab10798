package cli

import (
	"errors"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/upgrade"
)

// An upgradeRun is one call of upgrade.
type upgradeRun struct {
	*app
	consent
	by       string // the template that was named
	onlyGood bool
	limit    int

	raw       map[string]template.Raw
	each      map[address.Address]map[string]template.Raw // of single projects, by their folders: instead of raw
	jobs      []*upgrading
	templates map[string]*template.Template  // by the names of their files
	unfound   map[string]bool                // names of templates that are not found, and that was told
	bad       []string                       // what cannot be upgraded, and why
	roots     []address.Address              // the folders that were named
	trees     map[address.Address]*tree.Node // all that lies in them
	copies    project.Copies
	refused   bool // somebody said no, and labels keep it
	take      taking
}

// An upgrading is one project that is brought to another template or other values.
type upgrading struct {
	upgrade.Upgrading
	project *project.Project
	job     *upgrade.Job
	err     error // why there is no plan
}

func (a *app) upgradeCommand() *cobra.Command {
	r := a.newUpgrade()
	c := &cobra.Command{
		Use:   "upgrade [PROJECT…] [field=value …]",
		Short: "Bring what was built to the template of today, or to other values.",
		Long: `Bring what was built to the template of today, or to other values. What stands under
another number or name is moved with all that it holds, what is new is made, and
files that nobody has touched are brought up to date. What was edited stays. What is
no longer asked for goes where it is empty; what holds something stays, and is told.

PROJECT is a project, or a folder in which projects lie: all of them are one plan,
and one undo. Without one, it is the current folder. What is only probable is asked for by itself.

With --template, folders that no template made are taken over, as far as they look like its
projects: their values are read from their names, of any shape, and from what lies in them,
what is missing is made, and they are projects from then on. What no name says is asked once for
all of them; or --plan writes a table to fill in, and --table takes over what stands in it.`,
		Example: `  vestibula upgrade "2027-03 Oriel Pask BK" --preview
  vestibula upgrade "2027-03 Oriel Pask BK" client="Oriel Pask & Daughters"
  vestibula upgrade Clients --yes
  vestibula upgrade Drive --template commission --plan folders.csv`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	r.addAnswers(c, "do what is sure")
	r.addPlan(c)
	r.addMoves(c)
	c.Flags().StringVar(&r.by, "template", "", "bring them to this `TEMPLATE`")
	c.Flags().StringVar(&r.take.file, "table", "", "with --template: take over the folders of this table, a `FILE` that --plan has written")
	c.Flags().BoolVar(&r.take.names, "folder-names", false, "the projects' own folders get the names that their values say, also where somebody gave them others")
	c.Flags().BoolVar(&r.onlyGood, "only-good", false, "leave out those that cannot be read")
	c.Flags().IntVar(&r.limit, "limit", template.DefaultLimit, "a project may have `N` folders and files")
	c.ValidArgsFunction = a.completeProject
	_ = c.RegisterFlagCompletionFunc("template", a.completeTemplates)
	return c
}

func (a *app) newUpgrade() *upgradeRun {
	return &upgradeRun{app: a, limit: template.DefaultLimit, unfound: map[string]bool{}, templates: map[string]*template.Template{}, trees: map[address.Address]*tree.Node{}}
}

func (r *upgradeRun) run(args []string) error {
	var paths []string
	paths, r.raw = wordsAndValues(args)
	if r.take.file != "" {
		if err := r.takeTable(); err != nil {
			return err
		}
		for dir := range r.take.each {
			paths = append(paths, string(dir))
		}
		slices.Sort(paths)
	}
	if len(paths) == 0 {
		paths = []string{"."}
	}
	for _, p := range paths {
		if err := r.find(p); err != nil {
			return err
		}
	}
	if err := r.takeAll(); err != nil {
		return err
	}
	if len(r.jobs)+len(r.bad) == 0 {
		return refused("", "Nothing was changed: there is nothing to upgrade.")
	}
	r.apart()
	if len(r.bad) > 0 {
		for _, b := range r.bad {
			r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(b))
		}
		if len(r.jobs) == 0 {
			return refused("", "Nothing was changed.")
		}
		if !r.onlyGood {
			return refused(r.sameCall("to leave them out", "--only-good").String(), "Nothing was changed: %s in the way.", term.Count(len(r.bad), "thing")+isOrAre(len(r.bad)))
		}
	}
	return r.carryOut()
}

// find finds the projects at or below a path, and plans the upgrade of each.
func (r *upgradeRun) find(at string) error {
	found, err := project.Below(at, nil, nil)
	if err != nil {
		return unreadable(at, err)
	}
	r.roots = append(r.roots, found.Dir)
	r.trees[found.Dir] = found.Root
	for _, u := range found.Unread {
		r.bad = append(r.bad, fmt.Sprintf("%s cannot be read, and projects may lie in it: %s", fromHere(u.Path), place.Reason(u.Err)))
	}
	taken, err := r.takeFrom(at, found)
	if err != nil {
		return err
	}
	if len(found.Projects) == 0 && !taken {
		if r.by != "" {
			return unclear("", "there is no project at or below \"%s\", and no folder that looks like one of %s", at, r.by)
		}
		return unclear("name a folder that was built from a template, or one in which such folders lie\n"+r.sameCall("to take folders over that no template made", "--template", "NAME").String(), "there is no project at or below \"%s\"", at)
	}
	first := len(r.jobs)
	for i := range found.Projects {
		own := &found.Projects[i]
		if err := r.open(own); err != nil {
			if found.Inside {
				return err
			}
			if err := r.leaveOut(string(own.Dir), err); err != nil {
				return err
			}
		}
	}
	r.planAll(r.jobs[first:])
	for i := 0; i < len(r.jobs); i++ {
		u := r.jobs[i]
		if u.err == nil {
			continue
		}
		r.jobs = slices.Delete(r.jobs, i, i+1)
		i--
		err := r.wrong(u)
		if found.Inside {
			return err
		}
		if err := r.leaveOut(string(u.project.Dir), err); err != nil {
			return err
		}
	}
	return nil
}

// leaveOut notes what cannot be upgraded, and why; other errors end the command.
func (r *upgradeRun) leaveOut(dir string, err error) error {
	var told *stop
	if !errors.As(err, &told) {
		return err
	}
	r.bad = append(r.bad, fromHere(dir)+": "+told.message)
	return nil
}

// wrong says why an upgrade cannot be planned.
func (r *upgradeRun) wrong(u *upgrading) error {
	var own *upgrade.OwnError
	var name *upgrade.NameError
	var starter *upgrade.StarterError
	switch {
	case errors.As(u.err, &name):
		return refused("give it another value, or change the rule in the template", "%v", u.err)
	case errors.As(u.err, &starter):
		return refused(noStarter(), "%v", u.err)
	}
	if errors.As(u.err, &own) || errors.As(u.err, new(*place.TooLargeError)) {
		return refused("", "%v", u.err)
	}
	return r.tellErrors(u.job.Template.Name, u.job.Template.Text, u.err, statusFound)
}

// open opens a project, with the template and the values that it is to have.
func (r *upgradeRun) open(own *project.Own) error {
	if slices.ContainsFunc(r.jobs, func(u *upgrading) bool { return u.project.Dir == own.Dir }) {
		return nil
	}
	if own.Err != nil {
		return refused("", "%v", own.Err)
	}
	p, err := r.store().Open(own.Dir, own.Label)
	if err != nil {
		return refused("", "%v", err)
	}
	t, err := r.template(p)
	if err != nil {
		return err
	}
	u := &upgrading{project: p, Upgrading: upgrade.Upgrading{Was: own.Data}}
	values, err := r.values(u, t)
	if err != nil {
		return err
	}
	if len(own.Unread) > 0 {
		return refused("", "%s in it cannot be read: %s", own.Unread[0].Path, place.Reason(own.Unread[0].Err))
	}
	u.job = &upgrade.Job{Project: p, Template: t, Values: values, Full: own.Root, Named: r.take.names, Limit: r.limit, Now: r.now, Own: label.Own}
	if len(r.raw)+len(r.each[own.Dir]) > 0 { // else it stays what it is
		u.job.CopyOf = r.copies.Original(p)
	}
	r.jobs = append(r.jobs, u)
	return nil
}

// all are the projects with their plans.
func (r *upgradeRun) all() (list []*upgrade.Upgrading) {
	for _, u := range r.jobs {
		list = append(list, &u.Upgrading)
	}
	return list
}

// answers asks for what is only probable. Where somebody says no, the label keeps it, and the
// project is planned anew: what was guessed may be missing then.
func (r *upgradeRun) answers() (open int, asked bool, err error) {
	for again := true; again; {
		if open, asked, err = r.answer(r.consent, upgrade.Parts(r.all())); err != nil {
			return open, asked, err
		}
		again = false
		for _, u := range r.jobs {
			if u.Refused() {
				again, r.refused = true, true
				agreed := u.Agreed()
				u.makePlan(&upgrade.Planner{})
				if u.err != nil {
					return open, asked, r.wrong(u)
				}
				u.Agree(agreed)
			}
		}
	}
	return open, asked, nil
}

// carryOut shows the plan of all projects and, with a yes, does it.
func (r *upgradeRun) carryOut() error {
	open, asked, err := r.answers()
	if err != nil {
		return err
	}
	if open > 0 && !asked && !r.preview && slices.ContainsFunc(r.jobs, func(u *upgrading) bool { return u.Renames() }) {
		return refused("run it at a terminal, and answer; or change one of them at a time", "Nothing was changed: which item of a list got which other name is only probable.")
	}
	if err := r.ownNames(); err != nil {
		return err
	}
	p, tops, count, err := upgrade.Propose(r.all())
	if err != nil {
		return err
	}
	var by []*template.Template
	for _, u := range r.jobs {
		by = append(by, u.job.Template)
	}
	r.goes(p, by...)
	r.then = "Afterwards, the same upgrade once more brings the rest up to date."
	title := r.jobs[0].project.Dir.Name()
	if len(r.jobs) > 1 {
		title = string(term.Count(len(r.jobs), "project"))
	}
	what := term.Count(count, "change")
	t := &task{Proposal: p, open: open, asked: asked, follows: &following{roots: r.roots, tops: tops, trees: r.trees, settled: true},
		question: fmt.Sprintf("Make %s in %s?", what, term.Count(len(r.jobs), "project")), how: "do what is sure", idle: asMeant(len(r.jobs)),
		undertaking: undertaking{doing: "upgrading", head: journal.Head{What: "upgrade", Title: title, Project: title}}}
	switch {
	case len(p.Set.Changes) == 0 && open > 0 && asked:
		return refused("", "Nothing was changed.")
	case len(p.Set.Changes) == 0 && open > 0 && !r.asJSON:
		tellOpen(p, open)
		r.drawPlan(t)
		return refused("run it at a terminal, and answer", "Nothing was changed: what is left is only probable, and is asked for by itself.")
	case count == 0 && r.refused:
		what, t.question = "your no is remembered", "Remember your no, so that it is not asked again?"
	case count == 0:
		what, t.question = "no folder and no file changes", fmt.Sprintf("From now on, check %s against today's template?", term.Count(len(r.jobs), "project"))
	}
	done := term.Shown("Upgraded")
	if n := len(r.take.list); n > 0 {
		done = "Taken over"
		if count == 0 {
			t.question = fmt.Sprintf("Make %s of them?", term.Count(len(r.jobs), "project"))
		}
	}
	t.told = func() term.Shown {
		return term.Good.Render(done) + term.Sprintf(" %s: %s. %s", title, what, r.undoes())
	}
	return r.propose(r.consent, t)
}

// left is the last line of a run that has left questions.
func (a *app) left(open int, c consent) {
	if c.asJSON || c.preview {
		return
	}
	a.screen.Text(term.Count(open, "question") + isOrAre(open) + " left: run it at a terminal without --yes, and answer.")
}

func asMeant(n int) term.Shown {
	if n == 1 {
		return "the project is up to date."
	}
	return term.Sprintf("all %s projects are up to date.", term.Number(n))
}
