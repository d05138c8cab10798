package cli

import (
	"cmp"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"vestibula/cli/term"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// harmlessWords leaves out what a terminal would obey: a shell shows what can be
// completed as it is.
func harmlessWords(words []string) []string {
	return slices.DeleteFunc(words, func(w string) bool { return string(term.Visible(w)) != w })
}

// completeTemplate offers template names, then the fields of the template and
// the values that they allow.
func (a *app) completeTemplate(_ *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	var out []string
	if len(args) == 0 {
		for _, s := range a.shelves() {
			out = append(out, s.files()...)
		}
		out = harmlessWords(out)
		slices.Sort(out)
		return slices.Compact(out), cobra.ShellCompDirectiveDefault
	}
	t := a.offered(args[0])
	if t == nil {
		return nil, cobra.ShellCompDirectiveDefault
	}
	return completeFields(t.Fields, typed)
}

// offered is the template that a word of a call which is being typed names; nil for none that can be read.
func (a *app) offered(word string) *template.Template {
	if word == "-" {
		return nil // it is still to come
	}
	src, err := a.find(word)
	if err != nil {
		return nil
	}
	t, err := src.parse()
	if err != nil {
		return nil
	}
	return t
}

// projectIn is the project that a folder is, or lies in; nil where it is in none, or in one that cannot be opened.
func (a *app) projectIn(dir string) *project.Project {
	own, l, err := project.Find(dir)
	if err != nil || l == nil {
		return nil
	}
	p, err := a.store().Open(own, l)
	if err != nil {
		return nil
	}
	return p
}

// completeFields offers fields that can be given, and of one the values that it allows.
func completeFields(fields []*template.Field, typed string) (out []string, _ cobra.ShellCompDirective) {
	name, _, given := strings.Cut(typed, "=")
	for _, f := range fields {
		switch {
		case f.Made():
		case !given:
			out = append(out, f.Name+"=")
		case f.Name == name:
			for _, v := range suggestions(f) {
				out = append(out, name+"="+v)
			}
		}
	}
	if given {
		return harmlessWords(out), cobra.ShellCompDirectiveNoFileComp
	}
	return out, cobra.ShellCompDirectiveNoSpace | cobra.ShellCompDirectiveNoFileComp
}

// manyPlaces is how many folders are looked into for projects, while somebody waits.
const manyPlaces = 500

// projectsNear are the projects in the folder that a word begins to name, and in those that
// lie in it.
func projectsNear(typed string) (out []string) {
	dir := typed[:strings.LastIndexAny(typed, `/\`)+1]
	looked := 0
	var look func(at string, deeper bool)
	look = func(at string, deeper bool) {
		list, err := place.ReadDir(cmp.Or(at, "."))
		if err != nil {
			return
		}
		for _, e := range list {
			here := filepath.ToSlash(filepath.Join(at, e.Name()))
			if !e.IsDir() || strings.HasPrefix(e.Name(), ".") || looked >= manyPlaces {
				continue
			}
			looked++
			if _, err := place.Lstat(filepath.Join(here, label.FileName)); err == nil {
				out = append(out, here)
			} else if deeper {
				look(here, false)
			}
		}
	}
	look(dir, true)
	return harmlessWords(out)
}

// completeProject offers projects; behind one, what its template has fields for.
func (a *app) completeProject(_ *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 && !strings.ContainsAny(typed, `/\`) {
		if p := a.projectIn(args[0]); p != nil {
			fields, directive := completeFields(p.Template.Fields, typed)
			return append(projectsNear(typed), fields...), directive
		}
	}
	return projectsNear(typed), cobra.ShellCompDirectiveDefault
}

// completeInProject offers projects first, and then what one of them has to offer.
func (a *app) completeInProject(offers func(p *project.Project) []string) func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return func(_ *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return projectsNear(typed), cobra.ShellCompDirectiveDefault
		}
		if p := a.projectIn(args[0]); p != nil && len(args) == 1 {
			return harmlessWords(offers(p)), cobra.ShellCompDirectiveNoFileComp
		}
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
}

// markedIn are the names of what is marked so in the wanted tree of a project.
func markedIn(p *project.Project, mark tree.Marks) (names []string) {
	x, err := p.Template.Tree(p.Values, template.DefaultLimit)
	if err != nil {
		return nil
	}
	for _, n := range x.Root.All() {
		if n.Marks&mark != 0 && n.Marks&(tree.Way|tree.Open) == 0 && !slices.Contains(names, n.Name) {
			names = append(names, n.Name)
		}
	}
	return names
}

// completeTemplates offers the names of templates, for an option.
func (a *app) completeTemplates(c *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
	return a.completeTemplate(c, nil, typed)
}

// plainDescriptions takes the marks out of what options say of themselves: shells show them as they are.
func plainDescriptions(c *cobra.Command) {
	plain := func(f *pflag.Flag) { f.Usage = strings.ReplaceAll(f.Usage, "`", "") }
	c.Flags().VisitAll(plain)
	c.PersistentFlags().VisitAll(plain)
	for _, below := range c.Commands() {
		plainDescriptions(below)
	}
}

// manyValues is how many projects are asked what their fields hold, while somebody waits.
const manyValues = 200

// completeWhere offers the fields of the templates and projects that a call names, and of one the values that
// projects have.
func (a *app) completeWhere(_ *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	var fields []*template.Field
	said := map[string][]string{}
	add := func(t *template.Template) {
		all := slices.Clone(t.Fields)
		for _, n := range t.Names {
			all = append(all, n.Fields...)
		}
		for _, f := range all {
			if !slices.ContainsFunc(fields, func(g *template.Field) bool { return g.Name == f.Name }) {
				fields = append(fields, f)
			}
		}
	}
	if len(args) == 0 {
		args = []string{"."}
	}
	for _, arg := range args {
		if info, err := place.Stat(arg); err != nil || !info.IsDir() {
			if t := a.offered(arg); t != nil {
				add(t)
			}
			continue
		}
		places := append([]string{arg}, projectsNear(strings.TrimSuffix(arg, "/")+"/")...)
		for _, at := range places[:min(len(places), manyValues)] {
			p := a.projectIn(at)
			if p == nil {
				continue
			}
			add(p.Template)
			for name, v := range p.Values {
				if text := v.String(); v.Given() && text != "" && !slices.Contains(said[name], text) {
					said[name] = append(said[name], text)
				}
			}
		}
	}
	name, _, given := strings.Cut(typed, "=")
	if !given {
		return completeFields(fields, typed)
	}
	var out []string
	for _, v := range said[name] {
		out = append(out, name+"="+v)
	}
	slices.Sort(out)
	if len(out) == 0 {
		return completeFields(fields, typed)
	}
	return harmlessWords(out), cobra.ShellCompDirectiveNoFileComp
}
