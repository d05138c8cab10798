package cli

import (
	"os"
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
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

func (a *app) addCommand() *cobra.Command {
	var ask consent
	c := &cobra.Command{
		Use:   "add PROJECT [FOLDER] [field=value …]",
		Short: "Make a folder that a template keeps for later.",
		Long: `Make a folder that a template keeps for later, with what lies in it, when its
time has come. PROJECT is a folder that was built from a template, or one in it.
Where the folder's name has slots, their values name it. With no folder and no
values, those that wait are listed.`,
		Example: `  vestibula add "2027-03 Oriel Pask BK"
  vestibula add "2027-03 Oriel Pask BK" Exhibition`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) < 1 {
				return unclear(examplesOf("add"), "in which project?")
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) error { return a.add(args[0], args[1:], ask) },
	}
	ask.addYes(c, "make it without asking")
	ask.addPlan(c)
	c.Flags().BoolVar(&ask.preview, "preview", false, "show what would be made, and change nothing")
	c.Flags().BoolVar(&ask.asJSON, "json", false, "print JSON")
	c.ValidArgsFunction = a.completeInProject(func(p *project.Project) []string { return markedIn(p, tree.Later) })
	return c
}

// An adding is one call of add.
type adding struct {
	*app
	add.Job
}

// find finds the folders that wait.
func (r *adding) find() error {
	if err := r.Find(); err != nil {
		return r.tellErrors(r.Project.Template.Name, r.Project.Template.Text, err, statusFound)
	}
	return nil
}

func (a *app) add(at string, args []string, ask consent) error {
	p, rest, err := a.projectAt(at)
	if err != nil {
		return err
	}
	r := &adding{app: a, Job: add.Job{Project: p, Values: template.Values{}}}
	folder, inside := filepath.ToSlash(rest), ""
	if info, err := os.Stat(at); err == nil && info.IsDir() {
		folder, inside = "", folder
	}
	if err := r.read(args, &folder); err != nil {
		return err
	}
	if err := r.find(); err != nil {
		return err
	}
	r.KeepBelow(inside)
	if folder == "" && len(r.Given) == 0 {
		return r.tellWaiting(at, ask.asJSON)
	}
	chosen, err := r.choose(folder, at)
	if err != nil {
		return err
	}
	return r.make(chosen, ask)
}

// read takes the arguments apart: values, and the name of a folder.
func (r *adding) read(args []string, folder *string) error {
	t := r.Project.Template
	for name, v := range r.Project.Values {
		r.Values[name] = v
	}
	raw := map[string]template.Raw{}
	for _, arg := range args {
		name, text, isValue := strings.Cut(arg, "=")
		if !isValue || !outline.IsWord(name) {
			if *folder != "" {
				return unclear("name one folder; what names it is written field=value", "\"%s\" and \"%s\": which folder?", *folder, arg)
			}
			*folder = strings.Trim(filepath.ToSlash(arg), "/")
			continue
		}
		raw[name] = template.Raw{Text: text}
	}
	values, errs := t.ParseValues(raw, r.now)
	if len(errs) > 0 {
		return badValues(errs)
	}
	for name, v := range values {
		was, known := r.Project.Values[name]
		if known && !was.Empty() && !was.Equal(v) {
			return refused(advise("to change that", "upgrade", typed(fromHere(r.Project.Dir)), name+"="+v.String()).String(), "the %s of this project is %s.", name, was)
		}
		r.Values[name] = v
		r.Given = append(r.Given, name)
	}
	return nil
}

// adding is the advice to make the same call for one folder.
func (r *adding) adding(at, folder string) advice {
	words := []string{"add", typed(at), folder}
	for _, w := range r.call {
		if strings.Contains(w, "=") || strings.HasPrefix(w, "-") && w != "--preview" && w != "--json" {
			words = append(words, w)
		}
	}
	return advise("", words...)
}

// choose finds the one folder that is meant: its exact name goes before a part of
// it, and without a name the values tell.
func (r *adding) choose(folder, at string) (*add.Waiting, error) {
	ways := []func(w *add.Waiting) bool{
		func(w *add.Waiting) bool { return w.Path == folder || w.Name() == folder },
		func(w *add.Waiting) bool { return r.Listed(w) == folder }, // as it was listed before its values were known
		func(w *add.Waiting) bool { return strings.HasSuffix(w.Path, "/"+folder) },
		func(w *add.Waiting) bool { return strings.EqualFold(unnumbered(w.Name()), unnumbered(folder)) },
	}
	if folder == "" {
		ways = []func(w *add.Waiting) bool{func(w *add.Waiting) bool {
			slots := r.Slots(w.Node())
			return !slices.ContainsFunc(r.Given, func(name string) bool {
				return !slices.Contains(slots, name) && r.Project.Template.Field(name).Type.Kind != value.List
			})
		}}
	}
	var names []string
	for i := range r.List {
		names = append(names, r.List[i].Name())
	}
	for _, fits := range ways {
		var found []*add.Waiting
		for i := range r.List {
			if fits(&r.List[i]) {
				found = append(found, &r.List[i])
			}
		}
		switch {
		case len(found) == 1:
			return found[0], nil
		case len(found) > 1:
			calls := make([]string, len(found))
			for i, w := range found {
				calls[i] = r.adding(at, r.Listed(w)).String()
			}
			return nil, unclear(strings.Join(few(calls), "\n"), "%s folders can be meant", term.Number(len(found)))
		}
	}
	help := "nothing waits there"
	if near := outline.Nearest(folder, names); near != "" && folder != "" {
		help = "did you mean " + near + "?"
	} else if len(names) > 0 {
		help = "these wait: " + strings.Join(names, ", ")
	}
	if folder == "" {
		return nil, unclear(help, "nothing in %s waits for %s", at, strings.Join(r.Given, ", "))
	}
	return nil, unclear(help, "no folder called \"%s\" waits in %s", folder, at)
}

func unnumbered(name string) string { return strings.TrimLeft(name, "0123456789 -_.") }

func (r *adding) tellWaiting(at string, asJSON bool) error {
	if asJSON {
		type later struct {
			Path  string   `json:"path"`
			Note  string   `json:"note,omitempty"`
			Needs []string `json:"needs,omitempty"`
		}
		list := []later{}
		for _, w := range r.List {
			list = append(list, later{w.Path, r.Project.Template.LineOf(w.Node()).Note, w.Lacks})
		}
		return r.printJSON(list)
	}
	if len(r.List) == 0 {
		r.screen.Text("Nothing waits in " + term.Visible(at) + ".")
		return nil
	}
	for _, w := range r.List {
		note := term.Visible(r.Project.Template.LineOf(w.Node()).Note)
		if len(w.Lacks) > 0 {
			note = term.Sprintf("needs %s", strings.Join(w.Lacks, ", ")) + noteBehind(note)
		}
		r.screen.Line(term.Strong.Render(term.Visible(w.Path)), term.Dim.Render("/   "+note))
	}
	return nil
}

func noteBehind(note term.Shown) term.Shown {
	if note == "" {
		return ""
	}
	return " · " + note
}

// make makes a folder that waits.
func (r *adding) make(w *add.Waiting, ask consent) error {
	t := r.Project.Template
	if len(w.Lacks) > 0 {
		var fields []*template.Field
		for _, name := range w.Lacks {
			fields = append(fields, t.Field(name))
		}
		return missing(t.Name, fields)
	}
	if from := r.Project.Lacks(w.Node()); from != "" {
		return refused("put the template and what it starts from into one folder, in which templates are found\n"+advise("where that is", "templates").String(), "Nothing was made: \"%s\" starts from %s, which is not at hand.", w.Name(), from)
	}
	if errs := r.Outside(w); errs != nil {
		return badValues(errs)
	}
	base := r.Project.Base(r.Tree.Root)
	b := &buildRun{app: r.app, what: "add", into: string(base), consent: ask, noLabel: true, t: t, aim: fromHere(base.Join(w.Path))}
	if err := b.openPlace(); err != nil {
		return err
	}
	defer b.job.Place.Close()
	b.job.Batch = batch.Of(t, []*batch.Build{{Template: t, Root: add.Branch(w)}}, template.DefaultLimit, r.now)
	if err := b.compare(); err != nil {
		return err
	}
	if err := planned(r.Remember(b.proposal.Set, b.job.Root(), r.version)); err != nil {
		return err
	}
	return b.carryOut()
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
