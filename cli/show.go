package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/order"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A showing says how a tree is shown.
type showing struct {
	flags  valueFlags
	asJSON bool
	sorted string
}

func (a *app) showCommand() *cobra.Command {
	var shown showing
	var watch bool
	c := &cobra.Command{
		Use:   "show TEMPLATE [field=value …]",
		Short: "Show the tree that a template makes.",
		Long: `Show the tree that a template makes, with the notes beside it.

Slots are filled with the values that you give, else with defaults, else with
examples; what is still open stands in angle brackets. Nothing is changed.

With --sorted, the tree is shown as a list sorts it, in one of the orders
code-point, alphabetical, natural and dictionary; with --sorted all, the orders
stand side by side for the folders where they differ.

With --watch it stays, while you write the template in an editor: the tree, what is wrong
and how lists would sort it beside each other, again after each save. Nothing is written.`,
		Example: `  vestibula show commission
  vestibula show commission client="Åsgerd Ölvane" gilding=yes
  vestibula show evening-course weeks=4 people="Jun Teague; Oriel Pask"
  vestibula show evening-course --sorted all
  vestibula show clients.folders --watch`,
		Args:              templateArgs,
		ValidArgsFunction: a.completeTemplate,
		RunE: func(_ *cobra.Command, args []string) error {
			if watch {
				return a.watch(args, shown.flags)
			}
			return a.show(args, &shown)
		},
	}
	shown.flags.add(c)
	c.Flags().BoolVar(&shown.asJSON, "json", false, "print JSON")
	c.Flags().BoolVar(&watch, "watch", false, "stay, and show it again after each save")
	c.Flags().StringVar(&shown.sorted, "sorted", "", "show it as a list of that `ORDER` does, or all side by side")
	_ = c.RegisterFlagCompletionFunc("sorted", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return append(order.Names(), "all"), cobra.ShellCompDirectiveNoFileComp
	})
	return c
}

// show shows the tree of a template.
func (a *app) show(args []string, s *showing) error {
	t, err := a.load(args[0])
	if err != nil {
		return err
	}
	values, err := a.values(t, args[1:], s.flags.file)
	if err != nil {
		return err
	}
	values = t.Sample(values, a.now)
	x, err := t.Tree(values, s.flags.limit)
	if err != nil {
		return a.tellErrors(t.Name, t.Text, err, statusFound)
	}
	if s.sorted != "" && s.sorted != "all" {
		o, ok := order.Named(s.sorted)
		if !ok {
			return unclear("the orders are "+strings.Join(order.Names(), ", ")+", or all", "there is no order \"%s\"", s.sorted)
		}
		order.Tree(o, x.Root)
	}
	if s.asJSON {
		return a.printJSON(showJSON(t, values, x))
	}
	a.heading(t)
	if s.sorted == "all" {
		a.sortings(x.Root)
		return nil
	}
	a.screen.Tree(x.Root, term.TreeView{Note: noteOf(t, x), Same: alikeUnless(a.all || s.sorted != ""), All: allShows})
	a.screen.Line()
	a.facts(x.Root)
	a.changes(x.Changes)
	return nil
}

// allShows says how to see neighbours that are the same.
const allShows = term.Shown("--all shows them")

// alikeUnless says which neighbours of a template's tree say the same, unless all are asked
// for.
func alikeUnless(all bool) func(a, b *tree.Node) bool {
	if all {
		return nil
	}
	return tree.Alike
}

// templateArgs asks for a template in front of the values.
func templateArgs(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return unclear(examplesOf(c.Name())+"\n"+advise("those that can be used by name", "templates").String(), "which template?")
	}
	return nil
}

func (a *app) heading(t *template.Template) {
	a.screen.Line(term.Title.Render(term.Visible(t.Heading())))
	if t.About != "" {
		a.screen.Text(term.Dim.Render(term.Visible(t.About)))
	}
	a.screen.Line()
}

// noteOf says what stands beside a node of the template's tree.
func noteOf(t *template.Template, x *template.Expansion) func(*tree.Node) term.Shown {
	told := map[int32]bool{}
	return func(n *tree.Node) term.Shown {
		var parts []term.Shown
		if n.Kind == tree.Symlink && n.Content != nil {
			parts = append(parts, term.Visible(n.Content.Source()))
		}
		if n.Marks&tree.Due != 0 {
			part := term.Shown("to be delivered")
			if due, ok := x.Due[n]; ok {
				part += term.Sprintf(" by %s", due.String())
			}
			parts = append(parts, part)
		}
		if n.Marks&tree.Later != 0 {
			parts = append(parts, "later, when it is needed")
		}
		if l := t.ClausesOf(n); l != nil && !told[n.From] { // a line that repeats tells it once
			told[n.From] = true
			if names := l.HoldsText(); names != "" {
				parts = append(parts, term.Sprintf("holds %s", names))
			}
			if l.Worth > 0 {
				parts = append(parts, term.Sprintf("worth %d", l.Worth))
			}
			if l.Note != "" {
				parts = append(parts, term.Visible(l.Note))
			}
		}
		return term.Join(parts, " · ")
	}
}

// facts draws the one line below a tree.
func (a *app) facts(root *tree.Node) {
	f := tree.Measure(root)
	built := tree.Measure(root.Built())
	what := term.Count(built.Folders, "folder")
	if built.Files > 0 {
		what += ", " + term.Count(built.Files, "file")
	}
	due, later := 0, 0
	for _, n := range root.All() {
		switch {
		case n.Marks&tree.Due != 0:
			due++
		case n.Marks&tree.Later != 0 && n.Marks&tree.Way == 0:
			later++
		}
	}
	if due > 0 {
		what += term.Sprintf(" · %s to be delivered", term.Number(due))
	}
	if later > 0 {
		what += term.Sprintf(" · %s for later", term.Number(later))
	}
	a.screen.Text(term.Sprintf("%s · %s deep · longest path %s", what, term.Count(f.Levels, "level"), term.Count(f.Length, "character")))
}

// changes tells which values could not stand in a name as they were given.
func (a *app) changes(changes []template.Change) {
	for _, c := range changes {
		a.screen.Text(term.Warn.Render("note:") + term.Sprintf(" in names, the %s “%s” is written “%s”", c.Field, term.Visible(c.Was), term.Visible(c.Is)))
	}
}

// A shownNode is a folder or file as JSON shows it.
type shownNode struct {
	Name     string      `json:"name"`
	Kind     string      `json:"kind"`
	Line     int         `json:"line"` // of the template
	Note     string      `json:"note,omitempty"`
	From     string      `json:"from,omitempty"` // the starter
	Holds    string      `json:"holds,omitempty"`
	Later    bool        `json:"later,omitempty"`
	Keep     bool        `json:"keep,omitempty"`
	Due      bool        `json:"due,omitempty"`
	DueBy    string      `json:"due-by,omitempty"`
	Children []shownNode `json:"children,omitempty"`
}

func showJSON(t *template.Template, values template.Values, x *template.Expansion) any {
	var nodes func(n *tree.Node) []shownNode
	nodes = func(n *tree.Node) []shownNode {
		var out []shownNode
		for _, c := range n.Children {
			s := shownNode{Name: c.Name, Kind: c.Kind.String(),
				Later: c.Marks&tree.Later != 0, Keep: c.Marks&tree.Keep != 0, Due: c.Marks&tree.Due != 0, DueBy: x.Due[c].String(), Children: nodes(c)}
			if l := t.LineOf(c); l != nil {
				s.Line = l.Syntax.Number
			}
			if l := t.ClausesOf(c); l != nil {
				s.Note, s.Holds = l.Note, l.HoldsText()
			}
			if c.Content != nil {
				s.From = c.Content.Source()
			}
			out = append(out, s)
		}
		return out
	}
	given := map[string]string{}
	for name, v := range values {
		given[name] = v.String()
	}
	return struct {
		Template string            `json:"template"`
		Title    string            `json:"title,omitempty"`
		Values   map[string]string `json:"values"`
		Facts    tree.Facts        `json:"facts"`
		Tree     []shownNode       `json:"tree"`
	}{t.Name, t.Title, given, tree.Measure(x.Root), nodes(x.Root)}
}
