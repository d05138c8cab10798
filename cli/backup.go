package cli

import (
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/backup"
	"vestibula/core/bundle"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/project"
)

// A backupRun is one call of backup.
type backupRun struct {
	*app
	consent
	into  string
	bag   bool
	zip   bool
	share bool
	free  bool
	list  bool
	back  bool
	only  string
	keep  int

	job backup.Job
}

func (a *app) backupCommand() *cobra.Command {
	r := &backupRun{app: a}
	c := &cobra.Command{
		Use:   "backup PROJECT… --into DIR",
		Short: "Set a dated copy of a project aside, and see what has changed since.",
		Long: `Set a dated copy of a project aside: all that is in it, hidden files, links and empty
folders too, under the name of the day, read back and compared. A list in it says what it
held, so that vestibula check DIR tells later what is missing, changed or extra in it.

With --share a file of the size and time that it had in the last shared backup is not copied:
both share it, as a clone where the disk can, else as one read-only file with two names.
What a project holds is never shared with a backup.

With --zip it is one file, which any program opens. With --bag it is a bag (BagIt, RFC
8493), which other programs can check as well. --list
shows the backups that are there, and what differs between each and now. --keep N moves all
but the newest N into a folder “` + backup.Older + `”; --free removes for ever what lies there of a
project, which is asked on a terminal by itself.

--back brings a project back from a backup, which is verified first: what is missing comes
back as it was; what holds something else today is asked for, and today's stays beside it.
Without a BACKUP it is the newest in --into; --only PATH brings a part back. The project need
not be there any more.`,
		Example: `  vestibula backup "2027-03 Oriel Pask BK" --into Backups
  vestibula backup "2027-03 Oriel Pask BK" --into Backups --list
  vestibula backup "2027-03 Oriel Pask BK" --into Backups --zip
  vestibula backup "2027-03 Oriel Pask BK" --into /media/Marl --bag --keep 10
  vestibula backup --back "2027-03 Oriel Pask BK" --into Backups`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	f := c.Flags()
	f.StringVar(&r.into, "into", "", "the folder `DIR` of the backups")
	f.BoolVar(&r.bag, "bag", false, "make it a bag, which other programs can check")
	f.BoolVar(&r.zip, "zip", false, "make it one file, a ZIP archive")
	f.BoolVar(&r.share, "share", false, "let files that are as in the last backup share the room of that one")
	f.BoolVar(&r.list, "list", false, "show the backups that are there, and what differs")
	f.BoolVar(&r.free, "free", false, "remove the backups of a project that were moved aside, for ever; it is asked, also with --yes")
	f.BoolVar(&r.back, "back", false, "bring a project back from a backup, the newest or the one named behind it")
	f.StringVar(&r.only, "only", "", "with --back: only what lies at this `PATH` of the project")
	f.IntVar(&r.keep, "keep", 0, "keep the newest `N` at hand, and move the others aside")
	r.addAnswers(c, "make it")
	r.addPlan(c)
	_ = c.MarkFlagDirname("into")
	c.ValidArgsFunction = a.completeProject
	return c
}

func (r *backupRun) run(args []string) error {
	if r.back {
		return r.bringBack(args)
	}
	if r.only != "" || r.plan != "" {
		return unclear("", "--only and --plan go with --back")
	}
	if len(args) == 0 {
		args = []string{"."}
	}
	if r.into == "" {
		return unclear("", "into which folder? Name it with --into")
	}
	if r.zip && r.share {
		return unclear("leave out one of them", "what lies in one file with --zip cannot be shared")
	}
	if r.keep < 0 {
		return unclear("", "--keep is a number of backups")
	}
	into, err := r.openInto(args)
	if err != nil {
		return err
	}
	into.Close()
	r.job = backup.Job{Into: into.Real, Bag: r.bag, Zip: r.zip, Share: r.share, Keep: r.keep, Now: r.now, Program: "vestibula " + r.version}
	for _, at := range args {
		p, rest, err := r.projectAt(at)
		if err != nil {
			return err
		}
		if rest != "" && rest != "." {
			return unclear("name the project itself", "%s is a folder in the project %s", at, fromHere(p.Dir))
		}
		if into.Real.Within(p.Dir) {
			return refused("name a folder outside of it", "%s lies in %s itself", r.into, at)
		}
		if r.free {
			if err := r.freeOlder(p, into.Real); err != nil {
				return err
			}
			continue
		}
		before := bundle.Backups(into.Real, p.Label.ID)
		if r.list {
			if err := r.show(p, into.Real, before); err != nil {
				return err
			}
			continue
		}
		if err := r.take(p, before); err != nil {
			return err
		}
	}
	if r.list || r.free {
		return nil
	}
	return r.carryOut()
}

// take notes what a project holds.
func (r *backupRun) take(p *project.Project, before []bundle.Backup) error {
	c := r.job.Begin(p, before)
	root, unread, err := r.reading(p.Dir)
	if err != nil {
		return refused("", "%s cannot be read: %s", p.Dir, place.Reason(err))
	}
	if len(unread) > 0 {
		return refused("", "%s in %s cannot be read: %s", unread[0].Path, fromHere(p.Dir), place.Reason(unread[0].Err))
	}
	done, end := r.progress("reading", root.Count())
	defer end()
	if err := c.Take(root, done); err != nil {
		return refused("", "%v", err)
	}
	return nil
}

// freeOlder removes the backups of a project that were moved aside, and keeps nothing of them: that has
// an answer of its own.
func (r *backupRun) freeOlder(p *project.Project, into address.Address) error {
	out, size, err := backup.Freeing(into, p.Label.ID)
	if err != nil {
		return refused("nothing was changed", "%s", place.Reason(err))
	}
	n := term.Count(len(out.Steps()), "older backup")
	if len(out.Steps()) == 0 {
		r.screen.Text(term.Good.Render("Nothing to do:") + term.Sprintf(" no backup of %s was moved aside.", p.Dir.Name()))
		return nil
	}
	ask := consent{preview: r.preview, asJSON: r.asJSON}
	if !ask.preview && !ask.asJSON && !r.interactive() {
		return refused("look at it with --preview, and do it on a terminal, where it is asked", "Nothing was changed: %s of %s, %s, can be removed for ever only where somebody can be asked", n, p.Dir.Name(), term.Size(size))
	}
	t := &task{Proposal: out, question: fmt.Sprintf("Remove %s of %s for ever? That frees %s, and cannot be taken back.", n, p.Dir.Name(), term.Size(size)), how: "remove them",
		undertaking: undertaking{doing: "removing", head: journal.Head{What: "backup", Title: p.Dir.Name(), Project: p.Dir.Name()}}}
	goes, err := r.pass(ask, t)
	if err != nil || !goes {
		return err
	}
	return r.journal(func(j *journal.Journal) error {
		if _, err := r.writer().Forget(j, r.record); err != nil {
			return refused(advise("to free it", "history", "--forget", fmt.Sprint(r.number)).String(), "It is gone from there, and not freed yet: %s", place.Reason(err))
		}
		r.screen.Text(term.Good.Render("Freed") + term.Sprintf(": %s of %s, %s.", n, p.Dir.Name(), term.Size(size)))
		return nil
	})
}

func (r *backupRun) carryOut() error {
	p, err := r.job.Propose()
	if err != nil {
		return err
	}
	ask := r.consent
	ask.named = r.job.Aside() == 0 // a copy that the call names is only new files
	if r.job.Earlier {
		r.note("a backup there is of a later time than it is now: the clock went back, and no older one is moved aside.")
	}
	title, n, older := r.job.Copies[0].Name, term.Count(len(r.job.Copies), "backup"), term.Count(r.job.Aside(), "older one")
	if len(r.job.Copies) > 1 {
		title = string(n)
	}
	t := &task{Proposal: p, question: fmt.Sprintf("Make %s, and move %s into %s?", n, older, backup.Older), how: "make it",
		undertaking: undertaking{doing: "copying", total: r.job.Things(), head: journal.Head{What: "backup", Title: title, Project: title}}}
	if r.zip {
		t.bar = func(done func(n int)) { r.job.Packed = done }
	}
	t.told = func() term.Shown { return r.told(backup.Shared(t.plan.List)) }
	t.of = func() any { return map[string]any{"shared": backup.Shared(t.plan.List)} }
	return r.propose(ask, t)
}

// told says what was set aside, and returns the last line of it.
func (r *backupRun) told(shared map[string]int) term.Shown {
	var lines []term.Shown
	for _, b := range r.job.Copies {
		manifest, size := b.Note.Manifest("")
		files, links := len(manifest.Sums), 0
		text := term.Good.Render("Set aside") + term.Sprintf(": %s, %s, %s", filepath.Join(r.into, r.job.File(b)), term.Count(files, "file"), term.Size(size))
		switch n := shared[b.Name]; {
		case n == 0:
			text += ", read back and compared."
		case n == files:
			text += term.Sprintf(". All are as in %s: their room is shared.", b.Last.Dir.Name())
		default:
			text += term.Sprintf(". %s as in %s: their room is shared. %s read back and compared.", term.Count(n, "file")+isOrAre(n), b.Last.Dir.Name(), term.Count(files-n, "file")+wasOrWere(files-n))
		}
		lines = append(lines, text)
		for _, e := range b.Note.Entries {
			if e.To != "" {
				links++
			}
		}
		if r.bag && links > 0 {
			lines = append(lines, term.Warn.Render("note:")+term.Sprintf(" a bag has no place for links: of %s, %s says where they lead.", term.Count(links, "link"), bundle.BagName))
		}
	}
	if n := r.job.Aside(); n > 0 {
		lines = append(lines, term.Sprintf("Moved %s into %s.", term.Count(n, "older backup"), filepath.Join(r.into, backup.Older)))
	}
	last := len(lines) - 1
	for _, text := range lines[:last] {
		r.screen.Text(text)
	}
	return lines[last]
}

// openInto opens the folder of the backups, and offers to make it; nothing is made for what is not there.
func (r *backupRun) openInto(args []string) (*place.Place, error) {
	if place.Exists(args[0]) {
		if err := r.offerFolder(r.into, r.consent); err != nil {
			return nil, err
		}
	}
	into, err := place.Open(r.into)
	if err != nil {
		return nil, unclear("", "%v", err)
	}
	return into, nil
}
