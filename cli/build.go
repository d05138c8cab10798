package cli

import (
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
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
	into                          string
	yes, preview, noLabel, asJSON bool
	noJournal                     bool
	roster                        rosterFlags

	t      *template.Template
	values template.Values
	tree   *template.Expansion
	place  *disk.Place
	plan   *plan.Plan
	notes  []disk.Note
	built  []rowBuild // what is built: one, or one for each row of a roster
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
which template and values it was built from.`,
		Example: `  vestibula build commission --into . client="Oriel Pask" received=2027-03-09
  vestibula build commission --into . --values oriel.yaml --preview
  vestibula build list.txt --into Desktop --yes
  vestibula build commission --into Clients --roster commissions.csv`,
		Args:              templateArgs,
		ValidArgsFunction: a.completeTemplate,
		RunE: func(_ *cobra.Command, args []string) error {
			return b.run(args)
		},
	}
	b.flags.add(c)
	c.Flags().StringVar(&b.into, "into", "", "the folder `DIR` to build in")
	c.Flags().BoolVarP(&b.yes, "yes", "y", false, "build without asking")
	c.Flags().BoolVar(&b.preview, "preview", false, "show what would be done, and change nothing")
	c.Flags().BoolVar(&b.noLabel, "no-label", false, "leave no "+label.FileName+" behind")
	c.Flags().StringVar(&b.roster.file, "roster", "", "build once for each row of this table, a CSV `FILE`")
	c.Flags().StringArrayVar(&b.roster.columns, "column", nil, "join a field to a column: `field=Heading`")
	c.Flags().StringVar(&b.roster.rows, "rows", "", "only these `ROWS` of the roster, such as 3,7-9")
	c.Flags().BoolVar(&b.roster.onlyGood, "only-good", false, "build the good rows, and list the others")
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
	b.tree = &template.Expansion{}
	if b.roster.file != "" {
		if err := b.growRoster(args); err != nil {
			return err
		}
	} else {
		if err := b.read(args); err != nil {
			return err
		}
		if err := b.grow(); err != nil {
			return err
		}
	}
	var err error
	if b.place, err = disk.Open(b.into); err != nil {
		return unclear("", "%v", err)
	}
	defer b.place.Close()
	if err := b.compare(); err != nil {
		return err
	}
	return b.carryOut()
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

// grow makes the tree and holds it against the rules.
func (b *buildRun) grow() error {
	set, errs := rules.Configure(b.t)
	if len(errs) > 0 {
		return b.tellErrors(b.t.Name, b.t.Text, errs, statusUnclear)
	}
	var err error
	if b.tree, err = b.t.Tree(b.values, b.flags.limit); err != nil {
		return b.tellErrors(b.t.Name, b.t.Text, err, statusFound)
	}
	b.tree.Root = b.tree.Root.Built()
	b.built = []rowBuild{{b.values, b.tree.Root}}
	wrong := 0
	for _, f := range set.Check(b.tree.Root) {
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

// compare makes the plan, and the label that goes with it.
func (b *buildRun) compare() error {
	var err error
	if b.plan, err = plan.Make(b.tree.Root, b.place); err != nil {
		return refused("nothing was changed", "%v", err)
	}
	b.noticeCutShort()
	if b.noLabel {
		return nil
	}
	if b.plan.Count[plan.Blocked] > 0 {
		return nil
	}
	if b.notes, err = b.labels(); err != nil {
		return refused("move it away, or build with --no-label", "%v", err)
	}
	return nil
}

// carryOut shows the plan and, with a yes, does it.
func (b *buildRun) carryOut() error {
	folders, files := b.plan.Made()
	blocked := b.plan.Count[plan.Blocked] > 0
	nothing := folders+files == 0 && !blocked
	asking := !b.yes && !b.preview && !nothing && !blocked && b.interactive() && !b.asJSON
	goesOn := asking || b.yes && !b.preview && !blocked || nothing && !b.preview
	switch {
	case b.asJSON:
	case b.preview || blocked || asking || !goesOn:
		b.drawPlan()
	}
	if blocked {
		if b.asJSON {
			return b.report(false)
		}
		return refused("", "Nothing was built: %s in the way.", term.Count(b.plan.Count[plan.Blocked], "thing")+isOrAre(b.plan.Count[plan.Blocked]))
	}
	if asking {
		yes, err := b.confirm(fmt.Sprintf("Build %s in %s?", b.made(), b.into))
		if err != nil {
			return err
		}
		if !yes {
			return refused("", "Nothing was changed.")
		}
	}
	if b.preview || !goesOn {
		if b.asJSON {
			return b.report(false)
		}
		if b.preview {
			b.screen.Line(term.Dim.Render("A preview: nothing was changed."))
			return nil
		}
		return refused("add --yes to build it", "Nothing was changed yet.")
	}
	if err := b.carryOutSafely(); err != nil {
		return err
	}
	if b.asJSON {
		return b.report(true)
	}
	b.closing(nothing)
	return nil
}

// noticeCutShort tells of builds in this place that never came to their end.
func (b *buildRun) noticeCutShort() {
	at, err := filepath.Abs(b.into)
	if err != nil || b.noJournal {
		return
	}
	j, err := disk.OpenJournal(journalDir())
	if err != nil {
		return // told when something is to be written down
	}
	earlier, _ := j.CutShort(at)
	for _, r := range earlier {
		b.side.Text(term.Warn.Render("note:") + fmt.Sprintf(" the build of %s on %s was cut short. The same build again finishes it; vestibula undo %d takes it back.",
			term.Visible(r.Title), r.When.Local().Format("2006-01-02 15:04"), r.Number))
	}
}

// carryOutSafely writes down what will be done, and does it: one run at a time
// in one place.
func (b *buildRun) carryOutSafely() error {
	if len(b.notes) == 0 && b.plan.Count[plan.New] == 0 {
		return nil
	}
	if b.noJournal {
		if err := b.place.Build(b.plan, b.notes, nil); err != nil {
			return b.failed(err)
		}
		return nil
	}
	j, unlock, err := b.journal(b.into)
	if err != nil {
		return err
	}
	defer unlock()
	actions, err := j.Actions(b.place, b.plan, b.notes)
	if err != nil {
		return refused("nothing was changed", "%v", err)
	}
	at, err := filepath.Abs(b.into)
	if err != nil {
		return err
	}
	earlier, err := j.CutShort(at)
	if err != nil {
		return err
	}
	record, err := j.Begin(disk.Head{What: "build", When: b.now, Place: at, Title: b.t.Heading()}, actions)
	if err != nil {
		return refused("nothing was changed; --no-journal builds all the same, but then it cannot be undone", "what is done cannot be written down: %s", disk.Reason(err))
	}
	for _, r := range earlier {
		b.place.Tidy(r)
	}
	if err := b.place.Build(b.plan, b.notes, nil); err != nil {
		if e := j.Finish(record, disk.TakenBack); e != nil {
			return e
		}
		return b.failed(err)
	}
	for _, r := range append(earlier, record) {
		if err := j.Finish(r, disk.Done); err != nil {
			return err
		}
	}
	return nil
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

func (b *buildRun) failed(err error) error {
	help := "all that had been made is gone again; nothing of yours was touched"
	if be, ok := err.(*disk.BuildError); ok && len(be.Left) > 0 {
		help = "these are left, because something is in them now: " + strings.Join(be.Left, ", ")
	}
	return refused(help, "The build stopped at %v", err)
}

var planMarks = map[plan.State]term.Mark{
	plan.New:     {Sign: "+", Style: term.Good},
	plan.There:   {Sign: "·", Style: term.Dim},
	plan.Kept:    {Sign: "~", Style: term.Warn},
	plan.Blocked: {Sign: "!", Style: term.Bad},
}

// drawPlan draws the tree with what is new, there, kept and blocked.
func (b *buildRun) drawPlan() {
	steps := map[*tree.Node]*plan.Step{}
	for i := range b.plan.Steps {
		steps[b.plan.Steps[i].Node] = &b.plan.Steps[i]
	}
	b.screen.Line(term.Title.Render(term.Visible(b.t.Heading())), term.Dim.Render(" into "+term.Visible(b.into)))
	b.screen.Line()
	b.screen.Tree(b.tree.Root, term.TreeView{
		Mark: func(n *tree.Node) term.Mark { return planMarks[steps[n].State] },
		Note: func(n *tree.Node) string {
			switch s := steps[n]; s.State {
			case plan.Blocked:
				return s.Why
			case plan.Kept:
				return "stays as it is: it is not what the template would write"
			}
			return ""
		},
	})
	b.screen.Line()
	var counts []string
	for state, word := range []string{"new", "there already", "kept as they are", "in the way"} {
		if n := b.plan.Count[state]; n > 0 {
			m := planMarks[plan.State(state)]
			counts = append(counts, m.Style.Render(m.Sign)+" "+term.Number(n)+" "+word)
		}
	}
	b.screen.Text(strings.Join(counts, "   "))
	b.app.changes(b.tree.Changes)
}

// closing tells what a build has done.
func (b *buildRun) closing(nothing bool) {
	target := b.into
	if top := b.tree.Root.Children; len(top) == 1 {
		target = filepath.Join(b.into, top[0].Name)
	}
	if nothing {
		b.screen.Text(term.Good.Render("Nothing to do:") + " all of it is there already in " + term.Visible(target))
	} else {
		b.screen.Text(term.Good.Render("Built") + " " + b.made() + " in " + term.Visible(target) + besides(b.plan.Count[plan.There]))
	}
	for i := range b.plan.Steps {
		if b.plan.Steps[i].State == plan.Kept {
			b.screen.Text(term.Warn.Render("kept") + " as it is, though not what the template would write: " + term.Visible(b.plan.Path(i)))
		}
	}
	b.app.changes(b.tree.Changes)
}

// besides says how much was there before.
func besides(there int) string {
	if there == 0 {
		return ""
	}
	return fmt.Sprintf("; %s more stood there already", term.Number(there))
}

// report prints the plan, and whether it was carried out, as JSON.
func (b *buildRun) report(built bool) error {
	type step struct {
		Path  string `json:"path"`
		Kind  string `json:"kind"`
		State string `json:"state"`
		Why   string `json:"why,omitempty"`
	}
	steps := make([]step, len(b.plan.Steps))
	for i, s := range b.plan.Steps {
		steps[i] = step{b.plan.Path(i), s.Node.Kind.String(), s.State.String(), s.Why}
	}
	err := b.printJSON(struct {
		Template string `json:"template"`
		Into     string `json:"into"`
		Built    bool   `json:"built"`
		New      int    `json:"new"`
		There    int    `json:"there"`
		Kept     int    `json:"kept"`
		Blocked  int    `json:"blocked"`
		Steps    []step `json:"steps"`
	}{b.t.Name, b.into, built, b.plan.Count[plan.New], b.plan.Count[plan.There], b.plan.Count[plan.Kept], b.plan.Count[plan.Blocked], steps})
	if err == nil && (b.plan.Count[plan.Blocked] > 0 || !built && !b.preview) {
		return found
	}
	return err
}
