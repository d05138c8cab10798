package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/label"
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

// A waiting folder is one that a template keeps for later.
type waiting struct {
	path string // from the folder that the project was built into, as it is on the disk
	way  []*tree.Node
	lack []string // fields that its name needs and that are not known
}

func (w *waiting) node() *tree.Node { return w.way[len(w.way)-1] }
func (w *waiting) name() string     { return path.Base(w.path) }

// An adding is one call of add.
type adding struct {
	*app
	project *project.Project
	values  template.Values // those of the project and those that were given
	given   []string        // the names of the latter
	tree    *template.Expansion
	list    []waiting
}

// wait finds the folders that wait, and all that lies on the way to them.
func (r *adding) wait() error {
	p := r.project
	var err error
	if r.tree, err = p.Template.Tree(r.values, template.DefaultLimit); err != nil {
		return r.tellErrors(p.Template.Name, p.Template.Text, err, statusFound)
	}
	base := p.Base(r.tree.Root)
	wanted, real := p.Names(r.tree.Root)
	known := map[string]bool{}
	var walk func(way []*tree.Node, at string, own int)
	walk = func(way []*tree.Node, at string, own int) {
		for _, n := range way[len(way)-1].Children {
			name, below := n.Name, -1
			if own >= 0 && own < len(wanted) && n.Name == wanted[own] {
				name, below = real[own], own+1 // the project may have been renamed since
			}
			here, to := append(slices.Clip(way), n), path.Join(at, name)
			if n.Marks&tree.Later != 0 && n.Marks&tree.Way == 0 && !known[to] {
				known[to] = true
				if _, err := os.Lstat(filepath.Join(base, filepath.FromSlash(to))); err != nil {
					r.list = append(r.list, waiting{to, here, r.lacking(n)})
				}
			}
			walk(here, to, below)
		}
	}
	walk([]*tree.Node{r.tree.Root}, "", 0)
	return nil
}

// lacking are the fields that the name of a node needs and that nothing is known of.
func (r *adding) lacking(n *tree.Node) (fields []string) {
	if n.Marks&tree.Open == 0 {
		return nil
	}
	for _, slot := range r.slots(n) {
		if v := r.values[slot]; !v.Given() && !slices.Contains(fields, slot) {
			fields = append(fields, slot)
		}
	}
	return fields
}

// slots are the fields that the name of a node is made of, those that they are made
// from in their place.
func (r *adding) slots(n *tree.Node) (fields []string) {
	t := r.project.Template
	line := t.LineOf(n)
	if line == nil {
		return nil
	}
	for _, name := range line.Names {
		for _, slot := range name.Pattern.Slots() {
			if f := t.Field(slot); f != nil {
				for _, g := range t.Ingredients(f) {
					fields = append(fields, g.Name)
				}
			}
		}
	}
	return fields
}

func (a *app) add(at string, args []string, ask consent) error {
	p, rest, err := a.projectAt(at)
	if err != nil {
		return err
	}
	r := &adding{app: a, project: p, values: template.Values{}}
	folder, inside := filepath.ToSlash(rest), ""
	if info, err := os.Stat(at); err == nil && info.IsDir() {
		folder, inside = "", folder
	}
	if err := r.read(args, &folder); err != nil {
		return err
	}
	if err := r.wait(); err != nil {
		return err
	}
	r.keepBelow(inside)
	if folder == "" && len(r.given) == 0 {
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
	t := r.project.Template
	for name, v := range r.project.Values {
		r.values[name] = v
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
		was, known := r.project.Values[name]
		if known && !was.Empty() && !was.Equal(v) {
			return refused(advise("to change that", "upgrade", typed(fromHere(r.project.Dir)), name+"="+v.String()).String(), "the %s of this project is %s.", name, was)
		}
		r.values[name] = v
		r.given = append(r.given, name)
	}
	return nil
}

// listed is the path of a folder as it stands in the list of those that wait: with the slots
// of its name, where their values may be any.
func (r *adding) listed(w *waiting) string {
	line := r.project.Template.LineOf(w.node())
	if w.node().Marks&tree.Open == 0 && len(r.slots(w.node())) == 0 || line == nil || len(line.Names) == 0 {
		return w.path
	}
	return path.Join(path.Dir(w.path), line.Names[len(line.Names)-1].Pattern.Source)
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
func (r *adding) choose(folder, at string) (*waiting, error) {
	ways := []func(w *waiting) bool{
		func(w *waiting) bool { return w.path == folder || w.name() == folder },
		func(w *waiting) bool { return r.listed(w) == folder }, // as it was listed before its values were known
		func(w *waiting) bool { return strings.HasSuffix(w.path, "/"+folder) },
		func(w *waiting) bool { return strings.EqualFold(unnumbered(w.name()), unnumbered(folder)) },
	}
	if folder == "" {
		ways = []func(w *waiting) bool{func(w *waiting) bool {
			slots := r.slots(w.node())
			return !slices.ContainsFunc(r.given, func(name string) bool {
				return !slices.Contains(slots, name) && r.project.Template.Field(name).Type.Kind != value.List
			})
		}}
	}
	var names []string
	for i := range r.list {
		names = append(names, r.list[i].name())
	}
	for _, fits := range ways {
		var found []*waiting
		for i := range r.list {
			if fits(&r.list[i]) {
				found = append(found, &r.list[i])
			}
		}
		switch {
		case len(found) == 1:
			return found[0], nil
		case len(found) > 1:
			calls := make([]string, len(found))
			for i, w := range found {
				calls[i] = r.adding(at, r.listed(w)).String()
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
		return nil, unclear(help, "nothing in %s waits for %s", at, strings.Join(r.given, ", "))
	}
	return nil, unclear(help, "no folder called \"%s\" waits in %s", folder, at)
}

// keepBelow keeps what waits below a folder of the project.
func (r *adding) keepBelow(folder string) {
	if folder == "" || folder == "." {
		return
	}
	_, real := r.project.Names(r.tree.Root)
	below := path.Join(path.Join(real...), folder) + "/"
	r.list = slices.DeleteFunc(r.list, func(w waiting) bool { return !strings.HasPrefix(w.path, below) })
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
		for _, w := range r.list {
			list = append(list, later{w.path, r.project.Template.LineOf(w.node()).Note, w.lack})
		}
		return r.printJSON(list)
	}
	if len(r.list) == 0 {
		r.screen.Text("Nothing waits in " + term.Visible(at) + ".")
		return nil
	}
	for _, w := range r.list {
		note := term.Visible(r.project.Template.LineOf(w.node()).Note)
		if len(w.lack) > 0 {
			note = term.Sprintf("needs %s", strings.Join(w.lack, ", ")) + noteBehind(note)
		}
		r.screen.Line(term.Strong.Render(term.Visible(w.path)), term.Dim.Render("/   "+note))
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
func (r *adding) make(w *waiting, ask consent) error {
	t := r.project.Template
	if len(w.lack) > 0 {
		var fields []*template.Field
		for _, name := range w.lack {
			fields = append(fields, t.Field(name))
		}
		return missing(t.Name, fields)
	}
	if from := r.project.Lacks(w.node()); from != "" {
		return refused("put the template and what it starts from into one folder, in which templates are found\n"+advise("where that is", "templates").String(), "Nothing was made: \"%s\" starts from %s, which is not at hand.", w.name(), from)
	}
	if errs := r.outside(w); errs != nil {
		return badValues(errs)
	}
	base := r.project.Base(r.tree.Root)
	b := &buildRun{app: r.app, what: "add", into: base, consent: ask, noLabel: true, t: t, aim: fromHere(filepath.Join(base, filepath.FromSlash(w.path))),
		tree: &template.Expansion{Root: branch(w)}, batch: &batch.Batch{Template: t}}
	var err error
	if b.place, err = place.Open(base); err != nil {
		return unclear("", "%v", err)
	}
	defer b.place.Close()
	if err := b.makePlan(); err != nil {
		return err
	}
	if err := b.makeSet(nil); err != nil {
		return err
	}
	if err := r.remember(b); err != nil {
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
	return here
})

// fromHere is a path as it is shown: from the current folder, where it lies in that.
func fromHere(full string) string {
	here := workDir()
	if here == "" {
		return full
	}
	if rel, err := filepath.Rel(here, full); err == nil && filepath.IsLocal(rel) {
		return rel
	}
	return full
}

// outside says which values do not lie in what they must.
func (r *adding) outside(w *waiting) (errs []*template.ValueError) {
	for _, name := range r.given {
		f := r.project.Template.Field(name)
		longer := r.values[f.Within]
		if covers, known := longer.Covers(r.values[name]); known && !covers {
			errs = append(errs, &template.ValueError{Field: name, Message: fmt.Sprintf("%s does not lie in the %s %s", r.values[name], f.Within, longer)})
		}
	}
	return errs
}

// branch returns a tree with only the way to a folder, as it is on the disk, and what
// is to be made in that folder.
func branch(w *waiting) *tree.Node {
	opened := *w.node().Built()
	opened.Marks &^= tree.Later
	names := strings.Split(w.path, "/")
	out := &opened
	for i := len(names) - 1; i >= 0; i-- {
		n := *w.way[i+1]
		if i == len(names)-1 {
			n = opened
		} else {
			n.Children = []*tree.Node{out}
		}
		n.Name = names[i]
		out = &n
	}
	return &tree.Node{Children: []*tree.Node{out}}
}

// remember writes into the label what the project has from now on: lists that were
// empty until now, and what its new files hold.
func (r *adding) remember(b *buildRun) error {
	l := *r.project.Label
	values := template.Values{}
	for name, v := range r.project.Values {
		values[name] = v
	}
	for _, name := range r.given {
		if r.values[name].Kind == value.List {
			values[name] = r.values[name]
		}
	}
	next := label.NewBuild(r.project.Template, values, l.Built, r.version)
	next.Text = l.Text
	given := map[string]string{}
	for at, sum := range l.Given {
		given[at] = sum
	}
	_, real := r.project.Names(r.tree.Root)
	own := strings.Join(real, "/")
	sums, err := batch.Sums(b.tree.Root)
	if err != nil {
		return err
	}
	for at, sum := range sums {
		if below, inside := strings.CutPrefix(at, own+"/"); inside || own == "" {
			given[below] = sum
		}
	}
	if len(given) == len(l.Given) && l.SameValues(next) {
		return nil
	}
	err = project.Relabel(&b.set, r.project.Dir, func(now *label.Label) error {
		if !now.Same(&l.Build) || !maps.Equal(now.Given, l.Given) {
			return refused("nothing was changed: do it again", "the label of %s was changed meanwhile.", fromHere(r.project.Dir))
		}
		now.Build, now.Given = *next, given
		return nil
	})
	if errors.Is(err, fs.ErrNotExist) {
		return nil // it went meanwhile, and nothing depends on it
	}
	return planned(err)
}
