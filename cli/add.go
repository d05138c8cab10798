package cli

import (
	"errors"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/add"
	"vestibula/core/batch"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

func (a *app) addCommand() *cobra.Command {
	r := &adding{app: a}
	c := &cobra.Command{
		Use:   "add [PROJECT] [FOLDER…] [field=value …]",
		Short: "Make folders that a template keeps for later.",
		Long: `Make folders that a template keeps for later, with what lies in them, when their
time has come. PROJECT is a folder that was built from a template, or one in it; in a
project it may be left out. Where a folder's name has slots, their values name it. With
no folder and no values, those that wait are listed. With a table, it is done for each row:
its columns are the values.`,
		Example: `  vestibula add "2027-03 Oriel Pask BK"
  vestibula add "2027-03 Oriel Pask BK" Exhibition`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	r.addAnswers(c, "make them")
	r.addPlan(c)
	c.Flags().StringVar(&r.table, "table", "", "make what each row of this table says, a `FILE` in XLSX, ODS or CSV")
	c.ValidArgsFunction = a.completeInProject(func(p *project.Project) []string { return markedIn(p, tree.Later) })
	return c
}

// An adding is one call of add.
type adding struct {
	*app
	consent
	table string

	at      string          // the project, as it was given
	folders []string        // that were named, as they were typed
	given   template.Values // by a person
	inside  string          // the folder of the project that was named
	project *project.Project
}

func (r *adding) run(args []string) error {
	r.at = "."
	if len(args) > 0 && (place.Exists(args[0]) || !strings.Contains(args[0], "=")) {
		if _, l, err := project.Find("."); err != nil || l == nil || place.Exists(args[0]) {
			r.at, args = args[0], args[1:]
		}
	} else if _, l, err := project.Find("."); err != nil || l == nil {
		return unclear(examplesOf("add"), "in which project?")
	}
	p, rest, err := r.projectAt(r.at)
	if err != nil {
		return err
	}
	r.project = p
	if info, err := place.Stat(r.at); err == nil && info.IsDir() {
		r.inside = filepath.ToSlash(rest)
	} else if rest != "" {
		r.folders = append(r.folders, filepath.ToSlash(rest))
	}
	words, raw := wordsAndValues(args)
	for _, w := range words {
		r.folders = append(r.folders, strings.Trim(filepath.ToSlash(w), "/"))
	}
	if r.given, err = r.values(raw); err != nil {
		return err
	}
	if r.table != "" {
		return r.rows()
	}
	j, err := r.job(r.given)
	if err != nil {
		return err
	}
	if len(r.folders)+len(r.given) == 0 {
		return r.tellWaiting(j)
	}
	var some waiting
	folders := r.folders
	if len(folders) == 0 {
		folders = []string{""}
	}
	for _, folder := range folders {
		if err := r.take(&some, r.given, folder); err != nil {
			return err
		}
	}
	return r.make(&some)
}

// waiting are the folders that are to be made: each once.
type waiting struct {
	job   *add.Job // the last one
	list  []*add.Waiting
	there error // why one of them need not be made
}

// take adds the folders that are meant by a name and values to those that are to be made.
func (r *adding) take(to *waiting, given template.Values, folder string) (err error) {
	if to.job, err = r.job(given); err != nil {
		return err
	}
	list, err := r.chosen(to.job, folder)
	var there *thereError
	if errors.As(err, &there) {
		to.there = there
		return nil
	}
	for _, w := range list {
		if !slices.ContainsFunc(to.list, func(o *add.Waiting) bool { return o.Path == w.Path }) {
			to.list = append(to.list, w)
		}
	}
	return err
}

// values reads values that a person gives; those that the project has others of are refused.
func (r *adding) values(raw map[string]template.Raw) (template.Values, error) {
	values, errs := r.project.Template.ParseValues(raw, r.now)
	if len(errs) > 0 {
		return nil, badValues(errs)
	}
	for name, v := range values {
		if was, known := r.project.Values[name]; known && !was.Empty() && !was.Equal(v) {
			return nil, refused(advise("to change that", "upgrade", typed(fromHere(r.project.Dir)), name+"="+v.String()).String(), "the %s of this project is %s.", name, was)
		}
	}
	return values, nil
}

// job finds what waits, with these values beside those of the project.
func (r *adding) job(given template.Values) (*add.Job, error) {
	j := &add.Job{Project: r.project, Values: r.project.Values.Clone()}
	if j.Values == nil {
		j.Values = template.Values{}
	}
	for name, v := range given {
		j.Values[name] = v
		j.Given = append(j.Given, name)
	}
	slices.Sort(j.Given)
	return j, r.find(j)
}

func (r *adding) find(j *add.Job) error {
	j.List, j.There = nil, nil
	if err := j.Find(); err != nil {
		return r.tellErrors(r.project.Template.Name, r.project.Template.Text, err, statusFound)
	}
	j.KeepBelow(r.inside)
	return nil
}

// chosen are the folders that are meant by a name, with all that their names need.
func (r *adding) chosen(j *add.Job, folder string) ([]*add.Waiting, error) {
	for i := range j.List {
		values, says := j.Read(&j.List[i], folder)
		if !says {
			continue
		}
		for name, v := range values {
			j.Values[name], j.Given = v, append(j.Given, name)
		}
		if err := r.find(j); err != nil {
			return nil, err
		}
		break
	}
	list, err := r.choose(j, folder)
	if err != nil {
		return nil, err
	}
	folders := []string{folder}
	if folder == "" { // what was chosen at a terminal is not asked again
		folders = nil
		for _, w := range list {
			folders = append(folders, j.Listed(w))
		}
	}
	pick := func() (list []*add.Waiting, err error) {
		for _, folder := range folders {
			some, err := r.choose(j, folder)
			if err != nil {
				return nil, err
			}
			list = append(list, some...)
		}
		return list, nil
	}
	j.Defaults(r.now)
	if err := r.find(j); err != nil {
		return nil, err
	}
	if list, err = pick(); err != nil || lacks(list) == nil {
		return list, err
	}
	if err := r.askFor(j, lacks(list)); err != nil {
		return nil, err
	}
	return pick()
}

// askFor asks for the values that names of folders need.
func (r *adding) askFor(j *add.Job, names []string) error {
	var fields []*template.Field
	for _, name := range names {
		fields = append(fields, r.project.Template.Field(name))
	}
	if !r.interactive() || r.asJSON || r.yes {
		return missing(r.project.Template.Name, fields)
	}
	if err := r.askFields(fields, j.Values); err != nil {
		return err
	}
	j.Given = append(j.Given, names...)
	return r.find(j)
}

// lacks are the fields that names of folders need and that are not known.
func lacks(list []*add.Waiting) (names []string) {
	for _, w := range list {
		for _, name := range w.Lacks {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	return names
}

// adding is the advice to make the same call for some folders.
func (r *adding) adding(folders ...string) advice {
	words := append([]string{"add", typed(r.at)}, folders...)
	for _, w := range r.call {
		if strings.Contains(w, "=") || strings.HasPrefix(w, "-") && w != "--preview" && w != "--json" {
			words = append(words, w)
		}
	}
	return advise("", words...)
}

// choose finds the folder that is meant: its exact name goes before a part of
// it, and without a name the values tell.
func (r *adding) choose(j *add.Job, folder string) ([]*add.Waiting, error) {
	ways := []func(w *add.Waiting) bool{
		func(w *add.Waiting) bool { return w.Path == folder || w.Name() == folder },
		func(w *add.Waiting) bool { return j.Listed(w) == folder || path.Base(j.Listed(w)) == folder }, // as it was listed before its values were known
		func(w *add.Waiting) bool { return strings.HasSuffix(w.Path, "/"+folder) },
		func(w *add.Waiting) bool {
			return strings.EqualFold(tree.Unnumbered(&tree.Node{Name: w.Name()}), tree.Unnumbered(&tree.Node{Name: folder}))
		},
	}
	if folder == "" {
		ways = []func(w *add.Waiting) bool{func(w *add.Waiting) bool {
			slots := j.Slots(w.Node())
			return !slices.ContainsFunc(j.Given, func(name string) bool {
				return !slices.Contains(slots, name) && r.project.Template.Field(name).Type.Kind != value.List
			})
		}}
	}
	for _, fits := range ways {
		var found []*add.Waiting
		for i := range j.List {
			if fits(&j.List[i]) {
				found = append(found, &j.List[i])
			}
		}
		switch {
		case len(found) == 1:
			return found, nil
		case len(found) > 1:
			return r.which(j, found)
		}
	}
	for i := range j.There {
		if slices.ContainsFunc(ways, func(fits func(w *add.Waiting) bool) bool { return fits(&j.There[i]) }) {
			return nil, &thereError{j.There[i].Path}
		}
	}
	var names []string
	for i := range j.List {
		names = append(names, quoted(j.Listed(&j.List[i])))
	}
	help := "nothing waits there"
	if near := outline.Nearest(folder, names); near != "" && folder != "" {
		help = "did you mean " + near + "?"
	} else if len(names) > 0 {
		help = "these wait: " + strings.Join(few(names), ", ")
	}
	if folder == "" {
		return nil, unclear(help, "no folder that is kept for later in %s goes by %s", r.at, strings.Join(j.Given, ", "))
	}
	return nil, unclear(help, "no folder called \"%s\" waits in %s", folder, r.at)
}

// A thereError says that a folder need not be made: it is there.
type thereError struct{ path string }

func (e *thereError) Error() string { return e.path + " is there already" }

// which asks which of several folders are meant: one of them, or all.
func (r *adding) which(j *add.Job, found []*add.Waiting) ([]*add.Waiting, error) {
	var calls, all []string
	for _, w := range found {
		calls, all = append(calls, r.adding(j.Listed(w)).String()), append(all, j.Listed(w))
	}
	if !r.interactive() || r.yes || r.asJSON {
		calls = append(few(calls), "or all of them: "+r.adding(all...).String())
		return nil, unclear(strings.Join(calls, "\n"), "%s folders can be meant", term.Number(len(found)))
	}
	q := &question{title: "Which of them?", hint: chooses, list: []string{"all " + string(term.Number(len(found)))}}
	for _, w := range found {
		q.list = append(q.list, j.Listed(w))
	}
	if _, err := r.answerTo(q); err != nil || q.at == 0 {
		return found, err
	}
	return found[q.at-1 : q.at], nil
}

// rows makes what each row of a table says.
func (r *adding) rows() error {
	t := r.project.Template
	x := &batch.Batch{Template: t, Now: r.now}
	var err error
	if x.Table, err = readTable(r.table, table.Options{Names: batch.Expected(t, nil)}); err != nil {
		return err
	}
	if x.Columns, _, err = batch.Join(t, x.Table, nil); err != nil {
		return noTable(r.table, err)
	}
	var some waiting
	for i := range x.Table.Rows {
		row := &x.Table.Rows[i]
		raw, problem := x.Raw(row)
		if problem != "" {
			return unclear("fix the table", "%s: %s", x.Table.RowName(row.Number), problem)
		}
		given, err := r.values(raw)
		if err == nil {
			for name, v := range r.given {
				given[name] = v
			}
			folder := ""
			if len(r.folders) > 0 {
				folder = r.folders[0]
			}
			err = r.take(&some, given, folder)
		}
		if told, is := err.(*stop); is {
			told.message = x.Table.RowName(row.Number) + ": " + told.message
		}
		if err != nil {
			return err
		}
	}
	switch {
	case some.job == nil:
		return unclear("write one", "the table %s has no row", r.table)
	case len(some.list) == 0:
		some.there = errors.New("all of it is there already")
	}
	return r.make(&some)
}

func (r *adding) tellWaiting(j *add.Job) error {
	if r.asJSON {
		type later struct {
			Path  string   `json:"path"`
			Note  string   `json:"note,omitempty"`
			Needs []string `json:"needs,omitempty"`
		}
		list := []later{}
		for _, w := range j.List {
			list = append(list, later{j.Listed(&w), r.project.Template.LineOf(w.Node()).Note, w.Lacks})
		}
		return r.printJSON(list)
	}
	if len(j.List) == 0 {
		r.screen.Text("Nothing waits in " + term.Visible(r.at) + ".")
		return nil
	}
	for i := range j.List {
		w := &j.List[i]
		note := term.Visible(r.project.Template.LineOf(w.Node()).Note)
		if len(w.Lacks) > 0 {
			note = term.Sprintf("needs %s", strings.Join(w.Lacks, ", ")) + noteBehind(note)
		}
		r.screen.Line(term.Strong.Render(term.Visible(j.Listed(w))), term.Dim.Render("/   "+note))
	}
	return nil
}

func noteBehind(note term.Shown) term.Shown {
	if note == "" {
		return ""
	}
	return " · " + note
}

// make makes folders that wait.
func (r *adding) make(some *waiting) error {
	t, j, list := r.project.Template, some.job, some.list
	if len(list) == 0 {
		r.screen.Text(term.Good.Render("Nothing to do:") + term.Sprintf(" %v.", some.there))
		return nil
	}
	for _, w := range list {
		if from := r.project.Lacks(w.Node()); from != "" {
			return refused(noStarter(), "Nothing was made: \"%s\" starts from %s, which cannot be found.", w.Name(), from)
		}
	}
	if errs := j.Outside(); errs != nil {
		return badValues(errs)
	}
	base := r.project.Base(j.Tree.Root)
	aim := fromHere(base.Join(list[0].Path))
	if len(list) > 1 {
		aim = fromHere(r.project.Dir)
	}
	b := &buildRun{app: r.app, what: "add", into: string(base), consent: r.consent, noLabel: true, t: t, aim: aim}
	if err := b.openPlace(); err != nil {
		return err
	}
	defer b.job.Place.Close()
	b.job.Batch = batch.Of(t, []*batch.Build{{Template: t, Root: add.Branch(list)}}, template.DefaultLimit, r.now)
	if err := b.compare(); err != nil {
		return err
	}
	if err := b.judgeNew(); err != nil {
		return err
	}
	if err := planned(j.Remember(b.proposal.Set, b.job.Root(), b.job.New(), r.version)); err != nil {
		return err
	}
	return b.carryOut()
}

// noStarter is what to do about a starter that is not at hand.
func noStarter() string {
	return "put the template and what it starts from into one folder, in which templates are found\n" + advise("where that is", "templates").String()
}

// workDir is the current folder, without links; "" where it cannot be told.
var workDir = sync.OnceValue(func() string {
	here, err := place.Real(".")
	if err != nil {
		return ""
	}
	return string(here)
})

// fromHere is a path as it is shown: from the current folder, where it lies in that.
func fromHere[P ~string](full P) string {
	here := workDir()
	if here == "" {
		return string(full)
	}
	if rel, err := filepath.Rel(here, string(full)); err == nil && filepath.IsLocal(rel) {
		return rel
	}
	return string(full)
}
