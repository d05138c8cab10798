package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/disk"
	"vestibula/core/label"
	"vestibula/core/plan"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A buildRun is one call of build.
type buildRun struct {
	*app
	flags                         valueFlags
	into                          string // the folder or archive, as it was given
	yes, preview, noLabel, asJSON bool
	noJournal                     bool
	table                        tableRun

	t       *template.Template
	values  template.Values
	archive archiving
	tree    *template.Expansion
	place   *disk.Place
	plan    *plan.Plan
	notes   []disk.Note
	// unfinished says that an earlier build in this place was cut short.
	unfinished bool
	marks      *disk.Revision // the table with its marks, where it is to be marked
	findings   chan []rules.Finding
	batch      *batch.Batch // what is built: one, or one for each row of a table
}

func (a *app) buildCommand() *cobra.Command {
	b := &buildRun{app: a}
	c := &cobra.Command{
		Use:   "build TEMPLATE --into DIR [field=value …]",
		Short: "Build the folders and files of a template.",
		Long: `Build the folders and files of a template inside the folder DIR.

First a complete plan is made and checked; on a terminal you see it and are
asked. What is there already stays as it is, and nothing is overwritten: run
the same command again after changing a template, and only what is missing is
made. A small hidden file, ` + label.FileName + `, remembers in the new folder
which template and values it was built from.

With a table, a table in XLSX or CSV, the template is built once for each row.
All rows are checked before the first change. With --mark it is written into the
table which rows are built, so that the same command builds what was added.

Into FILE.zip or FILE.tar.gz the same is written as an archive.`,
		Example: `  vestibula build commission --into . client="Oriel Pask" received=2027-03-09
  vestibula build commission --into . --values oriel.yaml --preview
  vestibula build list.txt --into Desktop --yes
  vestibula build commission --into Clients --table commissions.xlsx --mark
  vestibula build evening-course --into course.zip course="Case Binding" term="2027 spring" people="Oriel Pask; Jun Teague"`,
		Args:              templateArgs,
		ValidArgsFunction: a.completeTemplate,
		RunE: func(_ *cobra.Command, args []string) error {
			return b.run(args)
		},
	}
	b.flags.add(c)
	c.Flags().StringVar(&b.into, "into", "", "the folder `DIR` to build in, or a new archive: FILE.zip or FILE.tar.gz")
	c.Flags().StringVar(&b.archive.dated, "dated", "", "the `DAY` that an archive says all in it is from; 2000-01-01 if you name none")
	c.Flags().BoolVarP(&b.yes, "yes", "y", false, "build without asking")
	c.Flags().BoolVar(&b.preview, "preview", false, "show what would be done, and change nothing")
	c.Flags().BoolVar(&b.noLabel, "no-label", false, "leave no "+label.FileName+" behind")
	b.table.add(c)
	c.Flags().BoolVar(&b.noJournal, "no-journal", false, "build although it cannot be undone, where nothing can be written down")
	c.Flags().BoolVar(&b.asJSON, "json", false, "print JSON")
	_ = c.MarkFlagDirname("into")
	_ = c.MarkFlagFilename("values", "yaml", "yml", "json")
	return c
}

func (b *buildRun) run(args []string) error {
	if b.into == "" {
		return unclear("for example: --into .", "into which folder? Name it with --into")
	}
	if err := b.table.inOrder(); err != nil {
		return err
	}
	if err := b.openPlace(); err != nil {
		return err
	}
	defer b.place.Close()
	b.tree = &template.Expansion{}
	grow := b.grow
	if b.table.file != "" {
		grow = b.growTable
	}
	if err := grow(args); err != nil {
		return err
	}
	err := b.compare()
	if wrong := b.judge(); wrong != nil {
		return wrong
	}
	if err != nil {
		return err
	}
	return b.carryOut()
}

// openPlace opens the folder to build in: of an archive, the one that it will
// lie in.
func (b *buildRun) openPlace() error {
	at := b.into
	packing, err := b.toArchive()
	if err != nil {
		return err
	}
	if packing {
		at = filepath.Dir(at)
	}
	if b.place, err = disk.Open(at); err != nil {
		return unclear("", "%v", err)
	}
	return nil
}

// read reads the template and all values, asking for those that are missing
// where somebody can be asked.
func (b *buildRun) read(args []string) error {
	var err error
	if b.t, err = b.load(args[0]); err != nil {
		return err
	}
	if b.values, err = b.app.values(b.t, args[1:], b.flags.file); err != nil {
		return err
	}
	if lacking := b.t.Missing(b.values); len(lacking) > 0 {
		if !b.interactive() || b.yes || b.asJSON {
			return missing(b.t.Name, lacking)
		}
		if err := b.ask(b.t, b.values); err != nil {
			return err
		}
		b.side.Line()
	}
	b.values = b.t.Complete(b.values, b.now)
	return nil
}

// grow makes the tree, and has the rules judge it.
func (b *buildRun) grow(args []string) error {
	if err := b.read(args); err != nil {
		return err
	}
	set, errs := rules.Configure(b.t)
	if len(errs) > 0 {
		return b.tellErrors(b.t.Name, b.t.Text, errs, statusUnclear)
	}
	var err error
	if b.tree, err = b.t.Tree(b.values, b.flags.limit); err != nil {
		return b.tellErrors(b.t.Name, b.t.Text, err, statusFound)
	}
	b.tree.Root = b.tree.Root.Built()
	b.batch = &batch.Batch{Builds: []*batch.Build{{Values: b.values, Root: b.tree.Root}}}
	b.findings = make(chan []rules.Finding, 1)
	go func() { b.findings <- set.Check(b.tree.Root) }()
	return nil
}

// judge tells what the rules find wrong with the tree. They are asked while the
// plan is made: of a large tree both take their time.
func (b *buildRun) judge() error {
	if b.findings == nil {
		return nil
	}
	wrong := 0
	for _, f := range <-b.findings {
		if f.Severity != rules.Error {
			continue
		}
		p := placed(b.t, f)
		b.side.Message(term.Place{File: b.t.Name, Line: p.Line, Column: p.Column, Width: p.Width, Text: p.text}, term.Bad, p.Message, p.Help)
		wrong++
	}
	if wrong > 0 {
		return refused("", "Nothing was built. vestibula check tells more.")
	}
	return nil
}

// compare makes the plan, and what goes with it: the labels, and the table's
// marks.
func (b *buildRun) compare() error {
	if err := b.makePlan(); err != nil {
		return err
	}
	if b.table.file != "" {
		if err := b.judgeRows(); err != nil {
			return err
		}
	}
	if at, n, most := b.place.TooLong(b.plan); n > most {
		return refused(fmt.Sprintf("build nearer to the top of the disk, or give shorter names; this system takes %d characters", most),
			"Nothing was built: this path would have %s characters: %s", term.Number(n), at)
	}
	b.noticeCutShort()
	if b.plan.Count[plan.Blocked] > 0 {
		return nil
	}
	if !b.noLabel {
		var err error
		if b.notes, err = b.labels(); err != nil {
			return refused("move it away, or build with --no-label", "%v", err)
		}
	}
	if b.archive.name != "" && len(b.batch.Builds) > 0 {
		if err := b.compareArchive(); err != nil {
			return err
		}
	}
	if b.table.mark {
		return b.markRows()
	}
	return nil
}

// makePlan compares the tree with what is there.
func (b *buildRun) makePlan() error {
	var place plan.Place = b.place
	if b.archive.name != "" {
		place = nowhere{}
	}
	var err error
	if b.plan, err = plan.Make(b.tree.Root, place); err != nil {
		return refused("nothing was changed", "%v", err)
	}
	return nil
}

// carryOut shows the plan and, with a yes, does it.
func (b *buildRun) carryOut() error {
	blocked := b.plan.Count[plan.Blocked] > 0
	nothing := b.nothing() && !blocked
	asking := !b.yes && !b.preview && !nothing && !blocked && b.interactive() && !b.asJSON
	goesOn := asking || b.yes && !b.preview && !blocked || nothing && !b.preview
	if !b.asJSON && (b.preview || blocked || asking || !goesOn) {
		b.drawPlan()
	}
	if blocked {
		if b.asJSON {
			return b.report(false)
		}
		return refused("", "Nothing was built: %s in the way.", term.Count(b.plan.Count[plan.Blocked], "thing")+isOrAre(b.plan.Count[plan.Blocked]))
	}
	if asking {
		yes, err := b.confirm(b.question())
		if err != nil {
			return err
		}
		if !yes {
			return refused("", "Nothing was changed.")
		}
	}
	if b.preview || !goesOn {
		if err := b.report(false); err != nil || b.asJSON {
			return err
		}
		if b.preview {
			b.screen.Line(term.Dim.Render("A preview: nothing was changed."))
			return nil
		}
		return refused("add --yes to build it", "Nothing was changed yet.")
	}
	unmarked, err := b.carryOutSafely()
	if err != nil {
		return err
	}
	if unmarked != nil {
		b.marks = nil
	}
	if err := b.report(true); err != nil {
		return err
	}
	if !b.asJSON {
		if asking {
			b.screen.Line()
		}
		b.closing(nothing)
		if !asking { // else they stand below the plan
			b.app.changes(b.tree.Changes)
		}
	}
	return unmarked
}

// nothing reports whether there is nothing to do.
func (b *buildRun) nothing() bool {
	return b.changes().Count[plan.New] == 0 && b.marks == nil
}

// changes is the plan of what is done to the disk.
func (b *buildRun) changes() *plan.Plan {
	if b.archive.plan != nil {
		return b.archive.plan
	}
	return b.plan
}

// question asks for the yes.
func (b *buildRun) question() string {
	switch {
	case b.changes().Count[plan.New] == 0:
		return fmt.Sprintf("Mark %s in %s?", term.Count(len(b.batch.Builds), "row"), b.table.file)
	case b.marks != nil:
		return fmt.Sprintf("Build %s in %s, and mark %s in %s?", b.made(), b.into, term.Count(len(b.batch.Builds), "row"), b.table.file)
	}
	return fmt.Sprintf("Build %s in %s?", b.made(), b.into)
}

// noticeCutShort tells of runs that never came to their end.
func (b *buildRun) noticeCutShort() {
	at, err := filepath.Abs(b.place.Path)
	if err != nil || b.noJournal {
		return
	}
	for _, r := range b.cutShort() {
		b.side.Text(term.Warn.Render("note:") + " " + term.Visible(offer(r, at)))
		b.unfinished = b.unfinished || r.What == "build" && r.Place == at
	}
}

// carryOutSafely writes down what will be done, and does it: one run at a time
// in one place. Unmarked says that all was built, but the table could not be
// marked.
func (b *buildRun) carryOutSafely() (unmarked, err error) {
	if len(b.notes) == 0 && b.nothing() && !b.unfinished {
		return nil, nil
	}
	done, end := b.progress("building", len(b.plan.Steps))
	job := disk.Job{Plan: b.changes(), Notes: b.notes, Revision: b.marks, Done: done}
	if b.archive.plan != nil {
		job.Done, b.archive.done = nil, done
	}
	stop, release := signal.NotifyContext(context.Background(), os.Interrupt)
	job.Stop = stop.Done()
	if b.noJournal {
		err = b.place.Build(job)
	} else {
		err = b.buildWithJournal(job)
	}
	release()
	end()
	var failed *disk.BuildError
	var unwritten *disk.JournalError
	var unrevised *disk.RevisionError
	switch {
	case errors.As(err, &failed):
		return nil, b.failed(failed)
	case errors.As(err, &unrevised) && !unrevised.Built:
		return nil, refused("close it in other programs and run the same command again, or build without --mark", "Nothing was built: the table cannot be marked: %v", unrevised)
	case unrevised != nil:
		return refused("close it in other programs, and run the same command again: what is built stays as it is", "The table is not marked: %v", unrevised), nil
	case errors.As(err, &unwritten) && unwritten.Done:
		return nil, refused("the same command again finishes it", "All of it is built, but that cannot be written down: %s", disk.Reason(unwritten.Err))
	case errors.As(err, &unwritten):
		return nil, refused("nothing was changed; --no-journal builds all the same, but then it cannot be undone", "what is done cannot be written down: %s", disk.Reason(unwritten.Err))
	}
	return nil, err
}

func (b *buildRun) buildWithJournal(job disk.Job) error {
	j, unlock, err := b.journal(b.place.Path)
	if err != nil {
		return err
	}
	defer unlock()
	if err := b.changedMeanwhile(); err != nil {
		return err
	}
	at, err := filepath.Abs(b.place.Path)
	if err != nil {
		return err
	}
	return j.Build(b.place, job, disk.Head{When: b.now, Place: at, Title: b.t.Heading()})
}

// changedMeanwhile says whether somebody has changed the place since the plan was
// made, while the yes was waited for.
func (b *buildRun) changedMeanwhile() error {
	root := b.tree.Root
	if b.archive.plan != nil {
		root = &tree.Node{Children: []*tree.Node{b.changes().Steps[0].Node}}
	}
	now, err := plan.Make(root, b.place)
	same := err == nil && slices.EqualFunc(now.Steps, b.changes().Steps, func(x, y plan.Step) bool { return x.State == y.State })
	for _, n := range b.notes {
		if same {
			var data []byte
			data, err = b.place.ReadFile(n.Path)
			same = err == nil && bytes.Equal(data, n.Was)
		}
	}
	if same {
		return nil
	}
	return refused("run the same command again: the plan is another one now", "Nothing was built: something has changed in %s meanwhile.", b.place.Path)
}

func isOrAre(n int) string {
	if n == 1 {
		return " is"
	}
	return " are"
}

// made says how much the plan makes: "6 folders and 2 files".
func (b *buildRun) made() string {
	folders, files := b.plan.Made()
	if files == 0 {
		return term.Count(folders, "folder")
	}
	return term.Count(folders, "folder") + " and " + term.Count(files, "file")
}

func (b *buildRun) failed(err *disk.BuildError) error {
	help := "all that had been made is gone again; nothing of yours was touched"
	if n := len(err.Left); n > 0 {
		help = "these could not be taken back: " + strings.Join(err.Left[:min(n, 5)], ", ")
		if n > 5 {
			help += fmt.Sprintf(" and %s more", term.Number(n-5))
		}
		if !b.noJournal {
			help += "\nthe same build again finishes it; vestibula undo takes it back"
		}
	}
	if errors.Is(err, disk.ErrStopped) {
		return refused(help, "Stopped.")
	}
	return refused(help, "The build stopped at %v", err)
}

var planMarks = map[plan.State]term.Mark{
	plan.New:     {Sign: "+", Style: term.Good},
	plan.There:   {Sign: "·", Style: term.Dim},
	plan.Kept:    {Sign: "~", Style: term.Warn},
	plan.Blocked: {Sign: "!", Style: term.Bad},
}
