package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/signal"
	"os/user"
	"path"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"github.com/adrg/xdg"
	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// A consent says how a command that changes a disk comes to its yes.
type consent struct {
	yes, preview, asJSON bool
	// named says that the plan only makes new files that the call names: there is
	// nothing to ask.
	named bool
	// plan is the file that the plan is written to instead.
	plan string
	// fixLinks asks to change what would lead nowhere as well, and addresses is the file
	// for a table of web addresses.
	fixLinks  bool
	addresses string
	// parts are what the plan is told by: it has rows for what is left as well.
	parts []*proposal.Part
	// then says what is left to do when a plan that was written has been carried out.
	then string
	// leaves says that what is in the way is left and told: prepared returns a
	// [disk.BlockedError] then.
	leaves bool
	// revisable says that the plan follows from answers, or from defaults that nobody was
	// asked about: they can be changed before it is carried out.
	revisable bool
	// called says how a message calls what is in the way; nil: by its path.
	called func(path string) string
}

// addYes adds the flag --yes.
func (c *consent) addYes(to *cobra.Command, what string) {
	to.Flags().BoolVarP(&c.yes, "yes", "y", false, what)
}

// addAnswers adds the flags of a command that proposes a plan: what --yes does, --preview and --json.
func (c *consent) addAnswers(to *cobra.Command, does string) {
	c.addYes(to, does+" without asking")
	to.Flags().BoolVar(&c.preview, "preview", false, "show what would be done, and change nothing")
	to.Flags().BoolVar(&c.asJSON, "json", false, "print JSON")
}

// agreed shows a plan where it is to be seen, and asks where somebody can be
// asked. It reports whether the plan is to be carried out; where it is not, the
// error ends the command, or nothing is left to be said.
func (a *app) agreed(c consent, show func(), question, how string) (bool, error) {
	asking := !c.yes && !c.preview && !c.named && !c.asJSON && a.interactive()
	goesOn := (c.yes || c.named) && !c.preview
	if !c.asJSON && (asking || !goesOn) {
		show()
	}
	switch {
	case goesOn:
		return true, nil
	case c.preview && !c.asJSON:
		a.screen.Line(term.Dim.Render("A preview: nothing was changed."))
		return false, nil
	case c.preview || c.asJSON:
		return false, nil
	case !asking:
		return false, refused(a.sameCall("to "+how, "--yes").String(), "Nothing was changed yet.")
	}
	yes, err := false, error(nil)
	if c.revisable {
		yes, err = a.confirmOrRevise(question)
	} else {
		yes, err = a.confirm(question)
	}
	if err == nil && !yes {
		help := ""
		if words := a.answeredCall(); words != nil { // the answers are not lost with the no
			help = advise("the same with these answers", words...).String()
		}
		err = refused(help, "Nothing was changed.")
	}
	return err == nil, err
}

// tellLinkless tells which links are left out.
func (a *app) tellLinkless(paths []string) {
	if n := len(paths); n > 0 {
		a.note(term.Sprintf("%s left out, as there are no links on this drive: %s", term.Count(n, "link")+isOrAre(n), strings.Join(few(paths), ", ")))
	}
}

// prepared puts a set into order, and tells all that is in its way. Where nobody
// will be asked, its places are held from now on, until it is carried out.
func (a *app) prepared(set *change.Set, c consent, noJournal bool) (p *disk.Plan, err error) {
	if c.plan != "" && (c.yes || c.preview || c.asJSON) {
		return nil, unclear("leave one of them out", "--plan writes the plan to a file and changes nothing: it goes without --yes, --preview and --json")
	}
	if (c.yes || c.named) && !c.preview {
		w := a.writer()
		w.NoJournal = noJournal
		p, err = w.Prepare(set)
	} else {
		p, err = disk.Prepare(set)
	}
	if err != nil {
		return nil, a.failed(&undertaking{}, err)
	}
	a.tellLinkless(p.NoLinks)
	if len(p.Blocked) > 0 {
		p.Drop()
		if c.leaves {
			return nil, &disk.BlockedError{Blocked: p.Blocked}
		}
		return nil, refused("", "Nothing was changed: %s", severalLines(blocked(p.Blocked, c.called)))
	}
	if c.plan != "" {
		return nil, a.writePlan(set, c)
	}
	return p, nil
}

// blocked lists what is in the way.
func blocked(list []disk.Blocked, called func(path string) string) string {
	var lines []string
	for i, b := range list {
		if i == manyRows {
			lines = append(lines, fmt.Sprintf("and %s more", term.Number(len(list)-i)))
			break
		}
		name := b.Path
		if called != nil {
			name = called(b.Path)
		}
		lines = append(lines, name+": "+b.Why)
	}
	return strings.Join(lines, "\n")
}

// stateDir is the folder in which the program keeps what it has to remember.
func (a *app) stateDir() string {
	if a.state == "" {
		a.state = filepath.Join(xdg.StateHome, "vestibula")
		if here, err := place.Real("."); err == nil && place.Exists(demoStates()) {
			for at := here; ; at = at.Parent() {
				if of := demoState(at); place.Exists(of) {
					a.state = of
				}
				if at == at.Parent() {
					break
				}
			}
		}
	}
	return a.state
}

// settle finds out where the home of the person is, if nothing in the environment says it:
// what is to be remembered would be kept in the root of the disk otherwise.
func (a *app) settle() error {
	if a.getenv("HOME") != "" || runtime.GOOS == "windows" {
		return nil
	}
	if account, err := user.Current(); err == nil && filepath.IsAbs(account.HomeDir) && account.HomeDir != "/" {
		if err = os.Setenv("HOME", account.HomeDir); err == nil {
			a.env = append(a.env, "HOME="+account.HomeDir)
			xdg.Reload()
			return nil
		}
	}
	return unclear("set the variable HOME to your own folder", "where your home is cannot be told, and so not where to keep what was done")
}

func (a *app) writer() *disk.Writer {
	return &disk.Writer{Dir: a.stateDir(), Spare: filepath.Join(os.TempDir(), fmt.Sprintf("vestibula-%d", os.Getuid()))}
}

// An undertaking is a plan that is carried out now.
type undertaking struct {
	plan      *disk.Plan
	head      journal.Head
	doing     string // what the bar says
	total     int    // how much the bar below counts
	spared    bool   // where it changes nothing, no record is made of it
	noJournal bool
	keep      bool                   // what was done stays where it fails
	bar       func(done func(n int)) // takes the bar's counter where something else counts; may be nil
}

// A task is a proposal, and what the loop asks and says of it.
type task struct {
	undertaking // its plan is filled in
	*proposal.Proposal
	follows  *following                                            // where things are looked for that point at what moves; nil: nothing does
	followed *followed                                             // what was found there
	without  func(list []disk.Blocked) (*proposal.Proposal, error) // plans it anew without what is in the way; nil: that ends it
	draw     func()                                                // draws it, where its steps are not what is to be seen
	idle     term.Shown                                            // said where nothing is to be done; "": that is carried out like anything else
	question string                                                // that asks for the yes
	how      string                                                // what --yes does, where nobody can be asked
	of       func() any                                            // what else is told in JSON; may be nil
	report   func(done bool) error                                 // prints the JSON, where that is of another form
	told     func() term.Shown                                     // says what was done
	open     int                                                   // so many of its steps wait for an answer
	asked    bool                                                  // somebody was asked for them
}

// propose shows, asks, carries out and tells: in JSON, if that is wanted.
func (a *app) propose(c consent, t *task) error {
	if !t.asked {
		tellOpen(t.Proposal, t.open)
	}
	goes, err := a.pass(c, t)
	switch {
	case err != nil:
	case c.asJSON && t.report != nil:
		err = t.report(goes)
	case c.asJSON:
		err = a.printPlan(c, t, goes)
	case goes && t.told != nil:
		a.screen.Text(t.told())
	}
	if err == nil && t.open > 0 && !c.preview {
		a.left(t.open, c)
		err = found
	}
	return err
}

// pass is the only way from a command to the disk: it adds to a proposal what follows from it,
// holds it against its places, shows it, asks, and carries it out. It reports whether that was
// begun.
func (a *app) pass(c consent, t *task) (goes bool, err error) {
	if t.draw == nil {
		t.draw = func() { a.drawPlan(t) }
	}
	if err := a.hold(c, t); err != nil {
		return false, err
	}
	if t.plan == nil {
		if !c.asJSON {
			t.draw()
			a.screen.Text(term.Good.Render("Nothing to do:") + " " + t.idle)
		}
		return false, nil
	}
	defer t.plan.Drop()
	if err := a.unended(t); err != nil {
		return false, err
	}
	if c.yes && !c.preview && !c.named && !c.asJSON {
		t.draw() // what was agreed to is a part of the answer
	}
	if goes, err = a.agreed(c, t.draw, t.question, t.how); err != nil || !goes {
		return false, err
	}
	if !t.spared || len(t.plan.List) > 0 {
		if t.head.Named = c.named; len(t.Roots) > 0 {
			t.head.Roots = t.Roots
		}
		a.record, err = a.carryOut(t.undertaking)
	}
	return true, err
}

// hold adds what follows from a proposal, and holds it against its places, without what is in
// the way where that can be left out. There is no plan where nothing is to be done.
func (a *app) hold(c consent, t *task) (err error) {
	if t.plan == nil && t.Back != nil {
		t.plan = disk.TakeBack(t.Back)
		return nil
	}
	for t.plan == nil {
		if t.follows != nil {
			if err := a.follow(c, t); err != nil {
				return err
			}
		}
		a.raise(t.Proposal)
		c.leaves, c.parts = t.without != nil, t.Parts
		if t.idle != "" && len(t.Set.Changes) == 0 && (c.plan == "" || !c.undecided()) {
			return nil
		}
		var inTheWay *disk.BlockedError
		if t.plan, err = a.prepared(t.Set, c, t.noJournal); !errors.As(err, &inTheWay) || t.without == nil {
			return err
		}
		if t.Proposal, err = t.without(inTheWay.Blocked); err != nil {
			return err
		}
	}
	return nil
}

// carryOut carries a plan out, with a bar, until somebody stops it. The error ends
// the command.
func (a *app) carryOut(u undertaking) (*journal.Record, error) {
	if u.bar == nil {
		u.total = u.plan.Steps()
	}
	done, end := a.progress(u.doing, u.total)
	a.catching.Add(1)
	defer a.catching.Add(-1)
	stop, release := signal.NotifyContext(context.Background(), os.Interrupt)
	w := a.writer()
	w.NoJournal, w.Keep, w.Stop, w.Done = u.noJournal, u.keep, stop.Done(), done
	if u.bar != nil {
		w.Done = nil
		u.bar(done)
	}
	u.head.When, u.head.Call, u.head.Here = a.now, wordsOf(a.call), address.Text(currentFolder())
	record, err := w.Apply(u.plan, u.head)
	if record != nil {
		a.number = record.Number
	}
	if release(); err == nil {
		a.changed.Store(true)
	}
	end()
	if err == nil {
		a.tellGaps(u.plan.Places)
	}
	if err == nil && u.plan.Untidy && !u.noJournal {
		a.note(term.Sprintf("the hidden folder of this run could not be taken away, and is left in %s. %s", address.List(u.plan.Places), advise("To remove it, and the way back with it", "history", "--forget", fmt.Sprint(a.number))))
	}
	return record, a.failed(&u, err)
}

// planned is the error of a planner, which ends the command.
func planned(err error) error {
	var told *stop
	var no *proposal.Refusal
	switch {
	case err == nil || errors.As(err, &told):
		return err
	case errors.As(err, &no):
		return refused(no.Help, "%s", no.Message)
	}
	return refused("", "%v", err)
}

// failed says, for a person, why a plan was not carried out.
func (a *app) failed(u *undertaking, err error) error {
	var (
		busy      *disk.BusyError
		inTheWay  *disk.BlockedError
		unwritten *journal.Error
		failed    *disk.ApplyError
		full      *disk.FullError
	)
	switch {
	case err == nil:
		return nil
	case errors.As(err, &full):
		return refused("make room there, or do it for a part at a time", "Nothing was changed: %s are needed on the disk of %s, and %s are free there.", term.Size(full.Need), fromHere(full.Path), term.Size(full.Free))
	case errors.As(err, &busy):
		return refused("wait until it has ended, and try again", "%v", busy)
	case errors.As(err, &inTheWay):
		return refused(a.sameCall("the plan is another one now; to see it").String(), "Nothing was changed: something has changed meanwhile: %s", severalLines(blocked(inTheWay.Blocked, nil)))
	case errors.As(err, &failed) && failed.Kept:
		help := "what was done until then is whole, and stays\n" + advise("to go on", "history", "--finish", fmt.Sprint(a.number)).String() + "\n" + undoing(a.number).String()
		if errors.Is(err, disk.ErrStopped) {
			return refused(help, "Stopped.")
		}
		return refused(help, "Stopped at %v", failed)
	case errors.As(err, &failed):
		help := "all that had been done is taken back; nothing of yours was touched"
		if n := len(failed.Left); n > 0 {
			help = "these could not be taken back: " + strings.Join(failed.Left[:min(n, 5)], ", ")
			if n > 5 {
				help += fmt.Sprintf(" and %s more", term.Number(n-5))
			}
			help += "\n" + advise("to finish it", "history", "--finish", fmt.Sprint(a.number)).String()
			help += "\n" + undoing(a.number).String()
		}
		if errors.Is(err, disk.ErrStopped) {
			return refused(help, "Stopped.")
		}
		return refused(help, "Stopped at %v", failed)
	case errors.As(err, &unwritten) && unwritten.Done:
		return refused(undoing(a.number).String(), "All of it is done, but that cannot be written down: %s", place.Reason(unwritten.Err))
	case errors.As(err, &unwritten):
		return refused(a.unwritten(), "what is done cannot be written down: %s", place.Reason(unwritten.Err))
	}
	return refused("nothing was changed", "%s", place.Reason(err))
}

// unwritten says how to do without writing down what is done, for the command that can.
func (a *app) unwritten() string {
	if len(a.call) == 0 || a.call[0] != "build" {
		return "nothing was changed"
	}
	return a.sameCall("nothing was changed; to build all the same, although it cannot be taken back then", "--no-journal").String()
}

// A newFile is a file that a command makes, by its path from here.
type newFile struct {
	path    string
	content tree.Content // nil of a folder
}

// fileSet returns the set that makes files, with the folders on the way that are
// not there yet, and what a record names of it.
func fileSet(files []newFile) (*change.Set, []journal.Root, error) {
	set := &change.Set{}
	way := set.Way(func(change.At) bool { return false })
	var roots []journal.Root
	for _, f := range files {
		full, err := filepath.Abs(f.path)
		if err != nil {
			return nil, nil, err
		}
		top := filepath.Dir(full)
		for {
			if _, err := place.Stat(top); !errors.Is(err, fs.ErrNotExist) {
				break
			}
			top = filepath.Dir(top)
		}
		rel, err := filepath.Rel(top, full)
		if err != nil {
			return nil, nil, err
		}
		rel = filepath.ToSlash(rel)
		real, err := place.Real(top)
		if err != nil {
			return nil, nil, err
		}
		at := change.At{In: set.Place(real), Path: rel}
		way.To(change.At{In: at.In, Path: path.Dir(rel)}, "")
		if f.content == nil {
			set.MakeFolder(at, "")
		} else {
			set.MakeFile(at, f.content, "")
		}
		if len(roots) < proposal.ManyRoots {
			roots = append(roots, journal.Root{In: at.In, Path: address.Text(rel)})
		}
	}
	return set, roots, nil
}

// when says when something was, as a list shows it.
func when(t time.Time) term.Shown { return term.Visible(t.Local().Format("2006-01-02 15:04")) }

// makeFiles makes the new files that a call names, all or none.
func (a *app) makeFiles(what, title string, files []newFile, noJournal bool) error {
	set, roots, err := fileSet(files)
	if err != nil {
		return refused("nothing was written", "%s", place.Reason(err))
	}
	return a.makeNew(what, title, set, roots, noJournal)
}

// writeFile writes a new file that a call names, and says how much that is.
func (a *app) writeFile(what, file string, data []byte, much term.Shown) error {
	if err := a.makeFiles(what, filepath.Base(file), []newFile{{file, tree.Bytes(data)}}, false); err != nil {
		return err
	}
	a.screen.Text(term.Good.Render("Written") + term.Sprintf(": %s, %s.", file, much))
	return nil
}

// makeNew carries out a set that makes new files alone.
func (a *app) makeNew(what, title string, set *change.Set, roots []journal.Root, noJournal bool) error {
	return a.propose(consent{named: true}, &task{Proposal: &proposal.Proposal{Set: set, Roots: roots},
		undertaking: undertaking{doing: "writing", noJournal: noJournal, head: journal.Head{What: what, Title: title, Project: title}}})
}
