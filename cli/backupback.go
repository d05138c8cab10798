package cli

import (
	"errors"
	"path"
	"path/filepath"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/backup"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// bringBack brings a project, or a part of it, back from a backup: the newest where none is named.
func (r *backupRun) bringBack(args []string) error {
	if len(args) == 0 || len(args) > 2 {
		return unclear(examplesOf("backup"), "which project is to come back, and from which backup?")
	}
	job := &backup.Return{Only: path.Clean(filepath.ToSlash(r.only)), Now: r.now}
	if r.only == "" {
		job.Only = ""
	}
	id, err := r.whose(job, args[0])
	if err != nil {
		return err
	}
	if err := r.whichBackup(job, id, args[1:]); err != nil {
		return err
	}
	if err := r.proven(job.From); err != nil {
		return err
	}
	shown := fromHere(job.From)
	if err := job.Open(); err != nil {
		return planned(err)
	}
	defer job.Close()
	p, err := job.Propose()
	if err != nil {
		return planned(err)
	}
	open, asked, err := r.answer(r.consent, p.Parts)
	if err != nil {
		return err
	}
	if p, err = job.Propose(); err != nil {
		return planned(err)
	}
	name := job.Dir.Name()
	count := r.amountBack(p)
	t := &task{Proposal: p, open: open, asked: asked, question: "Bring " + string(count) + " of " + name + " back?", how: "bring back what is missing",
		idle:        term.Sprintf("%s holds all that %s holds.", name, shown),
		undertaking: undertaking{doing: "copying", head: journal.Head{What: "recovery", Title: name, Project: name}},
		told: func() term.Shown {
			return term.Good.Render("Brought back") + term.Sprintf(": %s of %s, as of %s. %s", count, name, when(job.Made()), r.undoes())
		}}
	return r.propose(r.consent, t)
}

// proven refuses a backup that does not hold what it held.
func (r *backupRun) proven(at address.Address) error {
	done, end := r.progress("summing up", -1)
	what, report, err := bundle.Check(at, done)
	end()
	shown := fromHere(at)
	switch {
	case errors.Is(err, bundle.ErrNoList):
		return unclear("", "%s is no backup", shown)
	case err != nil:
		return refused("name another one", "%s is no whole %s: %v", shown, what, err)
	case len(report.Problems) > 0:
		return refused("name another one\n"+advise("what is wrong with it", "check", typed(shown)).String(), "%s holds no longer what it held: nothing was brought back.", shown)
	}
	return nil
}

// whose settles which project is to come back: the one that is there, or the one that a path would be.
func (r *backupRun) whose(job *backup.Return, at string) (id string, err error) {
	full, err := filepath.Abs(at)
	if err != nil {
		return "", unclear("", "%v", err)
	}
	up, err := place.Real(filepath.Dir(full))
	if err != nil {
		return "", unclear("", "there is no folder \"%s\"", filepath.Dir(at))
	}
	job.Dir = up.Join(filepath.Base(full))
	if info, err := place.Stat(string(job.Dir)); err != nil {
		if l := bundle.AwayIn(up); l != nil {
			switch p := l.Find(job.Dir.Name()); {
			case p == nil:
			case !place.Exists(p.Lies()): // bringing it back from there would not do
				r.note(term.Sprintf("%s was archived: it is %s, and that is not there now.", p.Name, p.Where()))
			default:
				return "", refused(advise("to bring that back", "archive", "--back", typed(at)).String(), "%s is archived: it is %s", p.Name, p.Where())
			}
		}
		return "", nil // it is gone
	} else if !info.IsDir() {
		return "", unclear("name the project's own folder", "%s is no folder", at)
	}
	if job.Dir, err = place.Real(at); err != nil {
		return "", unreadable(at, err)
	}
	root, _, err := inspect.Everything(job.Dir, nil)
	if err != nil {
		return "", unreadable(at, err)
	}
	job.Root = root
	if l, _, err := project.ReadLabel(job.Dir); err == nil {
		id = l.ID
	}
	return id, nil
}

// whichBackup settles from where it comes back.
func (r *backupRun) whichBackup(job *backup.Return, id string, named []string) error {
	if len(named) > 0 {
		at := named[0]
		if !place.Exists(at) && r.into != "" {
			at = filepath.Join(r.into, at)
		}
		full, err := place.Real(at)
		if err != nil {
			return unclear("", "there is no backup \"%s\"", named[0])
		}
		job.From = full
		if head := bundle.Head(full); head != nil && id != "" && head.ID != "" && head.ID != id {
			return refused("name a backup of it", "%s is of another project, %s", fromHere(full), head.Project)
		}
		return nil
	}
	if r.into == "" {
		return unclear("name the folder of its backups with --into, or the backup itself behind the project", "from which backup?")
	}
	into, err := place.Real(r.into)
	if err != nil {
		return unclear("", "there is no folder \"%s\"", r.into)
	}
	b, err := backup.Find(into, id, job.Dir.Name())
	if err != nil {
		return planned(err)
	}
	job.From = b.Dir
	return nil
}

// amountBack says how much comes back: files or, where only these were gone, folders.
func (r *backupRun) amountBack(p *proposal.Proposal) term.Shown {
	if len(p.Steps()) > 0 {
		return term.Count(len(p.Steps())-r.waiting(p.Steps()), "file")
	}
	folders := 0
	for _, c := range p.Set.Changes {
		if c.Op == change.Make && c.Kind() == tree.Folder {
			folders++
		}
	}
	return term.Count(folders, "folder")
}
