package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/archive"
	"vestibula/core/bundle"
	"vestibula/core/journal"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/template"
)

// An awayRun is one call of archive.
type awayRun struct {
	*app
	consent
	into, rename string
	where, only  []string
	untouched    int
	job          archive.Job
}

func (a *app) archiveCommand() *cobra.Command {
	r := &awayRun{app: a, job: archive.Job{Now: a.now}}
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
connected, and build tells before it makes it again. --back brings it back: it is named where it was, or
where it stands now; where all of it was moved together, it is found all the same. With
--into DIR it goes there.`,
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
	_ = c.RegisterFlagCompletionFunc("where", r.completeWhere)
	f.IntVar(&r.untouched, "untouched", 0, "only projects of which no file was changed for so many `DAYS`")
	f.StringVar(&r.rename, "rename", "", "the name that each gets there, a `PATTERN` of its fields")
	f.StringArrayVar(&r.only, "only", nil, "only this part of a project: a `PATH` in it")
	f.BoolVar(&r.job.Copy, "copy", false, "hand over a copy, without the label, and leave the project as it is")
	f.StringVar(&r.job.For, "for", "", "with --copy: who gets it, a `NAME`")
	f.BoolVar(&r.job.Back, "back", false, "bring back what was archived")
	r.addAnswers(c, "move them")
	r.addPlan(c)
	r.addMoves(c)
	_ = c.MarkFlagDirname("into")
	c.ValidArgsFunction = a.completeProject
	return c
}

func (r *awayRun) run(args []string) error {
	if len(args) == 0 {
		return unclear(examplesOf("archive"), "which projects?")
	}
	if r.job.Back {
		if r.rename != "" || len(r.where)+len(r.only) > 0 || r.untouched > 0 || r.job.Copy {
			return unclear("", "--back brings what is named to where it was, and takes no other flags but --into")
		}
		defer r.job.Close()
		for _, at := range args {
			if err := r.comeBack(at); err != nil {
				return planned(err)
			}
		}
		return r.carryOut()
	}
	if r.into == "" {
		return unclear("", "into which folder? Name it with --into")
	}
	if r.job.For != "" && !r.job.Copy {
		return unclear("add --copy", "--for says who gets a copy")
	}
	if err := r.open(args); err != nil {
		return err
	}
	return r.carryOut()
}

// open opens the folder that projects go to, and finds those.
func (r *awayRun) open(args []string) error {
	file, err := r.intoFile()
	if err != nil {
		return err
	}
	dir := r.into
	if file {
		dir = filepath.Dir(r.into)
	}
	if !slices.ContainsFunc(args, func(at string) bool { return !place.Exists(at) }) { // nothing is made for what is not there
		if err := r.offerFolder(dir, r.consent); err != nil {
			return err
		}
	}
	if file {
		in, err := place.Real(dir)
		if err != nil {
			return unclear("", "there is no folder \"%s\"", dir)
		}
		r.job.File = in.Join(filepath.Base(r.into))
		return r.choose(args, r.job.File)
	}
	into, err := place.Open(r.into)
	if err != nil {
		return unclear("", "%v", err)
	}
	into.Close()
	return r.choose(args, into.Real)
}

// choose finds the projects that go.
func (r *awayRun) choose(args []string, into address.Address) error {
	all := &projectsRun{app: r.app, where: r.where}
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
		return refused(advise("to see all", append([]string{"projects"}, args...)...).String(), "No project matches.")
	}
	disk := diskOf(string(into))
	if r.job.File != "" {
		disk = diskOf(string(into.Parent()))
	}
	for _, s := range all.list {
		if s.subject.Project == nil {
			return refused("fix it first, or name the others", "%s cannot be read: %v", s.name, s.subject.Err)
		}
		from := s.subject.Dir
		if into.Within(from) {
			return refused("name another folder", "%s lies in %s itself", r.into, s.name)
		}
		if from.Parent() == into {
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
			if err := r.add(s, string(into.Join(name)), part, disk); err != nil {
				return err
			}
		}
	}
	return nil
}

// add adds a project, or a part of one, that goes to a folder.
func (r *awayRun) add(s *standingRow, to, part, disk string) error {
	part = strings.Trim(filepath.ToSlash(filepath.Clean(part)), "/")
	if part == "." {
		part = ""
	}
	if !filepath.IsLocal(filepath.FromSlash(part)) && part != "" {
		return unclear("write its path in the project", "--only \"%s\" leads out of %s", part, s.name)
	}
	if part != "" && !place.Exists(s.subject.Dir.Join(part)) {
		return unclear("", "there is no \"%s\" in %s", part, s.name)
	}
	if disk == diskOf(string(s.subject.Dir)) {
		disk = ""
	}
	g, err := r.job.Add(archive.Source{Name: s.name, Dir: s.subject.Dir, Label: s.subject.Project.Label, Size: s.size, Disk: disk}, address.Address(to), part)
	if err == nil && part != "" {
		g.Wanted = s.wants(part, r.now)
	}
	return planned(err)
}

// wants reports whether the template asks for something at a path of the project.
func (s *standingRow) wants(part string, now time.Time) bool {
	t := s.subject.Template
	x, err := t.Tree(s.subject.Values, 1_000_000)
	if err != nil {
		return false
	}
	_, own := t.Own(x.Root)
	return own.At(part) != nil
}

// newName is what a project is called in the archive.
func (r *awayRun) newName(s *standingRow) (string, error) {
	if r.rename == "" {
		return s.subject.Dir.Name(), nil
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

// comeBack brings an archived project back.
func (r *awayRun) comeBack(at string) error {
	full, err := filepath.Abs(at)
	if err != nil {
		return unclear("", "%v", err)
	}
	if file := filepath.Dir(full); packed.FormatOf(file) == packed.Zip && bundle.IsFile(file) {
		name := filepath.Base(full)
		from, err := archive.CameFrom(address.Address(fromHere(file)), name)
		full = string(from)
		switch {
		case err != nil:
			return planned(err)
		case full == "":
			return unclear("name one that lies in it", "no project called \"%s\" was archived into %s", name, fromHere(file))
		}
	}
	dir, err := place.Real(filepath.Dir(full))
	if err != nil {
		return unclear("", "there is no folder \"%s\"", filepath.Dir(at))
	}
	name, part, own := filepath.Base(full), "", ""
	if at, l, err := project.Find(dir); err == nil && l != nil { // a part of a project that is there
		if rel, err := filepath.Rel(string(at), string(dir.Join(name))); err == nil {
			own, part = string(at), filepath.ToSlash(rel)
			name, dir = at.Name(), at.Parent()
		}
	}
	list, _, err := bundle.ReadAway(dir)
	if err != nil {
		return refused("move it away first", "%s: %s", fromHere(dir), place.Reason(err))
	}
	if p := list.FindPart(name, part); p != nil {
		return r.job.Return(p, dir, address.Address(own))
	}
	var names []string
	for _, p := range list.Projects {
		names = append(names, p.Called())
	}
	if done, err := r.standingBack(at); done || err != nil {
		return err
	}
	help := "name the place where it was"
	if len(names) > 0 {
		help = "archived from there: " + strings.Join(r.few(names), ", ")
	}
	return unclear(help, "nothing called \"%s\" was archived from %s", filepath.Base(full), fromHere(dir))
}

// standingBack brings back a project that was named where it stands by now: to the place that a list
// near it says, or into the folder of --into.
func (r *awayRun) standingBack(at string) (done bool, err error) {
	own, err := place.Real(at)
	if err != nil {
		return false, nil // it is not there
	}
	l, _, err := project.ReadLabel(own)
	if err != nil {
		return false, nil
	}
	if r.into != "" {
		if err := r.offerFolder(r.into, r.consent); err != nil {
			return true, err
		}
		into, err := place.Real(r.into)
		if err != nil {
			return true, unclear("", "there is no folder \"%s\"", r.into)
		}
		p := archive.Standing(own, l, r.now)
		if listed, _ := archive.ListedNear(own, l.ID); listed != nil {
			p.Name = listed.Name
		}
		return true, r.job.Return(p, into, "")
	}
	p, dir := archive.ListedNear(own, l.ID)
	if p == nil {
		return true, refused("say where it goes with --into", "no list near %s says where it came from", fromHere(own))
	}
	p.To = string(own)
	return true, r.job.Return(p, dir, "")
}

// follows says where what leads to what moves is looked for, if that is asked for: all texts
// there are read for it.
func (r *awayRun) follows(c consent, p *proposal.Proposal) (*following, error) {
	asked := c.fixLinks || c.addresses != ""
	if asked && (r.job.Copy || r.job.File != "") {
		return nil, unclear("leave it out", "what is copied, or goes into a file, has no new place that anything could lead to")
	}
	f := &following{settled: true, unasked: !asked, alone: true}
	for _, one := range p.Archived {
		if !slices.Contains(f.roots, one.Dir) {
			f.roots = append(f.roots, one.Dir)
		}
	}
	return f, nil
}

func (r *awayRun) carryOut() error {
	p, err := r.job.Propose()
	var twice *archive.TwiceError
	switch {
	case errors.As(err, &twice):
		return refused("give them names of their own with --rename", "two would have one name in the archive: %s and %s", fromHere(twice.One), fromHere(twice.Other))
	case err != nil:
		return planned(err)
	}
	what, verb, past, doing, noun := term.Count(len(r.job.Goes), "project"), "Archive", "Archived", "archiving", "archive"
	if len(r.only) > 0 {
		what = term.Count(len(r.job.Goes), "part")
	}
	switch {
	case r.job.Back:
		verb, past, doing, noun = "Bring back", "Brought back", "bringing back", "return"
	case r.job.Copy:
		verb, past = "Hand over a copy of", "Handed over a copy of"
	}
	r.remark(p, what)
	title := r.job.Goes[0].Note.Called()
	if len(r.job.Goes) > 1 {
		title = string(what)
	}
	t := &task{Proposal: p, question: fmt.Sprintf("%s %s?", verb, what), how: "move them",
		undertaking: undertaking{doing: doing, total: r.job.Things(), head: journal.Head{What: noun, Title: title, Project: title}},
		told: func() term.Shown {
			return term.Good.Render(term.Visible(past)) + " " + what + ". " + r.kept() + r.undoes().line()
		}}
	if r.job.File != "" {
		t.bar = func(done func(n int)) { r.job.Packed = done }
	}
	if t.follows, err = r.follows(r.consent, p); err != nil {
		return err
	}
	return r.propose(r.consent, t)
}

// remark says how much goes, and how carefully.
func (r *awayRun) remark(p *proposal.Proposal, what term.Shown) {
	size := int64(0)
	for _, g := range r.job.Goes {
		size += g.Size
	}
	text := what + ", " + term.Size(size)
	if r.job.File != "" && !r.job.Copy {
		text += ": read back and compared before anything is taken away here"
	}
	if d := r.job.Goes[0].Note.Disk; d != "" && !r.job.Back && r.job.File == "" {
		text += term.Sprintf(", to the disk %s: read back and compared before anything is taken away here", d)
	}
	p.Remark(string(text))
}

// kept says what of the old place still takes room, or which file stays.
func (r *awayRun) kept() term.Shown {
	if r.job.File != "" && !r.job.Copy {
		return term.Sprintf("What was taken away is kept. %s\n", advise("To free that room", "history", "--forget", fmt.Sprint(r.number)))
	}
	var files []string
	for _, f := range r.job.Kept() {
		files = append(files, fromHere(f))
	}
	if len(files) > 0 {
		return term.Visible(strings.Join(r.few(files), ", ")) + " stays as it is. "
	}
	return ""
}

// intoFile reports whether projects go into an archive file, which is to be a new one.
func (r *awayRun) intoFile() (bool, error) {
	format := packed.FormatOf(r.into)
	if info, err := place.Stat(r.into); format == packed.None || err == nil && info.IsDir() {
		return false, nil
	}
	if format != packed.Zip {
		return false, unclear("name a file that ends in .zip: there each file can be had back, whatever becomes of the others", "projects are archived into a .zip file")
	}
	if place.Exists(r.into) {
		return false, refused("name another file: what was archived once is never changed", "%s is there already", r.into)
	}
	return true, nil
}

// diskOf is what a person calls the disk that a folder lies on: the name of the folder in
// which the system shows it, or its letter; of a drive, its server.
func diskOf(at string) string {
	if on := address.Address(at).URL(); on != nil {
		return on.Host
	}
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
	dev, _, err := place.Identity(address.Address(at))
	if err != nil {
		return 0
	}
	return dev
}
