package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/archive"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/made"
	"vestibula/core/naming"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/put"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A putRun is one call of put.
type putRun struct {
	*app
	consent
	into, convention, older string
	move, copy, link        bool

	raw      map[string]template.Raw
	base     string // what lies in it is moved; absolute, with slashes
	below    string // of the one project, what files are put below; empty for all
	projects []*put.Project
	files    []*put.File
	passed   int // hidden files, and those that programs leave
	settled  int // that lie in projects where somebody has put them
	sources  []string
	archives []*archive.Contents
	outcomes []*put.Outcome
	followed *followed
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
places, or have none, stay, and are told with the reason. Nothing is ever overwritten.`,
		Example: `  vestibula put Arrivals --into Clients
  vestibula put /media/card --into "2027-03 Oriel Pask BK" --convention scan side=recto
  vestibula put mail.zip --into Clients --preview`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	r.addYes(c, "put them there without asking")
	r.addPlan(c)
	r.addMoves(c)
	c.Flags().BoolVar(&r.preview, "preview", false, "show what would be done, and change nothing")
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	c.Flags().StringVar(&r.into, "into", "", "the project, or the folder `DIR` in which projects lie")
	c.Flags().StringVar(&r.convention, "convention", "", "name what comes in by this `NAME`, with what is known")
	c.Flags().StringVar(&r.older, "older-into", "", "instead, move all but the newest of files that differ only in a number, a version or a day into a folder of this `NAME` beside them")
	c.Flags().BoolVar(&r.move, "move", false, "move them, also from elsewhere")
	c.Flags().BoolVar(&r.copy, "copy", false, "copy them, also from within")
	c.Flags().BoolVar(&r.link, "link", false, "leave them where they are, and make links to them")
	_ = c.MarkFlagDirname("into")
	return c
}

func (r *putRun) run(args []string) error {
	var values []string
	for i, arg := range args {
		if name, _, isValue := strings.Cut(arg, "="); isValue && (i > 0 || !isThere(arg)) && name != "" && !strings.ContainsAny(name, `/\`) {
			values = append(values, arg)
			continue
		}
		r.sources = append(r.sources, arg)
	}
	var err error
	if r.raw, err = rawArgs(values); err != nil {
		return err
	}
	ways := 0
	for _, is := range []bool{r.move, r.copy, r.link} {
		if is {
			ways++
		}
	}
	switch {
	case len(r.sources) == 0:
		return unclear("for example: vestibula put Arrivals --into Clients", "which files?")
	case ways > 1:
		return unclear("", "of --move, --copy and --link, one can be meant")
	case len(values) > 0 && r.convention == "":
		return unclear("name it with --convention", "%s is for a convention that names what comes in", values[0])
	}
	if r.older != "" {
		if r.into != "" || r.convention != "" || ways > 0 {
			return unclear("", "--older-into moves files aside where they lie: it goes without --into, --convention, --move, --copy and --link")
		}
		return r.olderInto()
	}
	defer func() {
		for _, c := range r.archives {
			c.Close()
		}
	}()
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
				return unclear("", "there is no %q", from)
			}
			if info, err := os.Stat(dir); err == nil && !info.IsDir() {
				dir = filepath.Dir(dir)
			}
			own, l, err := project.Find(dir)
			if err != nil {
				return unclear("", "%v", err)
			}
			if l != nil {
				at = own
				break
			}
		}
		if at == "" {
			return unclear("name it with --into", "into which project, or which folder with projects?")
		}
	}
	found, err := inspect.Projects(at)
	if err != nil {
		return unclear("", "%s cannot be read: %s", at, place.Reason(err))
	}
	if len(found.Projects) == 0 {
		return unclear("name a folder that was built from a template, or one in which such folders lie", "there is no project at or below %q", at)
	}
	r.base = filepath.ToSlash(found.Dir)
	if found.Inside {
		if real, err := place.Real(at); err == nil {
			if rel, err := filepath.Rel(found.Dir, real); err == nil && rel != "." {
				r.below = filepath.ToSlash(rel)
			}
		}
	}
	r.projects, err = r.layouts(found)
	return err
}

// layouts opens the projects that were found, each with its places.
func (a *app) layouts(found *inspect.Found) ([]*put.Project, error) {
	open := a.opener()
	list := make([]*project.Project, 0, len(found.Projects))
	var roots []*tree.Node
	for i := range found.Projects {
		own := &found.Projects[i]
		var l readLabel
		l.read(own.Dir)
		p, err := (*project.Project)(nil), l.err
		if err == nil {
			p, err = open(own.Dir, l.label)
		}
		if err != nil {
			var told *stop
			message := err.Error()
			if errors.As(err, &told) {
				message = told.message
			}
			if found.Inside {
				return nil, refused("", "%s: %s", fromHere(own.Dir), message)
			}
			a.note(term.Sprintf("%s is left out: %s", fromHere(own.Dir), message))
			continue
		}
		list, roots = append(list, p), append(roots, own.Root)
	}
	out := make([]*put.Project, len(list))
	errs := make([]error, len(list))
	several(len(list), func() func(i int) {
		return func(i int) {
			seen, err := inspect.Seen(roots[i], list[i].Template)
			if err == nil {
				out[i] = &put.Project{Shown: filepath.Base(list[i].Dir)}
				out[i].Layout, err = list[i].Layout(seen, template.DefaultLimit, a.now)
			}
			errs[i] = err
		}
	})
	for i, err := range errs {
		if err != nil {
			return nil, a.tellErrors(list[i].Template.Name, list[i].Template.Text, err, statusFound)
		}
	}
	return out, nil
}

// gather reads what the sources hold.
func (r *putRun) gather() error {
	done, end := r.progress("looking", -1)
	defer end()
	known := map[string]bool{}
	for i, source := range r.sources {
		at, err := place.Real(source)
		info, statErr := os.Lstat(source)
		if err != nil || statErr != nil {
			return unclear("", "there is no %q", source)
		}
		if info.Mode()&os.ModeSymlink != 0 {
			info, err = os.Stat(at) // a link that was named is meant
			if err != nil {
				return unclear("", "%s cannot be read: %s", source, place.Reason(err))
			}
		}
		switch {
		case info.IsDir():
			if err := r.folder(i, source, at, known, done); err != nil {
				return err
			}
		case archive.FormatOf(at) != archive.None && r.unpacks(at):
			if err := r.packed(i, at); err != nil {
				return err
			}
		default:
			if !known[at] {
				known[at] = true
				if err := r.add(i, filepath.Base(at), at, false); err != nil {
					return unclear("", "%s cannot be read: %s", source, place.Reason(err))
				}
			}
		}
	}
	return nil
}

// unpacks reports whether an archive is a source of files: one that lies in a project
// already, or that a folder holds as it is, is a file.
func (r *putRun) unpacks(at string) bool {
	return !strings.HasPrefix(filepath.ToSlash(at), r.base+"/") || len(r.projects) > 1
}

// folder adds what lies in a folder.
func (r *putRun) folder(source int, named, dir string, known map[string]bool, done func(int)) error {
	root, unread, err := inspect.Everything(dir, done)
	if err != nil {
		return unclear("", "%s cannot be read: %s", named, place.Reason(err))
	}
	for _, u := range unread {
		r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(filepath.Join(named, filepath.FromSlash(u.Path))) + " cannot be read; the rest is put")
	}
	before := root.Count()
	if err := inspect.Prune(root); err != nil {
		return err
	}
	r.passed += before - root.Count()
	own := map[string]*put.Project{}
	for _, p := range r.projects {
		own[filepath.ToSlash(p.Dir)] = p
	}
	top := filepath.ToSlash(dir)
	var found []*put.File
	for at, n := range root.All() {
		full := top + "/" + at
		if n.Kind != tree.File || known[full] || r.settles(own, top, full) {
			continue
		}
		known[full] = true
		found = append(found, &put.File{Path: full[len(top)+1:], Link: n.Marks&tree.Link != 0})
	}
	for _, full := range r.addAll(source, top, found) {
		r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(filepath.FromSlash(full)) + " cannot be read; the rest is put")
	}
	return nil
}

// settles reports whether a file of a source lies in a project and is to stay: the
// template has put it there, or the source is not in that project, and only holds it.
func (r *putRun) settles(own map[string]*put.Project, top, full string) bool {
	for dir := path.Dir(full); len(dir) >= len(r.base); dir = path.Dir(dir) {
		p := own[dir]
		if p == nil {
			if dir == path.Dir(dir) {
				break
			}
			continue
		}
		if top != dir && !strings.HasPrefix(top, dir+"/") {
			r.settled++
			return true
		}
		at := p.Root
		for name := range strings.SplitSeq(strings.TrimPrefix(full, dir+"/"), "/") {
			if at = at.Child(name); at == nil {
				return false
			}
		}
		return at.From > 0
	}
	return false
}

// add adds a file of the disk.
func (r *putRun) add(source int, at, full string, link bool) error {
	e, err := look(full)
	if err != nil {
		return err
	}
	r.files = append(r.files, &put.File{Path: at, At: filepath.ToSlash(full), Source: source, Entry: e, Link: link || e.Kind == tree.Symlink})
	return nil
}

// addAll adds files of the disk, by their paths from a folder, and returns those that
// cannot be looked at.
func (r *putRun) addAll(source int, top string, found []*put.File) (unread []string) {
	const together = 512
	several((len(found)+together-1)/together, func() func(i int) {
		return func(part int) {
			var l looker
			defer l.close()
			for _, f := range found[part*together : min((part+1)*together, len(found))] {
				f.At, f.Source = top+"/"+f.Path, source
				e, err := l.look(filepath.FromSlash(f.At))
				if err != nil {
					f.At = ""
					continue
				}
				f.Entry, f.Link = e, f.Link || e.Kind == tree.Symlink
			}
		}
	})
	for _, f := range found {
		if f.At == "" {
			unread = append(unread, top+"/"+f.Path)
			continue
		}
		r.files = append(r.files, f)
	}
	return unread
}

// look is what lies at a path of the disk.
func look(full string) (tree.Entry, error) {
	dir, err := place.Open(filepath.Dir(full))
	if err != nil {
		return tree.Entry{}, err
	}
	defer dir.Close()
	return dir.Look(filepath.Base(full))
}

// A looker looks at many things, of which those that follow each other mostly lie in one
// folder.
type looker struct {
	dir string
	at  *place.Place
}

func (l *looker) look(full string) (tree.Entry, error) {
	dir := filepath.Dir(full)
	if l.at == nil || dir != l.dir {
		l.close()
		at, err := place.Open(dir)
		if err != nil {
			return tree.Entry{}, err
		}
		l.dir, l.at = dir, at
	}
	return l.at.Look(filepath.Base(full))
}

func (l *looker) close() {
	if l.at != nil {
		l.at.Close()
		l.at = nil
	}
}

// packed adds what lies in an archive.
func (r *putRun) packed(source int, file string) error {
	c, err := archive.Open(file)
	if err != nil {
		return unclear("", "%s: %s", file, place.Reason(err))
	}
	r.archives = append(r.archives, c)
	if n := len(c.Outside); n > 0 {
		r.note(term.Sprintf("%s in %s would lead out of it, and%s left out: %s", term.Count(n, "name"), filepath.Base(file), isOrAre(n), c.Outside[0]))
	}
	ignored := map[string]bool{}
	all := c.Root.Copy()
	if err := inspect.Prune(all); err != nil {
		return err
	}
	for at := range all.All() {
		ignored[strings.Clone(at)] = true
	}
	for i := range c.Files {
		f := &c.Files[i]
		if !ignored[f.Path] {
			r.passed++
			continue
		}
		r.files = append(r.files, &put.File{Path: f.Path, Source: source, Content: f.Content, Entry: tree.Entry{Name: path.Base(f.Path), Kind: tree.File, Size: f.Size, Time: f.Time}})
	}
	return nil
}

// find finds out what becomes of each file.
func (r *putRun) find() error {
	p := put.NewPlanner(r.projects)
	p.Below = r.below
	fresh := map[*put.File]*put.Outcome{}
	if r.convention != "" {
		if err := r.known(); err != nil {
			return err
		}
	}
	// What is there already needs no name.
	for _, f := range r.files {
		r.outcomes = append(r.outcomes, &put.Outcome{File: f})
	}
	done, end := r.progress("comparing", -1)
	put.Same(r.outcomes, r.held(), func(at string) (io.ReadCloser, error) {
		done(1)
		return os.Open(filepath.FromSlash(at))
	})
	end()
	var coming []*put.File
	for _, o := range r.outcomes {
		if o.Kind == put.Goes {
			coming = append(coming, o.File)
		}
	}
	if r.convention != "" {
		var err error
		n := &put.Namer{Convention: r.convention, Given: r.raw, Now: r.now, Made: r.made}
		if fresh, err = n.Name(p, coming); err != nil {
			var lacking *put.NameError
			if errors.As(err, &lacking) {
				return missing(r.convention, lacking.Fields)
			}
			return unclear("", "%v", err)
		}
	}
	const together = 1024
	several((len(r.outcomes)+together-1)/together, func() func(i int) {
		own := p.Fork()
		return func(part int) {
			for i := part * together; i < min((part+1)*together, len(r.outcomes)); i++ {
				switch o := r.outcomes[i]; {
				case o.Kind != put.Goes:
				case fresh[o.File] != nil:
					r.outcomes[i] = fresh[o.File]
				default:
					r.outcomes[i] = own.Place(o.File)
				}
			}
		}
	})
	put.Taken(r.outcomes, base, func(at string) (tree.Entry, error) {
		info, err := os.Lstat(filepath.FromSlash(at))
		if err != nil {
			return tree.Entry{}, err
		}
		e := tree.Entry{Kind: tree.File, Size: info.Size()}
		if !info.Mode().IsRegular() {
			e.Kind = tree.Other
		}
		return e, nil
	})
	return nil
}

func base(p *put.Project) string { return filepath.ToSlash(p.Dir) }

// known refuses a convention that no project has.
func (r *putRun) known() error {
	var names []string
	for _, p := range r.projects {
		if p.Template.Convention(r.convention) != nil {
			return nil
		}
		names = append(names, p.Template.ConventionNames()...)
	}
	_, err := convention(r.projects[0].Template, r.convention)
	if err == nil || len(names) == 0 {
		return unclear("", "no project here has naming conventions")
	}
	return err
}

// made is the day on which a file came about.
func (r *putRun) made(f *put.File) (time.Time, string) {
	changed := time.Unix(0, f.Entry.Time)
	_, ending := naming.Split(path.Base(f.Path))
	if f.At == "" {
		return changed, made.Changed
	}
	file, err := os.Open(filepath.FromSlash(f.At))
	if err != nil {
		return changed, made.Changed
	}
	defer file.Close()
	return made.Of(file, ending, f.Entry.Size, changed.Local(), r.now)
}

// held are the files that lie in projects already, with their sizes.
func (r *putRun) held() []put.Held {
	lists := make([][]put.Held, len(r.projects))
	several(len(r.projects), func() func(i int) {
		return func(i int) {
			p := r.projects[i]
			for at, n := range p.Root.All() {
				if n.Kind != tree.File || n.Marks&tree.Link != 0 {
					continue
				}
				full := filepath.Join(p.Dir, filepath.FromSlash(at))
				if info, err := os.Lstat(full); err == nil && info.Mode().IsRegular() {
					lists[i] = append(lists[i], put.Held{Project: p, Path: strings.Clone(at), At: filepath.ToSlash(full), Size: info.Size()})
				}
			}
		}
	})
	return slices.Concat(lists...)
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

func (r *putRun) inside(at string) bool {
	return strings.HasPrefix(at, strings.TrimSuffix(r.base, "/")+"/")
}

// set makes the changes that bring files to their places; nil where there are none.
func (r *putRun) set() (*change.Set, error) {
	changes, err := put.Changes(r.outcomes, r.way(), r.inside, base, template.DefaultLimit)
	if err != nil {
		return nil, refused("", "%v", err)
	}
	if r.count(put.Goes) == 0 {
		return nil, nil
	}
	tops := []string{r.base}
	for _, c := range changes {
		if c.From != "" {
			tops = append(tops, path.Dir(c.From))
		}
	}
	for _, s := range r.sources {
		if at, err := place.Real(s); err == nil {
			if info, err := os.Stat(at); err == nil && info.IsDir() {
				tops = append(tops, filepath.ToSlash(at))
			}
		}
	}
	tops = put.Outermost(tops)
	set := put.Within(changes, tops)
	for i := range set.Places {
		set.Places[i] = filepath.FromSlash(set.Places[i])
	}
	if err := r.relabel(set); err != nil {
		return nil, refused("", "%v", err)
	}
	return set, nil
}

// leave has files stay of which something is in the way, such as a path that is too long:
// the others are put all the same. It reports whether there are such.
func (r *putRun) leave(set *change.Set, list []disk.Blocked) (left bool) {
	why := map[string]string{}
	for _, b := range list {
		for _, top := range set.Places {
			why[slashed(top, b.Path)] = b.Why
		}
	}
	for _, o := range r.outcomes {
		if o.Kind != put.Goes {
			continue
		}
		at := path.Join(base(o.Spots[0].Project), o.Path)
		for dir := at; len(dir) > len(r.base); dir = path.Dir(dir) {
			if because, blocked := why[dir]; blocked {
				o.Kind, o.Why, o.Help, left = put.Nowhere, "it cannot go to "+o.Path+": "+because, "", true
				break
			}
		}
	}
	return left
}

// prepare makes the set, and holds it against the disk, without what something is in the
// way of. There is none where nothing is left.
func (r *putRun) prepare() (*change.Set, *disk.Plan, error) {
	r.leaves = true
	for {
		set, err := r.set()
		if err != nil || set == nil {
			return nil, nil, err
		}
		if r.followed, err = r.follow(set, r.consent, []string{filepath.FromSlash(r.base)}, nil, nil); err != nil {
			return nil, nil, err
		}
		p, err := r.prepared(set, r.consent, false)
		var blocked *disk.BlockedError
		if !errors.As(err, &blocked) {
			return set, p, err
		}
		if !r.leave(set, blocked.Blocked) {
			return nil, nil, (&undertaking{}).told(err)
		}
	}
}

// carryOut shows the plan and, with a yes, does it.
func (r *putRun) carryOut() error {
	set, p, err := r.prepare()
	if err != nil {
		return err
	}
	n := r.count(put.Goes)
	if set == nil {
		if r.asJSON {
			return r.report(false)
		}
		r.draw()
		r.screen.Text(term.Good.Render("Nothing to do") + ": nothing is put anywhere.")
		return nil
	}
	defer p.Drop()
	if r.yes && !r.asJSON {
		r.draw()
	}
	what := term.Count(n, "file")
	goes, err := r.agreed(r.consent, r.draw, fmt.Sprintf("Put %s where they belong?", what), "put what has a place")
	if !goes {
		if err == nil && r.asJSON {
			return r.report(false)
		}
		return err
	}
	var roots []journal.Root
	for _, pr := range r.projects {
		if len(roots) < manyRoots && slices.ContainsFunc(r.outcomes, func(o *put.Outcome) bool { return o.Kind == put.Goes && o.Spots[0].Project == pr }) {
			if in, rel, err := placeOf(set, filepath.ToSlash(pr.Dir)+"/x"); err == nil {
				roots = append(roots, journal.Root{In: in, Path: change.Text(path.Dir(rel)), ID: pr.Label.ID})
			}
		}
	}
	title := filepath.Base(filepath.FromSlash(r.base))
	if _, err := r.app.carryOut(undertaking{plan: p, doing: "putting", keep: true, total: len(set.Changes), again: "vestibula undo takes it back",
		head: journal.Head{What: "put", Title: string(what) + " into " + title, Project: title, Roots: roots}}); err != nil {
		return err
	}
	if r.asJSON {
		return r.report(true)
	}
	r.screen.Text(term.Good.Render("Put") + term.Sprintf(" %s where they belong. vestibula undo takes it back.", what))
	return nil
}

func (r *putRun) count(kind put.Kind) (n int) {
	for _, o := range r.outcomes {
		if o.Kind == kind {
			n++
		}
	}
	return n
}

// relabel adds to the set what notes in labels where given files are now, and those that
// new folders begin with.
func (r *putRun) relabel(set *change.Set) error {
	moves := movesOf(set)
	for _, p := range r.touched(set) {
		old, err := place.ReadFile(filepath.Join(p.project.Dir, label.FileName), label.MaxBytes)
		if err != nil {
			continue
		}
		l, err := label.Parse(old)
		if err != nil {
			continue
		}
		own := filepath.ToSlash(p.project.Dir)
		changed := l.Follow(func(at string) (string, bool) {
			to, there := moves.After(own + "/" + at)
			below, inside := strings.CutPrefix(to, own+"/")
			return below, there && inside
		})
		for at, n := range p.made {
			for below, f := range n.All() {
				if f.Kind != tree.File {
					continue
				}
				sum, err := journal.SumOf(f)
				if err != nil {
					return err
				}
				if l.Given == nil {
					l.Given = map[string]string{}
				}
				l.Given[at+"/"+below], changed = sum, true
			}
		}
		if !changed {
			continue
		}
		data, err := l.Encode()
		if err != nil {
			return err
		}
		in, rel, err := placeOf(set, own+"/"+label.FileName)
		if err != nil {
			return err
		}
		set.Changes = append(set.Changes, replacing(in, rel, old, data))
	}
	return nil
}

// A touchedProject is one in which something moves or folders are made: by their paths
// from its own folder.
type touchedProject struct {
	project *put.Project
	made    map[string]*tree.Node
}

// touched are the projects whose labels may have to say something else.
func (r *putRun) touched(set *change.Set) []*touchedProject {
	own := map[string]*put.Project{}
	for _, p := range r.projects {
		own[filepath.ToSlash(p.Dir)] = p
	}
	found := map[*put.Project]*touchedProject{}
	var list []*touchedProject
	note := func(in int, at string) (t *touchedProject, below string) {
		full := slashed(set.Places[in], at)
		for dir := path.Dir(full); len(dir) >= len(r.base); dir = path.Dir(dir) {
			if p := own[dir]; p != nil {
				if found[p] == nil {
					found[p] = &touchedProject{p, map[string]*tree.Node{}}
					list = append(list, found[p])
				}
				return found[p], full[len(dir)+1:]
			}
			if dir == "/" || dir == "." {
				break
			}
		}
		return nil, ""
	}
	for i := range set.Changes {
		switch c := &set.Changes[i]; {
		case c.Op == change.Move:
			note(c.FromIn, c.From)
			note(c.In, c.Path)
		case c.Op == change.Make && c.Node.Kind == tree.Folder:
			if t, below := note(c.In, c.Path); t != nil {
				t.made[below] = c.Node
			}
		}
	}
	return list
}

// shownIn is how many files of one folder are drawn.
const shownIn = 3

// draw shows the four parts of the plan.
func (r *putRun) draw() {
	type folder struct {
		project *put.Project
		dir     string
	}
	var order []folder
	files := map[folder][]*put.Outcome{}
	for _, o := range r.outcomes {
		if o.Kind == put.Goes {
			f := folder{o.Spots[0].Project, path.Dir(o.Path)}
			if files[f] == nil {
				order = append(order, f)
			}
			files[f] = append(files[f], o)
		}
	}
	if n := r.count(put.Goes); n > 0 {
		r.screen.Line(term.Title.Render("Goes to its place"), term.Dim.Render(": "+term.Count(n, "file")))
	}
	for i, f := range order {
		if i == manyRows {
			r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more folders; --json lists all", term.Number(len(order)-i))))
			break
		}
		list := files[f]
		r.screen.Line("  ", term.Strong.Render(term.Visible(r.shownDir(f.project, f.dir))), term.Dim.Render(term.Sprintf("/   %s, %s", term.Count(len(list), "file"), r.doing(list[0]))))
		for k, o := range list {
			if k == shownIn && len(list) > shownIn+1 {
				r.screen.Line(term.Dim.Render(term.Sprintf("      … and %s more", term.Number(len(list)-k))))
				break
			}
			name := term.Visible(o.File.Path)
			if o.File.Fresh != "" {
				name += term.Dim.Render(" → ") + term.Visible(o.File.Fresh)
			}
			why := o.Why
			if o.File.Day != "" {
				why += ", " + o.File.Day
			}
			r.screen.Line("    ", r.mark(o), " ", name, term.Dim.Italic().Render("   "+term.Visible(why)))
		}
	}
	r.part(put.There, "Is there already", func(o *put.Outcome) (string, string) {
		if len(o.Spots) == 0 {
			return o.Why, ""
		}
		return o.Why + ": " + path.Join(r.shownDir(o.Spots[0].Project, path.Dir(o.Path)), path.Base(o.Path)), ""
	})
	r.part(put.Several, "Could go to several places", func(o *put.Outcome) (string, string) {
		var dirs []string
		for _, s := range o.Spots[:min(3, len(o.Spots))] {
			dirs = append(dirs, r.shownDir(s.Project, s.Dir))
		}
		text := strings.Join(dirs, ", or ")
		if n := len(o.Spots) - 3; n > 0 {
			text += fmt.Sprintf(", and %d more", n)
		}
		return text, o.Help
	})
	r.part(put.Nowhere, "Has no place", func(o *put.Outcome) (string, string) { return o.Why, o.Help })
	r.screen.Line()
	if r.passed > 0 {
		r.screen.Line(term.Dim.Render(term.Sprintf("Passed by: %s, hidden or left by programs.", term.Count(r.passed, "thing"))))
	}
	if r.settled > 0 {
		r.screen.Line(term.Dim.Render(term.Sprintf("Passed by: %s in projects, where somebody has put them.", term.Count(r.settled, "file"))))
	}
	r.followed.draw(r.screen)
}

// part draws what is not put anywhere.
func (r *putRun) part(kind put.Kind, title term.Shown, say func(o *put.Outcome) (why, help string)) {
	n := 0
	help := ""
	for _, o := range r.outcomes {
		if o.Kind != kind {
			continue
		}
		if n++; n == 1 {
			r.screen.Line()
			r.screen.Line(term.Title.Render(title), term.Dim.Render(": "+term.Count(r.count(kind), "file")))
		}
		if n > manyRows/2 {
			continue
		}
		why, more := say(o)
		r.screen.Line("    ", r.mark(o), " ", term.Visible(o.File.Path), term.Dim.Italic().Render("   "+term.Visible(why)))
		if more != "" && more != help {
			help = more
			r.screen.Line("        ", term.Accent.Render(term.Visible(more)))
		}
	}
	if n > manyRows/2 {
		r.screen.Line(term.Dim.Render(term.Sprintf("      … and %s more; --json lists all", term.Number(n-manyRows/2))))
	}
}

func (r *putRun) shownDir(p *put.Project, dir string) string {
	at := filepath.ToSlash(fromHere(p.Dir))
	if at == "." {
		at = ""
	}
	if at = path.Join(at, dir); at == "" {
		return "."
	}
	return at
}

// doing says what is done with a file that goes to its place.
func (r *putRun) doing(o *put.Outcome) string {
	switch {
	case o.File.Content != nil:
		return "unpacked"
	case r.link:
		return "linked"
	case r.move || !r.copy && r.inside(o.File.At):
		return "moved"
	}
	return "copied"
}

func (r *putRun) mark(o *put.Outcome) term.Shown {
	switch o.Kind {
	case put.There:
		return term.Dim.Render("=")
	case put.Several:
		return term.Warn.Render("?")
	case put.Nowhere:
		return term.Warn.Render("~")
	}
	if r.doing(o) == "moved" {
		return term.Accent.Render("»")
	}
	return term.Good.Render("+")
}

// report prints the plan, or what was done, as JSON.
func (r *putRun) report(done bool) error {
	type goes struct {
		File string `json:"file"`
		To   string `json:"to"`
		Op   string `json:"op"`
		Why  string `json:"why"`
	}
	type there struct {
		File string `json:"file"`
		At   string `json:"at,omitempty"`
		Why  string `json:"why"`
	}
	type open struct {
		File  string   `json:"file"`
		Could []string `json:"could,omitempty"`
		Why   string   `json:"why,omitempty"`
		Help  string   `json:"help,omitempty"`
	}
	out := struct {
		Done    bool         `json:"done"`
		Goes    []goes       `json:"goes"`
		There   []there      `json:"there"`
		Several []open       `json:"several"`
		Nowhere []open       `json:"nowhere"`
		Passed  int          `json:"passed"`
		Broken  []brokenJSON `json:"broken"`
	}{done, []goes{}, []there{}, []open{}, []open{}, r.passed + r.settled, r.followed.json()}
	for _, o := range r.outcomes {
		file := o.File.Path
		if o.File.At != "" {
			file = fromHere(filepath.FromSlash(o.File.At))
		}
		switch o.Kind {
		case put.Goes:
			out.Goes = append(out.Goes, goes{file, path.Join(r.shownDir(o.Spots[0].Project, path.Dir(o.Path)), path.Base(o.Path)), r.doing(o), o.Why})
		case put.There:
			t := there{file, "", o.Why}
			if len(o.Spots) > 0 {
				t.At = path.Join(r.shownDir(o.Spots[0].Project, path.Dir(o.Path)), path.Base(o.Path))
			}
			out.There = append(out.There, t)
		case put.Several:
			could := open{File: file, Help: o.Help}
			for _, s := range o.Spots {
				could.Could = append(could.Could, r.shownDir(s.Project, s.Dir))
			}
			out.Several = append(out.Several, could)
		default:
			out.Nowhere = append(out.Nowhere, open{file, nil, o.Why, o.Help})
		}
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && len(out.Goes) > 0 {
		return found
	}
	return err
}
