package cli

import (
	"errors"
	"fmt"
	"io"
	"iter"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/put"
	"vestibula/core/rules"
	"vestibula/core/standing"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A putRun is one call of put.
type putRun struct {
	*app
	consent
	into, older, why string
	conventions      []string // that name what comes in
	move, copy, link bool

	raw      map[string]template.Raw
	base     string         // what lies in it is moved; absolute, with slashes
	below    string         // of the one project, what files are put below; empty for all
	archived []*bundle.Away // from where the projects lie
	projects []*standing.Project
	files    []*standing.File
	passed   int  // hidden files, and those that programs leave
	settled  int  // that lie in projects where somebody has put them
	partly   bool // something of the sources could not be read
	sources  []string
	archives []*packed.Contents
	outcomes []*standing.Outcome
	meant    map[*standing.Outcome]label.Accepted // what a check would find of what was named, and is meant so
}

func (a *app) putCommand() *cobra.Command {
	r := &putRun{app: a}
	c := &cobra.Command{
		Use:   "put SOURCE… [field=value …]",
		Short: "Put files that come in where they belong.",
		Long: `Put files that come in where they belong: by the convention that reads their names,
by what folders hold, and by the values that their names share with projects. SOURCE is
a file, a folder, a card, or an archive, ZIP or tar.gz.

--into is a project, a folder of one, or a folder in which projects lie; without it, the
project that SOURCE or the current folder lies in. What comes from elsewhere is copied,
read back and compared, and the source stays as it is; what lies within is moved. What is
there already is brought once, whatever it is called. Files that could go to several
places, or have none, stay, and are told with the reason. Nothing is ever overwritten.

A folder of a project that is named behind --into is meant: what has no other place below it
goes there, a folder as a folder. Where a check would find that, it is asked for, or --why says
the reason, and the project keeps it.

A folder of a project that is put into another folder of it moves on as a whole: it gets
what the template has for it there, and is not asked for where it was.`,
		Example: `  vestibula put Arrivals --into Clients
  vestibula put /media/card --into "2027-03 Oriel Pask BK" --convention scan side=recto
  vestibula put mail.zip --into Clients --preview
  vestibula put "03 Work/01 Survey" --into "90 Settled"`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	r.addAnswers(c, "put them there")
	r.addPlan(c)
	r.addMoves(c)
	c.Flags().StringVar(&r.into, "into", "", "the project, or the folder `DIR` in which projects lie")
	c.Flags().StringVar(&r.why, "why", "", "with --into FOLDER: the `REASON` why it may lie there, although a check would object")
	c.Flags().StringSliceVar(&r.conventions, "convention", nil, "name what comes in by this `NAME`, with what is known; of several, by the first that is for such files")
	c.Flags().StringVar(&r.older, "older-into", "", "instead, move all but the newest of files that differ only in a number, a version or a day into a folder of this `NAME` beside them")
	c.Flags().BoolVar(&r.move, "move", false, "move them, also from elsewhere")
	c.Flags().BoolVar(&r.copy, "copy", false, "copy them, also from within")
	c.Flags().BoolVar(&r.link, "link", false, "leave them where they are, and make links to them")
	_ = c.RegisterFlagCompletionFunc("convention", a.conventionsHere)
	_ = c.RegisterFlagCompletionFunc("into", func(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		return projectsNear(typed), cobra.ShellCompDirectiveDefault
	})
	return c
}

func (r *putRun) run(args []string) error {
	r.sources, r.raw = wordsAndValues(args)
	ways := 0
	for _, is := range []bool{r.move, r.copy, r.link} {
		if is {
			ways++
		}
	}
	switch {
	case len(r.sources) == 0:
		return unclear(examplesOf("put"), "which files?")
	case ways > 1:
		return unclear("", "of --move, --copy and --link, one can be meant")
	case len(r.raw) > 0 && len(r.conventions) == 0:
		return unclear("name it with --convention", "%s=… is for a convention that names what comes in", slices.Sorted(maps.Keys(r.raw))[0])
	}
	if r.older != "" {
		if r.into != "" || len(r.conventions) > 0 || ways > 0 {
			return unclear("", "--older-into moves files aside where they lie: it goes without --into, --convention, --move, --copy and --link")
		}
		return r.olderInto()
	}
	defer func() {
		for _, c := range r.archives {
			c.Close()
		}
	}()
	if m, err := r.movesOn(); err != nil {
		return err
	} else if m != nil {
		return m.carryOut()
	}
	if err := r.target(); err != nil {
		return err
	}
	if err := r.gather(); err != nil {
		return err
	}
	if err := r.find(); err != nil {
		return err
	}
	return r.carryOut()
}

// target finds the projects that files are put into.
func (r *putRun) target() error {
	at := r.into
	if at == "" {
		for _, from := range append(slices.Clone(r.sources), ".") {
			dir, err := place.Real(from)
			if err != nil {
				return unclear("", "there is no \"%s\"", from)
			}
			if info, err := place.Stat(dir); err == nil && !info.IsDir() {
				dir = dir.Parent()
			}
			own, l, err := project.Find(dir)
			if err != nil {
				return unclear("", "%v", err)
			}
			if l != nil {
				at = string(own)
				break
			}
		}
		if at == "" {
			return unclear("name it with --into", "into which project, or which folder with projects?")
		}
	}
	if r.into != "" && !slices.ContainsFunc(r.sources, func(s string) bool { return !place.Exists(s) }) {
		if own, l, err := project.Find(filepath.Dir(at)); err == nil && l != nil && own != "" { // a new folder of a project
			if err := r.offerFolder(at, r.consent); err != nil {
				return err
			}
		}
	}
	found, err := project.Below(at, nil, nil)
	if err != nil {
		return unreadable(at, err)
	}
	if len(found.Projects) == 0 {
		return unclear("name a folder that was built from a template, or one in which such folders lie", "there is no project at or below \"%s\"", at)
	}
	r.base = found.Dir.Slashed()
	r.below, r.archived = found.Below, found.Archived()
	r.projects, err = r.layouts(found)
	return err
}

// layouts opens the projects that were found, each with its places.
func (a *app) layouts(found *project.Found) ([]*standing.Project, error) {
	store := a.store()
	layouts := make([]*project.Layout, len(found.Projects))
	errs := make([]error, len(found.Projects))
	pool.Each(len(layouts), 1, func(numbers iter.Seq[int]) {
		for i := range numbers {
			layouts[i], errs[i] = store.Layout(&found.Projects[i])
		}
	})
	var list []*standing.Project
	for i, l := range layouts {
		own := &found.Projects[i]
		switch err := errs[i]; {
		case err == nil:
			list = append(list, &standing.Project{Shown: own.Dir.Name(), Layout: l})
		case found.Inside:
			return nil, refused("", "%s: %v", fromHere(own.Dir), err)
		default:
			a.note(term.Sprintf("%s is left out: %v", fromHere(own.Dir), err))
		}
	}
	return list, nil
}

// find finds out what becomes of each file.
func (r *putRun) find() error {
	p := standing.NewPlanner(r.projects)
	p.Below, p.Archived = r.below, r.archived
	for _, name := range r.conventions {
		if err := r.known(name); err != nil {
			return err
		}
	}
	r.outcomes = make([]*standing.Outcome, len(r.files))
	insides, at := r.insides()
	pool.Each(len(r.files), 1024, func(numbers iter.Seq[int]) {
		own := p.Fork()
		for i := range numbers {
			if in := insides[i]; in != nil {
				r.outcomes[i] = in.Place(own, r.files[i], at[i])
			} else {
				r.outcomes[i] = own.Place(r.files[i])
			}
		}
	})
	// What is there already needs no name.
	done, end := r.progress("comparing", -1)
	put.Same(r.outcomes, r.held(), func(at string) (io.ReadCloser, error) {
		done(1)
		return place.OpenFile(filepath.FromSlash(at))
	})
	end()
	if len(r.conventions) > 0 {
		if err := r.nameAnew(p); err != nil {
			return err
		}
	}
	if err := r.askNamed(); err != nil {
		return err
	}
	put.Together(r.outcomes)
	put.Taken(r.outcomes, base, func(at string) (tree.Entry, string, error) {
		info, err := place.Lstat(filepath.FromSlash(at))
		if err != nil {
			return tree.Entry{}, "", err
		}
		leads := ""
		if info.Mode()&os.ModeSymlink != 0 {
			leads, _ = place.Readlink(filepath.FromSlash(at))
		}
		e := tree.Entry{Kind: tree.File, Size: info.Size()}
		if !info.Mode().IsRegular() {
			e.Kind = tree.Other
		}
		return e, filepath.ToSlash(leads), nil
	})
	put.Apart(r.outcomes)
	return nil
}

// insides are, for each file, what is known of the project that it lies in, and its path there.
func (r *putRun) insides() (list []*standing.Inside, at []string) {
	list, at = make([]*standing.Inside, len(r.files)), make([]string, len(r.files))
	own := map[string]*standing.Project{}
	for _, p := range r.projects {
		own[p.Dir.Slashed()] = p
	}
	known := map[*standing.Project]*standing.Inside{}
	for i, f := range r.files {
		for dir := path.Dir(f.At); len(dir) >= len(r.base) && f.At != ""; dir = path.Dir(dir) {
			if p := own[dir]; p != nil {
				if known[p] == nil {
					known[p] = standing.Judge(p)
				}
				list[i], at[i] = known[p], strings.TrimPrefix(f.At, dir+"/")
				break
			}
			if dir == path.Dir(dir) {
				break
			}
		}
	}
	return list, at
}

// nameAnew gives what comes new names by the convention that was asked for.
func (r *putRun) nameAnew(p *standing.Planner) error {
	var coming []*standing.File
	for _, o := range r.outcomes {
		if o.Kind != standing.There {
			coming = append(coming, o.File)
		}
	}
	sets := map[*standing.Project]*rules.Set{}
	for _, own := range r.projects {
		set, err := r.rulesOf(own.Template)
		if err != nil {
			return err
		}
		sets[own] = set
	}
	var dirs []address.Address
	for _, own := range r.projects {
		dirs = append(dirs, own.Dir)
	}
	names := make([]string, len(r.sources))
	for i, s := range r.sources {
		if at, err := place.Real(s); err == nil {
			names[i] = at.Name()
		}
	}
	n := &standing.Namer{Conventions: r.conventions, Known: beside(dirs), Given: r.raw, Now: r.now, Made: r.made, Sources: names,
		Wrong: func(own *standing.Project, name string) string { return fault(sets[own], name) }}
	fresh, err := n.Name(p, coming)
	var lacking *standing.NameError
	switch {
	case errors.As(err, &lacking):
		return missing(lacking.Convention.Name, lacking.Fields)
	case err != nil:
		return unclear("", "%v", err)
	}
	for i, o := range r.outcomes {
		if named := fresh[o.File]; named != nil {
			r.outcomes[i] = named
		}
	}
	return nil
}

func base(p *standing.Project) string { return p.Dir.Slashed() }

// known refuses a convention that no project has.
func (r *putRun) known(name string) error {
	var names []string
	for _, p := range r.projects {
		if p.Template.Convention(name) != nil {
			return nil
		}
		names = append(names, p.Template.ConventionNames()...)
	}
	_, err := convention(r.projects[0].Template, name)
	if err == nil || len(names) == 0 {
		return unclear("", "no project here has naming conventions")
	}
	return err
}

func (r *putRun) way() put.Way {
	switch {
	case r.move:
		return put.Move
	case r.copy:
		return put.Copy
	case r.link:
		return put.Link
	}
	return put.Usual
}

// call is what is known of the files.
func (r *putRun) call() *put.Call {
	c := &put.Call{Outcomes: r.outcomes, Projects: r.projects, Way: r.way(), Base: r.base, Help: r.remedy, Limit: template.DefaultLimit, Passed: r.passed, Settled: r.settled}
	for _, s := range r.sources {
		if at, err := place.Real(s); err == nil {
			if info, err := place.Stat(at); err == nil && info.IsDir() {
				c.Sources = append(c.Sources, at.Slashed())
			}
		}
	}
	return c
}

// leave takes files out of the plan of which something is in the way, such as a path that
// is too long. It reports whether there are such.
func (r *putRun) leave(set *change.Set, list []disk.Blocked) (left bool) {
	why := map[string]string{}
	for _, b := range list {
		for _, top := range set.Places {
			why[slashed(string(top), b.Path)] = b.Why
		}
	}
	for _, o := range r.outcomes {
		if o.Kind != standing.Goes {
			continue
		}
		at := path.Join(base(o.Spots[0].Project), o.Path)
		for dir := at; len(dir) > len(r.base); dir = path.Dir(dir) {
			if because, blocked := why[dir]; blocked {
				o.Kind, o.Why, o.Help, left = standing.Nowhere, "it cannot go to "+o.Path+": "+because, standing.Remedy{}, true
				break
			}
		}
	}
	put.Apart(r.outcomes)
	return left
}

// carryOut shows the plan and, with a yes, does it.
func (r *putRun) carryOut() error {
	plan := func() (*proposal.Proposal, error) {
		p, err := r.call().Propose()
		if err == nil && r.leave(p.Set, r.misnamed(p.Set)) {
			p, err = r.call().Propose()
		}
		if err == nil {
			err = r.accepts(p)
		}
		return p, err
	}
	p, err := plan()
	if err != nil {
		return refused("", "%v", err)
	}
	title := filepath.Base(filepath.FromSlash(r.base))
	t := &task{Proposal: p, follows: &following{roots: []address.Address{address.Address(filepath.FromSlash(r.base))}}, how: "put what has a place",
		idle: "no file goes anywhere.", undertaking: undertaking{doing: "putting", keep: true}}
	say := func() {
		what := term.Count(r.count(standing.Goes), "file")
		t.question, t.head = fmt.Sprintf("Put %s where %s?", what, map[bool]string{true: "it belongs", false: "they belong"}[r.count(standing.Goes) == 1]), journal.Head{What: "put", Title: string(what) + " into " + title, Project: title}
		t.told = func() term.Shown {
			return term.Good.Render("Put") + term.Sprintf(" %s where %s. %s", what, map[bool]string{true: "it belongs", false: "they belong"}[r.count(standing.Goes) == 1], r.undoes()) + r.emptied()
		}
	}
	if say(); r.count(standing.Goes) == 0 {
		t.idle += r.emptied()
	}
	t.without = func(list []disk.Blocked) (*proposal.Proposal, error) {
		if !r.leave(t.Set, list) {
			return nil, r.failed(&undertaking{}, &disk.BlockedError{Blocked: list})
		}
		say()
		return plan()
	}
	return r.propose(r.consent, t)
}

func (r *putRun) count(kind standing.Kind) (n int) {
	for _, o := range r.outcomes {
		if o.Kind == kind {
			n++
		}
	}
	return n
}
