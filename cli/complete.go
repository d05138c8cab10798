package cli

import (
	"cmp"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/label"
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
	src, err := a.find(args[0])
	if err != nil || args[0] == "-" {
		return nil, cobra.ShellCompDirectiveDefault
	}
	t, err := src.parse()
	if err != nil {
		return nil, cobra.ShellCompDirectiveDefault
	}
	return completeFields(t.Fields, typed)
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
		list, err := os.ReadDir(cmp.Or(at, "."))
		if err != nil {
			return
		}
		for _, e := range list {
			here := filepath.ToSlash(filepath.Join(at, e.Name()))
			if !e.IsDir() || strings.HasPrefix(e.Name(), ".") || looked >= manyPlaces {
				continue
			}
			looked++
			if _, err := os.Lstat(filepath.Join(here, label.FileName)); err == nil {
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
		if own, l, err := project.Find(args[0]); err == nil && l != nil {
			if p, err := a.store().Open(own, l); err == nil {
				fields, directive := completeFields(p.Template.Fields, typed)
				return append(projectsNear(typed), fields...), directive
			}
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
		own, l, err := project.Find(args[0])
		if err != nil || l == nil || len(args) > 1 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		p, err := a.store().Open(own, l)
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return harmlessWords(offers(p)), cobra.ShellCompDirectiveNoFileComp
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
