package cli

import (
	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/template"
)

func (a *app) templatesCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:   "templates",
		Short: "List the templates that can be used by name.",
		Long: `List the templates that can be used by name: those here, in ./templates, in the
folders that VESTIBULA_TEMPLATES names, in your own data folder, and those built
into the program. Of two with one name, the first is used.`,
		Example: `  vestibula templates
  vestibula templates --json`,
		Args: atMost(0),
		RunE: func(*cobra.Command, []string) error {
			list := a.templates()
			if asJSON {
				return a.printJSON(list)
			}
			rows := make([][]term.Shown, len(list))
			for i, l := range list {
				title := term.Visible(l.Title)
				if l.Problem != "" {
					title = term.Bad.Render(term.Visible(l.Problem))
				}
				rows[i] = []term.Shown{term.Strong.Render(term.Visible(l.Name)), title, term.Dim.Render(term.Visible(l.Where))}
			}
			a.screen.Table([]term.Column{{Name: "name", Whole: true}, {Name: "title"}, {Name: "where", Last: 1}}, rows)
			for _, l := range list {
				if l.Problem != "" {
					a.screen.Text(advise("to see what is wrong", "check", typed(l.Name)).line())
					break
				}
			}
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// A listed is a template that can be used by name.
type listed struct {
	Name    string `json:"name"`
	Title   string `json:"title,omitempty"`
	About   string `json:"about,omitempty"`
	Where   string `json:"where"`
	Path    string `json:"path,omitempty"`
	Problem string `json:"problem,omitempty"`
}

func (a *app) templates() []listed {
	var list []listed
	taken := map[string]bool{}
	for _, s := range a.shelves() {
		for _, name := range s.files() {
			if taken[name] {
				continue
			}
			taken[name] = true
			l := listed{Name: name, Where: s.where}
			src, err := s.source(name)
			if err == nil {
				l.Path = src.path
				var t *template.Template
				if t, err = src.parse(); err == nil {
					l.Title, l.About = t.Title, t.About
				}
			}
			if err != nil {
				l.Problem = "has mistakes"
			}
			list = append(list, l)
		}
	}
	return list
}
