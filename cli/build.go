package cli

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/bundle"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/rules"
	"vestibula/core/template"
)

// A buildRun is one call of build.
type buildRun struct {
	*app
	flags valueFlags
	consent
	into               string // the folder or archive, as it was given
	what               string // it is, in the word of the history
	template, dated    string // as they were given
	noLabel, noJournal bool
	anew               bool // also what would be there twice
	table              tableRun

	again    *project.Project // which is built once more
	t        *template.Template
	values   template.Values
	job      *batch.Job // what is built: one, or one for each row of a table
	proposal *proposal.Proposal
	marked   int // so many rows of the table
	// upgrades is how many changes bring projects up to date whose rows have changed.
	upgrades int
	updates  *task // what brings them up to date
	// reported says that the report is a part of the set that was carried out.
	reported bool
	findings chan []rules.Finding
	warned   int    // what the rules warn of
	aim      string // what is built, where that is not the folder at the top
}

func (a *app) buildCommand() *cobra.Command {
	b := &buildRun{app: a, what: "build"}
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

Into FILE.zip or FILE.tar.gz the same is written as an archive.

In a project, TEMPLATE and --into may be left out: it is built again, with its own values
and those that you give.`,
		Example: `  vestibula build commission --into . client="Oriel Pask" received=2027-03-09
  vestibula build commission --into . --values oriel.yaml --preview
  vestibula build list.txt --into Desktop --yes
  vestibula build commission --into Clients --table commissions.xlsx --mark
  vestibula build evening-course --into course.zip course="Case Binding" term="2027 spring" people="Oriel Pask; Jun Teague"`,
		ValidArgsFunction: a.completeTemplate,
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) > 0 {
				if name, _, isValue := strings.Cut(args[0], "="); !isValue || !outline.IsWord(name) {
					return b.run(args)
				}
			}
			if err := b.inProject(); err != nil {
				return err
			}
			if b.again == nil {
				return templateArgs(c, nil)
			}
			return b.run(append([]string{""}, args...))
		},
	}
	b.flags.add(c)
	c.Flags().StringVar(&b.into, "into", "", "the folder `DIR` to build in, or a new archive: FILE.zip or FILE.tar.gz")
	c.Flags().StringVar(&b.dated, "dated", "", "the `DAY` that an archive says all in it is from; 2000-01-01 if you name none")
	b.addAnswers(c, "build")
	b.addPlan(c)
	c.Flags().BoolVar(&b.noLabel, "no-label", false, "leave no "+label.FileName+" behind")
	c.Flags().BoolVar(&b.anew, "add", false, "in a project, build new lines although what they number is there under other numbers")
	b.table.add(c)
	c.Flags().BoolVar(&b.noJournal, "no-journal", false, "build although it cannot be undone, where nothing can be written down")
	_ = c.MarkFlagDirname("into")
	_ = c.MarkFlagFilename("values", "yaml", "yml", "json")
	return c
}

func (b *buildRun) run(args []string) error {
	for begin := *b; ; {
		err := b.once(args)
		if !errors.Is(err, errRevise) {
			return err
		}
		b.side.Line()
		begin.into = b.into
		*b = begin
		b.app.revising = true
	}
}

// once makes a plan, shows it, and carries it out.
func (b *buildRun) once(args []string) error {
	if err := b.whereto(args); err != nil {
		return err
	}
	if err := b.table.inOrder(); err != nil {
		return err
	}
	if err := b.openPlace(); err != nil {
		return err
	}
	defer b.job.Place.Close()
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

// inProject finds the project that the current folder is, or lies in: it is built again
// where no template is named.
func (b *buildRun) inProject() error {
	own, l, err := project.Find(".")
	if err != nil || l == nil {
		return err
	}
	if b.again, err = b.openProject(own, l); err != nil {
		return err
	}
	if b.into != "" {
		return nil
	}
	x, err := b.again.Template.Tree(b.again.Values, b.flags.limit)
	if err != nil {
		return refused("", "%v", err)
	}
	b.into = string(b.again.Base(x.Root))
	return nil
}

// openPlace opens the folder to build in: of an archive, the one that it will
// lie in.
func (b *buildRun) openPlace() error {
	at := b.into
	pack, err := b.pack()
	if err != nil {
		return err
	}
	if pack != nil {
		at = filepath.Dir(at)
	}
	p, err := place.Open(at)
	if err != nil {
		return unclear("", "%v", err)
	}
	b.job = &batch.Job{Place: p, Into: b.into, Pack: pack, Version: b.version, Bare: b.noLabel, All: b.anew, Again: b.again != nil, Store: b.store(), Read: b.reading}
	return nil
}

// read reads the template and all values, asking for those that are missing
// where somebody can be asked.
func (b *buildRun) read(args []string) error {
	var err error
	if b.again != nil {
		b.t, _, err = b.today(b.again)
	} else {
		b.template = args[0]
		b.t, err = b.loadList(b.template)
	}
	if err != nil {
		return err
	}
	if b.values, err = b.app.values(b.t, args[1:], b.flags.file); err != nil {
		return err
	}
	if b.again != nil {
		values := b.t.Known(b.again.Label.Raw(), b.now)
		maps.Copy(values, b.values)
		b.values = values
	}
	asks := b.interactive() && !b.yes && !b.asJSON && !b.preview && b.consent.plan == ""
	switch lacking := b.t.Missing(b.values); {
	case len(lacking) > 0 && (!b.interactive() || b.yes || b.asJSON):
		return missing(b.t.Name, lacking)
	case len(lacking) > 0 || b.revising:
		if err := b.ask(b.t, b.values); err != nil {
			return err
		}
		b.side.Line()
		b.revisable = asks
	case asks && b.again == nil:
		b.revisable = b.tellDefaults()
	}
	b.values = b.t.Complete(b.values, b.now)
	if err := batch.NewCounter(b.job.Place).Fill(b.t, b.values, b.flags.limit); err != nil {
		return b.tellErrors(b.t.Name, b.t.Text, err, statusFound)
	}
	return nil
}

// tellDefaults tells which values nobody was asked for, and reports whether there are any.
func (b *buildRun) tellDefaults() bool {
	any := false
	for _, f := range b.t.Fields {
		if _, given := b.values[f.Name]; given || f.Made() || f.Next != template.Uncounted || f.Default == nil {
			continue
		}
		any = true
		b.side.Line(term.Dim.Render(term.Visible(f.Ask)), "  ", term.Strong.Render(cmp.Or(term.Visible(defaultText(f)), "(nothing)")), term.Dim.Render("  if you name nothing else"))
	}
	if any {
		b.side.Line()
	}
	return any
}

// grow makes the tree, and has the rules judge it.
func (b *buildRun) grow(args []string) error {
	if err := b.read(args); err != nil {
		return err
	}
	set, err := b.rulesOf(b.t)
	if err != nil {
		return err
	}
	x, err := b.t.Tree(b.values, b.flags.limit)
	if err != nil {
		return b.tellErrors(b.t.Name, b.t.Text, err, statusFound)
	}
	x.Root = x.Root.Built()
	b.job.Batch = batch.Of(b.t, []*batch.Build{{Template: b.t, Values: b.values, Root: x.Root, Changes: x.Changes}}, b.flags.limit, b.now)
	b.findings = make(chan []rules.Finding, 1)
	go func() { b.findings <- set.Check(x.Root) }()
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
			if f.Severity == rules.Warning {
				b.warned++
			}
			continue
		}
		p := placed(b.t, f)
		b.side.Message(term.Place{File: b.t.Name, Line: p.Line, Column: p.Column, Width: p.Width, Text: p.text, Marks: p.marks, Proof: p.Proof}, term.Bad, p.Severity+": "+p.Message, p.Help)
		wrong++
	}
	if wrong > 0 {
		return refused(advise("to see all of it", "check", typed(cmp.Or(b.template, "."))).String(), "Nothing was built.")
	}
	return nil
}

// judgeNew tells what the rules find wrong with the names of what is new.
func (b *buildRun) judgeNew() error {
	set, err := b.rulesOf(b.t)
	if err != nil {
		return err
	}
	fresh := map[string]bool{}
	for i := range b.job.Plan.Steps {
		if b.job.Plan.Steps[i].State == build.New {
			fresh[b.job.Plan.Path(i)] = true
		}
	}
	b.findings = make(chan []rules.Finding, 1)
	b.findings <- slices.DeleteFunc(set.CheckNames(b.job.Root()), func(f rules.Finding) bool { return !fresh[f.Path] })
	return b.judge()
}

// tellAlike tells what will be new and looks like its neighbour: each template by itself
// is judged by the rules, which know neither what is there nor other rows of a table.
func (b *buildRun) tellAlike() {
	const shown = 5
	b.tellLinkless(b.job.NoLinks)
	for i, a := range b.job.Plan.Alike {
		if i == shown {
			b.side.Text(term.Warn.Render("note:") + term.Sprintf(" %s more will look like a neighbour", term.Count(len(b.job.Plan.Alike)-shown, "name")))
			break
		}
		b.side.Text(term.Warn.Render("note:") + term.Sprintf(" “%s” will look like its neighbour “%s”, and is written with another character (%s is U+%04X)", a.Path, a.Other, string(a.Letter), a.Letter))
	}
}

// tellArchived tells which of what will be built was built before, and archived.
func (b *buildRun) tellArchived() {
	if b.job.Pack != nil {
		return
	}
	lists := map[string]*bundle.AwayList{}
	for _, build := range b.job.Builds {
		folder := build.Folder()
		if folder == "." {
			continue
		}
		dir := b.job.Place.Real.Join(path.Dir(folder))
		l, known := lists[string(dir)]
		if !known {
			l = bundle.AwayIn(dir)
			lists[string(dir)] = l
		}
		if l == nil {
			continue
		}
		if p := l.Find(path.Base(folder)); p != nil && !place.Exists(dir.Join(path.Base(folder))) {
			text := term.Sprintf(" %s was archived: it is %s; this makes a new one.", p.Name, p.Where())
			if place.Exists(p.Lies()) {
				text += term.Sprintf(" %s", advise("To bring it back", "archive", "--back", typed(filepath.Join(b.into, filepath.FromSlash(folder)))))
			}
			b.side.Text(term.Warn.Render("note:") + text)
		}
	}
}

// carryOut shows the plan and, with a yes, does it.
func (b *buildRun) carryOut() error {
	if n := b.job.Plan.Count[build.Blocked]; n > 0 {
		if b.asJSON {
			return b.report(false)
		}
		b.drawPlan()
		return refused("", "Nothing was built: %s in the way.", term.Count(n, "thing")+isOrAre(n))
	}
	b.tellAlike()
	b.tellArchived()
	nothing := b.nothing()
	ask := b.consent
	if nothing {
		ask.yes, ask.plan = true, ""
	}
	b.raise(b.proposal)
	plan, err := b.prepared(b.proposal.Set, ask, b.noJournal)
	if err != nil {
		return err
	}
	asked := !ask.yes && !ask.preview && !ask.asJSON && b.interactive()
	u := undertaking{plan: plan, doing: "building", noJournal: b.noJournal, spared: true,
		head: journal.Head{What: b.what, Title: b.t.Heading(), Project: b.project()}}
	if pack := b.job.Pack; pack != nil && pack.Plan != nil {
		u.total, u.bar = len(b.job.Plan.Steps), func(done func(int)) { pack.Done = done }
	}
	goes, err := b.pass(ask, &task{Proposal: b.proposal, undertaking: u, draw: func() { b.drawAgreed(ask) }, question: b.question(), how: "build it"})
	switch {
	case goes && err != nil:
		return err
	case !goes:
		if !asked {
			if told := b.report(false); told != nil {
				return told
			}
		}
		return err
	}
	b.reported = b.table.report != ""
	if err := b.report(true); err != nil {
		return err
	}
	if !b.asJSON {
		if asked {
			b.screen.Line()
		}
		b.closing(nothing)
		if !asked { // else they stand below the plan
			b.app.changes(b.job.Changes())
		}
	}
	if b.table.file != "" && !b.table.asked && (len(b.keptNames(batch.Gone)) > 0 || b.table.up == nil && len(b.keptNames(batch.Changed)) > 0) {
		return found // the call that does it was named
	}
	return nil
}

// project names what is built.
func (b *buildRun) project() string {
	switch {
	case b.job.Pack != nil:
		return b.job.Pack.Name
	case b.table.file != "":
		rows := max(b.marked, len(b.job.Builds))
		if b.table.up != nil {
			rows = len(b.job.Builds) + len(b.table.up.jobs)
		}
		return fmt.Sprintf("%s of %s", term.Count(rows, "row"), filepath.Base(b.table.file))
	case len(b.job.Root().Children) == 1 && len(b.job.Builds) > 0:
		return b.job.Builds[0].Folder()
	}
	return b.job.Place.Real.Name()
}

// nothing reports whether there is nothing to do.
func (b *buildRun) nothing() bool {
	return b.made().Count[build.New] == 0 && !(b.marked > 0) && b.upgrades == 0
}

// made is the plan of what is made on the disk.
func (b *buildRun) made() *build.Plan {
	if b.job.Pack != nil && b.job.Pack.Plan != nil {
		return b.job.Pack.Plan
	}
	return b.job.Plan
}

// question asks for the yes.
func (b *buildRun) question() string {
	if b.table.up != nil {
		return b.questionOfTable()
	}
	switch {
	case b.made().Count[build.New] == 0:
		return fmt.Sprintf("Mark %s in %s?", term.Count(b.marked, "row"), b.table.file)
	case (b.marked > 0):
		return fmt.Sprintf("Build %s in %s, and mark %s in %s?", b.amount(), b.into, term.Count(b.marked, "row"), b.table.file)
	}
	return fmt.Sprintf("Build %s in %s?", b.amount(), b.where())
}

// where is what the folder that is built into is called.
func (b *buildRun) where() string {
	if b.into == "." {
		return "this folder"
	}
	return b.into
}

func isOrAre(n int) term.Shown {
	if n == 1 {
		return " is"
	}
	return " are"
}

// amount says how much the plan makes: "6 folders and 2 files".
func (b *buildRun) amount() term.Shown {
	folders, files := b.job.Plan.Made()
	if files == 0 {
		return term.Count(folders, "folder")
	}
	return term.Count(folders, "folder") + " and " + term.Count(files, "file")
}

var planMarks = map[build.State]term.Mark{
	build.New:     {Sign: "+", Style: term.Good},
	build.There:   {Sign: "·", Style: term.Dim},
	build.Kept:    {Sign: "~", Style: term.Dim},
	build.Blocked: {Sign: "✗", Style: term.Bad},
}
