package cli

import (
	"os"
	"path"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/label"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func (a *app) addCommand() *cobra.Command {
	var yes bool
	c := &cobra.Command{
		Use:   "add PROJECT [FOLDER]",
		Short: "Make a folder that a template keeps for later.",
		Long: `Make a folder that a template keeps for later, with what lies in it, when its
time has come. PROJECT is a folder that was built from a template. With no
folder named, those that wait are listed.`,
		Example: `  vestibula add "2027-03 Oriel Pask BK"
  vestibula add "2027-03 Oriel Pask BK" Exhibition`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) < 1 || len(args) > 2 {
				return unclear(`for example: vestibula add "2027-03 Oriel Pask BK"`, "in which project?")
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) == 1 {
				return a.listWaiting(args[0])
			}
			return a.add(args[0], args[1], yes)
		},
	}
	c.Flags().BoolVarP(&yes, "yes", "y", false, "make it without asking")
	return c
}

// A waiting folder is one that a template keeps for later.
type waiting struct {
	path  string // from the place of the build
	node  *tree.Node
	built *template.Template
	// missing are the starters that are not at hand, by the lines that start from
	// them.
	missing map[int]string
}

// waitingIn returns the folders of a project that wait, and the folder that its
// paths are relative to.
func (a *app) waitingIn(project string) (list []waiting, at string, err error) {
	data, err := place.ReadFile(filepath.Join(project, label.FileName), label.MaxBytes)
	if err != nil {
		return nil, "", unclear("name a folder that was built from a template", "%q has no %s: %s", project, label.FileName, place.Reason(err))
	}
	l, err := label.Parse(data)
	if err != nil {
		return nil, "", unclear("", "%q: %v", project, err)
	}
	if at, err = filepath.Abs(project); err != nil {
		return nil, "", err
	}
	name := filepath.Base(at)
	for _, b := range l.Builds {
		t, missing, err := a.templateOf(b)
		if err != nil {
			return nil, "", err
		}
		values, errs := t.ParseValues(b.Raw(), a.now)
		if len(errs) > 0 {
			return nil, "", badValues(errs)
		}
		x, err := t.Tree(values, template.DefaultLimit)
		if err != nil {
			return nil, "", a.tellErrors(t.Name, t.Text, err, statusFound)
		}
		root, within := x.Root, ""
		if top := x.Root.Children; len(top) == 1 && top[0].Kind == tree.Folder {
			// The project may have been renamed since; its own name does not matter.
			root, within = top[0], name
		}
		for below, n := range root.All() {
			if n.Marks&tree.Later == 0 {
				continue
			}
			if _, err := os.Lstat(filepath.Join(project, filepath.FromSlash(below))); err == nil {
				continue
			}
			list = append(list, waiting{path.Join(within, below), branch(root, within, n), t, missing})
		}
	}
	if len(list) > 0 && strings.HasPrefix(list[0].path, name+"/") {
		at = filepath.Dir(at)
	}
	return list, at, nil
}

// templateOf returns the template of a build: its text in the label, with the
// files that it starts from where a template of its name is found. Those that are
// not at hand are returned by the lines that need them.
func (a *app) templateOf(b *label.Build) (t *template.Template, missing map[int]string, err error) {
	if src := a.shelved(b.Template); src != nil {
		if t, err := template.Parse(src.name, b.Text, src.starters); err == nil {
			return t, nil, nil
		}
	}
	text, missing := label.WithoutStarters(b.Text)
	if t, err = template.Parse(b.Template, text, nil); err != nil {
		return nil, nil, a.tellErrors(b.Template, text, err, statusUnclear)
	}
	return t, missing, nil
}

// branch returns a tree with only the way from root to a node, and what is to be
// made in that node. Within is the name of the root on the disk, or empty.
func branch(root *tree.Node, within string, to *tree.Node) *tree.Node {
	var way func(n *tree.Node) *tree.Node
	way = func(n *tree.Node) *tree.Node {
		if n == to {
			opened := *n.Built()
			opened.Marks &^= tree.Later
			return &opened
		}
		for _, c := range n.Children {
			if found := way(c); found != nil {
				return &tree.Node{Name: n.Name, Kind: n.Kind, From: n.From, Children: []*tree.Node{found}}
			}
		}
		return nil
	}
	out := way(root)
	if within == "" {
		return out
	}
	out.Name = within
	return &tree.Node{Children: []*tree.Node{out}}
}

func (a *app) listWaiting(project string) error {
	list, _, err := a.waitingIn(project)
	if err != nil {
		return err
	}
	if len(list) == 0 {
		a.screen.Text("Nothing waits in " + term.Visible(project) + ".")
		return nil
	}
	for _, w := range list {
		note := w.built.LineOf(w.leaf()).Note
		a.screen.Line(term.Strong.Render(term.Visible(w.path)), term.Dim.Render("/   "+term.Visible(note)))
	}
	return nil
}

// leaf is the folder itself, at the end of its branch.
func (w *waiting) leaf() *tree.Node {
	n := w.node
	for range strings.Split(w.path, "/") {
		n = n.Children[0]
	}
	return n
}

func (a *app) add(project, folder string, yes bool) error {
	list, at, err := a.waitingIn(project)
	if err != nil {
		return err
	}
	var chosen *waiting
	var names []string
	for i := range list {
		w := &list[i]
		name := path.Base(w.path)
		names = append(names, name)
		unnumbered := strings.TrimLeft(name, "0123456789 -_.")
		if name == folder || unnumbered == folder || w.path == folder || strings.HasSuffix(w.path, "/"+folder) {
			if chosen != nil {
				return unclear("write more of its path: "+chosen.path+" or "+w.path, "%q waits in two places", folder)
			}
			chosen = w
		}
	}
	if chosen == nil {
		help := "nothing waits there"
		if near := outline.Nearest(folder, names); near != "" {
			help = "did you mean " + near + "?"
		} else if len(names) > 0 {
			help = "these wait: " + strings.Join(names, ", ")
		}
		return unclear(help, "no folder called %q waits in %s", folder, project)
	}
	if from := chosen.lacks(); from != "" {
		return refused("put the template and what it starts from where vestibula templates finds them, and try again", "Nothing was made: %q starts from %s, which is not at hand.", folder, from)
	}
	b := &buildRun{app: a, what: "add", into: at, consent: consent{yes: yes}, noLabel: true, t: chosen.built, tree: &template.Expansion{Root: chosen.node}, batch: &batch.Batch{}}
	if b.place, err = place.Open(at); err != nil {
		return unclear("", "%v", err)
	}
	defer b.place.Close()
	if err := b.makePlan(); err != nil {
		return err
	}
	if err := b.makeSet(nil); err != nil {
		return err
	}
	return b.carryOut()
}

// lacks returns the starter of something in the folder that is not at hand, or "".
func (w *waiting) lacks() string {
	leaf := w.leaf()
	for _, n := range append([]*tree.Node{leaf}, nodes(leaf)...) {
		if from := w.missing[w.built.LineOf(n).Syntax.Number]; from != "" {
			return from
		}
	}
	return ""
}

func nodes(root *tree.Node) (list []*tree.Node) {
	for _, n := range root.All() {
		list = append(list, n)
	}
	return list
}
