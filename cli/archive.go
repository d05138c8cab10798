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
	"time"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/archive"
	"vestibula/core/away"
	"vestibula/core/bag"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/pack"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// An awayRun is one call of archive.
type awayRun struct {
	*app
	consent
	into, rename, whom string
	file               string // the archive file that they go into, absolute; empty for a folder
	where, only        []string
	untouched          int
	back, copy         bool

	goes  []*going
	moved map[string]bool      // files that something else takes away, by their absolute paths
	files []*pack.File         // what is read while they come back
	packs func(n int)          // is told of what goes into the file
	lists map[string]*awayList // by the folders that they lie in

	followed *followed // what leads to what moves; nil where nobody asked
}

// A going project goes to its archive, or comes back.
type going struct {
	name     string // as it is shown
	from, to string // absolute
	size     int64
	note     *away.Project
	project  string // its own folder, absolute
	whole    *tree.Node
	entries  []bag.Entry // of what goes into a file, from its own folder
	packed   *pack.File  // that it comes back from
	wanted   bool        // the template asks for it
}

// An awayList is a list of what was archived, as it lies in a folder.
type awayList struct {
	data []byte // as it was read; nil where there is none
	list *away.List
}

func (a *app) archiveCommand() *cobra.Command {
	r := &awayRun{app: a, lists: map[string]*awayList{}}
	c := &cobra.Command{
		Use:   "archive PROJECT… --into DIR",
		Short: "Move finished projects to another folder or disk, and remember where they are.",
		Long: `Move finished projects to another folder or disk, and remember where they are. All that is
in them goes, hidden files, links and empty folders too; to another disk entry by entry,
read back and compared before it is taken away here. Where anything fails, all stays here.

With --into FILE.zip they go into one new archive file, which any program opens. What is
taken away here is kept until vestibula history --forget frees it.

PROJECT is a project or, with --where or --untouched, a folder in which projects lie. What
went is still known here: projects lists it, read finds its files although the disk is not
connected, and build tells before it makes it again. --back brings it back.`,
		Example: `  vestibula archive "Clients/2027-03 Oriel Pask BK" --into /media/Marl
  vestibula archive Clients --where received=..2026 --into "Old clients"
  vestibula archive Clients --where received=..2026 --into /media/Marl/2026.zip
  vestibula archive Clients --untouched 180 --into /media/Marl --rename "<received:yyyy> <client>"
  vestibula archive "Clients/2027-03 Oriel Pask BK" --copy --only "02 Condition survey" --into "To post" --for "Oriel Pask"
  vestibula archive --back "Clients/2027-03 Oriel Pask BK"`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	f := c.Flags()
	f.StringVar(&r.into, "into", "", "the folder `DIR` that they go to, or a new FILE.zip")
	f.StringArrayVar(&r.where, "where", nil, "only projects that have `field=value`, or field~part")
	f.IntVar(&r.untouched, "untouched", 0, "only projects of which no file was changed for so many `DAYS`")
	f.StringVar(&r.rename, "rename", "", "the name that each gets there, a `PATTERN` of its fields")
	f.StringArrayVar(&r.only, "only", nil, "only this part of a project: a `PATH` in it")
	f.BoolVar(&r.copy, "copy", false, "hand over a copy, without the label, and leave the project as it is")
	f.StringVar(&r.whom, "for", "", "with --copy: who gets it, a `NAME`")
	f.BoolVar(&r.back, "back", false, "bring back what was archived")
	r.addYes(c, "move them without asking")
	r.addPlan(c)
	r.addMoves(c)
	f.BoolVar(&r.preview, "preview", false, "show what would be done, and change nothing")
	f.BoolVar(&r.asJSON, "json", false, "print JSON")
	_ = c.MarkFlagDirname("into")
	c.ValidArgsFunction = a.completeProject
	return c
}

func (r *awayRun) run(args []string) error {
	if len(args) == 0 {
		return unclear(examplesOf("archive"), "which projects?")
	}
	if r.back {
		if r.into != "" || r.rename != "" || len(r.where)+len(r.only) > 0 || r.untouched > 0 || r.copy {
			return unclear("", "--back brings what is named to where it was, and takes no other flags")
		}
		for _, at := range args {
			if err := r.comeBack(at); err != nil {
				return err
			}
		}
		defer r.closeAll()
		return r.carryOut()
	}
	if r.into == "" {
		return unclear("", "into which folder? Name it with --into")
	}
	if r.whom != "" && !r.copy {
		return unclear("add --copy", "--for says who gets a copy")
	}
	if err := r.open(args); err != nil {
		return err
	}
	return r.carryOut()
}

// open opens the folder that projects go to, and finds those.
func (r *awayRun) open(args []string) error {
	if is, err := r.intoFile(); err != nil {
		return err
	} else if is {
		return r.choose(args, r.file)
	}
	into, err := place.Open(r.into)
	if err != nil {
		return unclear("", "%v", err)
	}
	into.Close()
	return r.choose(args, into.Real)
}

// choose finds the projects that go.
func (r *awayRun) choose(args []string, into string) error {
	all := &projectsRun{app: r.app, where: r.where, today: map[string]bool{}}
	for _, at := range args {
		before := len(all.list)
		inside, err := all.look(at)
		if err != nil {
			return err
		}
		if n := len(all.list) - before; n > 1 && len(r.where) == 0 && r.untouched == 0 && !inside {
			return unclear("name the projects, or say which with --where or --untouched", "%s lie in %s", term.Count(n, "project"), at)
		}
	}
	if err := all.keep(); err != nil {
		return err
	}
	if r.untouched > 0 {
		edge := r.now.AddDate(0, 0, -r.untouched)
		all.list = slices.DeleteFunc(all.list, func(s *standingRow) bool { return !s.touched.Before(edge) })
	}
	if len(all.list) == 0 {
		return refused(advise("to see all", append([]string{"projects"}, args...)...).String(), "No project is such.")
	}
	disk := diskOf(into)
	if r.file != "" {
		disk = diskOf(filepath.Dir(into))
	}
	for _, s := range all.list {
		if s.subject.Project == nil {
			return refused("fix it first, or name the others", "%s cannot be read: %v", s.name, s.subject.Err)
		}
		from := s.subject.Dir
		if into == from || strings.HasPrefix(into, from+string(filepath.Separator)) {
			return refused("name another folder", "%s lies in %s itself", r.into, s.name)
		}
		if filepath.Dir(from) == into {
			return refused("name another folder", "%s lies in %s already", s.name, r.into)
		}
		name, err := r.newName(s)
		if err != nil {
			return err
		}
		parts := r.only
		if len(parts) == 0 {
			parts = []string{""}
		}
		for _, part := range parts {
			if err := r.add(s, filepath.Join(into, name), part, disk); err != nil {
				return err
			}
		}
	}
	return nil
}

// add adds a project, or a part of one, that goes to a folder.
func (r *awayRun) add(s *standingRow, to, part, disk string) error {
	own := s.subject.Dir
	part = strings.Trim(filepath.ToSlash(filepath.Clean(part)), "/")
	if part == "." {
		part = ""
	}
	if !filepath.IsLocal(filepath.FromSlash(part)) && part != "" {
		return unclear("write its path in the project", "--only \"%s\" leads out of %s", part, s.name)
	}
	g := &going{name: path.Join(filepath.ToSlash(s.name), part), project: own, from: filepath.Join(own, filepath.FromSlash(part)), to: filepath.Join(to, filepath.FromSlash(part)), size: s.size}
	if !isThere(g.from) {
		return unclear("", "there is no \"%s\" in %s", part, s.name)
	}
	g.note = &away.Project{Name: filepath.Base(own), Part: part, To: g.to, Since: r.now, Label: s.subject.Project.Label}
	if mine := diskOf(own); mine != disk {
		g.note.Disk = disk
	}
	g.note.File = r.file
	if err := g.take(); err != nil {
		return err
	}
	if err := r.sumUp(g); err != nil {
		return err
	}
	if part != "" {
		g.wanted = s.wants(part, r.now)
	}
	r.goes = append(r.goes, g)
	if r.copy {
		return nil
	}
	list, err := r.list(filepath.Dir(own))
	if err != nil {
		return err
	}
	list.list.Add(g.note)
	return nil
}

// wants reports whether the template asks for something at a path of the project.
func (s *standingRow) wants(part string, now time.Time) bool {
	t := s.subject.Template
	x, err := t.Tree(s.subject.Values, 1_000_000)
	if err != nil {
		return false
	}
	_, n := t.Own(x.Root)
	for name := range strings.SplitSeq(part, "/") {
		if n = n.Child(name); n == nil {
			return false
		}
	}
	return true
}

// newName is what a project is called in the archive.
func (r *awayRun) newName(s *standingRow) (string, error) {
	if r.rename == "" {
		return filepath.Base(s.subject.Dir), nil
	}
	t := s.subject.Template
	name, err := t.Named(r.rename, s.subject.Values)
	var lacks *template.LackError
	switch {
	case errors.As(err, &lacks):
		return "", refused("", "%s: %v", s.name, err)
	case err != nil:
		return "", unclear("it has "+strings.Join(t.FieldNames(), ", "), "--rename \"%s\": %v", r.rename, err)
	}
	return name, nil
}

// take notes what lies in a project or a part of it, hidden things among it.
func (g *going) take() error {
	info, err := os.Lstat(g.from)
	if err != nil {
		return refused("", "%s cannot be read: %s", g.name, place.Reason(err))
	}
	if !info.IsDir() {
		g.size, g.note.Size = info.Size(), info.Size()
		return nil
	}
	root, unread, err := tree.Read(g.from, nil, nil)
	if err != nil {
		return refused("", "%s cannot be read: %s", g.name, place.Reason(err))
	}
	if len(unread) > 0 {
		return refused("", "%s in %s cannot be read: %s", unread[0].Path, g.name, place.Reason(unread[0].Err))
	}
	g.whole = root
	for at, n := range root.All() {
		at = strings.ToValidUTF8(at, "\uFFFD")
		if n.Kind == tree.Folder {
			at += "/"
		}
		g.note.Files = append(g.note.Files, at)
	}
	if g.note.Part != "" {
		g.size = 0
		for at, n := range root.All() {
			if n.Kind != tree.Folder {
				if info, err := os.Lstat(filepath.Join(g.from, filepath.FromSlash(at))); err == nil {
					g.size += info.Size()
				}
			}
		}
	}
	g.note.Size = g.size
	return nil
}

// comeBack brings an archived project back.
func (r *awayRun) comeBack(at string) error {
	full, err := filepath.Abs(at)
	if err != nil {
		return unclear("", "%v", err)
	}
	if file := filepath.Dir(full); archive.FormatOf(file) == archive.Zip && isFile(file) {
		if full, err = cameFrom(file, filepath.Base(full)); err != nil {
			return err
		}
	}
	dir, err := place.Real(filepath.Dir(full))
	if err != nil {
		return unclear("", "there is no folder \"%s\"", filepath.Dir(at))
	}
	name, part, own := filepath.Base(full), "", ""
	if at, l, err := project.Find(dir); err == nil && l != nil { // a part of a project that is there
		if rel, err := filepath.Rel(at, filepath.Join(dir, name)); err == nil {
			own, part = at, filepath.ToSlash(rel)
			name, dir = filepath.Base(at), filepath.Dir(at)
		}
	}
	list, err := r.list(dir)
	if err != nil {
		return err
	}
	p := list.list.FindPart(name, part)
	if p == nil {
		var names []string
		for _, p := range list.list.Projects {
			names = append(names, p.Called())
		}
		help := "name the place where it was"
		if len(names) > 0 {
			help = "archived from there: " + strings.Join(few(names), ", ")
		}
		return unclear(help, "nothing called \"%s\" was archived from %s", filepath.Base(full), fromHere(dir))
	}
	if !isThere(p.Lies()) {
		return refused("connect it, and try again", "%s is %s, and that is not there now", p.Name, p.Where())
	}
	if p.File != "" {
		list.list.Remove(p)
		return r.unpack(p, dir, own)
	}
	var l readLabel
	if l.read(p.To); part == "" && (l.err != nil || l.label.ID != p.Label.ID) {
		return refused("put that project back there, and try again", "what is at %s is not that project any more", p.To)
	}
	list.list.Remove(p)
	r.goes = append(r.goes, &going{name: p.Called(), from: p.To, to: filepath.Join(dir, p.Name, filepath.FromSlash(p.Part)), size: p.Size, note: p, project: own})
	return nil
}

func (r *awayRun) carryOut() error {
	set, err := r.set()
	if err != nil {
		return err
	}
	if err := r.linksFollow(set, r.consent); err != nil {
		return err
	}
	what, verb, past, doing := term.Count(len(r.goes), "project"), "Archive", "Archived", "archiving"
	if len(r.only) > 0 {
		what = term.Count(len(r.goes), "part")
	}
	switch {
	case r.back:
		verb, past, doing = "Bring back", "Brought back", "bringing back"
	case r.copy:
		verb, past = "Hand over a copy of", "Handed over a copy of"
	}
	title := r.goes[0].note.Called()
	if len(r.goes) > 1 {
		title = string(what)
	}
	return r.propose(r.consent, proposal{set: set, draw: r.draw, question: fmt.Sprintf("%s %s?", verb, what), how: "move them", report: r.report,
		undertaking: undertaking{doing: doing, total: r.steps(), bar: r.bar(), head: journal.Head{What: "archive", Title: title, Project: title, Roots: r.roots(set)}},
		told: func() term.Shown {
			return term.Good.Render(term.Visible(past)) + " " + what + ". " + r.kept() + r.undoes().line()
		}})
}

// roots are the folders that projects went from, or come back to: there a person looks for
// the undo.
func (r *awayRun) roots(set *change.Set) (roots []journal.Root) {
	dirs := slices.Sorted(maps.Keys(r.lists))
	for _, g := range r.goes {
		if r.copy && !slices.Contains(dirs, g.project) {
			dirs = append(dirs, g.project)
		}
	}
	for _, dir := range dirs {
		if at, err := set.Find(dir + "/."); err == nil && len(roots) < manyRoots {
			roots = append(roots, journal.Root{In: at.In, Path: address.Text(path.Clean(at.Path))})
		}
	}
	return roots
}

// diskOf is what a person calls the disk that a folder lies on: the name of the folder in
// which the system shows it, or its letter.
func diskOf(at string) string {
	if volume := filepath.VolumeName(at); volume != "" {
		return volume
	}
	here := deviceOf(at)
	for {
		up := filepath.Dir(at)
		if up == at {
			return "of the system"
		}
		if deviceOf(up) != here {
			return filepath.Base(at)
		}
		at = up
	}
}

func deviceOf(at string) uint64 {
	p, err := place.Open(at)
	if err != nil {
		return 0
	}
	defer p.Close()
	e, err := p.Look(".")
	if err != nil {
		return 0
	}
	return e.Dev
}
