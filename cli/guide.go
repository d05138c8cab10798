package cli

import (
	"bytes"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/page"
	"vestibula/cli/term"
	"vestibula/core/guide"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

func (a *app) guideCommand() *cobra.Command {
	var flags valueFlags
	var out string
	var asJSON bool
	c := &cobra.Command{
		Use:   "guide TEMPLATE-OR-PROJECT [field=value …]",
		Short: "Explain a structure to those who join: where each thing goes, and what to call it.",
		Long: `Explain a structure to those who join: the tree with what each folder is for, where each
thing goes, how files are named with an example taken apart, what the codes mean, what is
due, and which rules hold, each with its reason. It is made from the template alone, so it
is never out of date. With --out it is a page (.html), or a text (.md, .txt).

A line “Guide.md | guide” in a template puts it into each project, where upgrade keeps it
up to date until somebody edits it.`,
		Example: `  vestibula guide commission
  vestibula guide evening-course course="Case Binding" --out guide.html
  vestibula guide "Clients/2027-03 Oriel Pask BK" --out "How we work.md"`,
		Args:              templateArgs,
		ValidArgsFunction: a.completeTemplate,
		RunE: func(_ *cobra.Command, args []string) error {
			p, err := a.guideOf(args, &flags)
			if err != nil {
				return err
			}
			switch {
			case asJSON:
				return a.printJSON(p)
			case out != "":
				return a.writeGuide(p, out)
			}
			a.drawGuide(p)
			return nil
		},
	}
	flags.add(c)
	c.Flags().StringVar(&out, "out", "", "write it to a new `FILE`: .html, .md or .txt")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// guideOf is the guide of a template with the values given, or of a project with its own.
func (a *app) guideOf(args []string, flags *valueFlags) (*guide.Page, error) {
	if info, err := os.Stat(args[0]); err == nil && info.IsDir() {
		p, _, err := a.projectAt(args[0])
		if err != nil {
			return nil, err
		}
		values, wrong := p.Template.ParseValues(p.Label.Raw(), a.now)
		if len(wrong) > 0 {
			return nil, badValues(wrong)
		}
		return a.guidePage(p.Template, p.Template.Complete(values, a.now), flags.limit)
	}
	t, err := a.load(args[0])
	if err != nil {
		return nil, err
	}
	values, err := a.values(t, args[1:], flags.file)
	if err != nil {
		return nil, err
	}
	all := t.Sample(values, a.now)
	for _, f := range t.Fields {
		if _, given := values[f.Name]; !given && f.Type.Kind == value.YesNo {
			delete(all, f.Name) // it is asked for each project anew: both are shown
		}
	}
	return a.guidePage(t, all, flags.limit)
}

func (a *app) guidePage(t *template.Template, values template.Values, limit int) (*guide.Page, error) {
	x, err := t.Tree(values, limit)
	if err != nil {
		return nil, a.tellErrors(t.Name, t.Text, err, statusFound)
	}
	name, own := t.Own(x.Root)
	if own.Name == "" {
		own = own.Copy()
		own.Name = filepath.Base(name)
	}
	return guide.Of(t, own, values, x.Due), nil
}

// writeGuide writes it into a new file.
func (a *app) writeGuide(p *guide.Page, out string) error {
	var data []byte
	var err error
	switch strings.ToLower(filepath.Ext(out)) {
	case ".html", ".htm":
		data, err = page.Guide(p)
	case ".md", ".markdown":
		data = []byte(p.Markdown())
	case ".txt":
		data = []byte(a.guideText(p))
	default:
		return unclear("name it guide.html, guide.md or guide.txt", "\"%s\" does not say how it is to be written", out)
	}
	if err != nil {
		return err
	}
	if _, err := os.Lstat(out); !errors.Is(err, fs.ErrNotExist) {
		old, _ := place.ReadFile(out, 16<<20)
		if bytes.Equal(old, data) {
			a.screen.Text(term.Good.Render("Nothing to do:") + term.Sprintf(" %s holds it already.", out))
			return nil
		}
		return refused("name another file, or move that one away", "%s is there already, and holds something else.", out)
	}
	if err := a.makeFiles("guide", p.Title, []newFile{{out, tree.Bytes(data)}}, false); err != nil {
		return err
	}
	a.screen.Text(term.Good.Render("Written") + ": " + term.Visible(out) + ".")
	return nil
}

// guideText is the guide as plain text, as the terminal has it.
func (a *app) guideText(p *guide.Page) string {
	var b strings.Builder
	plain := *a
	plain.screen = term.NewScreen(&b, nil, true)
	plain.drawGuide(p)
	return b.String()
}

// drawGuide draws it in the terminal.
func (a *app) drawGuide(p *guide.Page) {
	s := a.screen
	s.Line(term.Title.Render(term.Visible(p.Title)))
	if p.About != "" {
		s.Text(term.Dim.Render(term.Visible(p.About)))
	}
	guideSection(s, term.Visible(p.Say("What goes where")))
	rows := [][]term.Shown{{"  " + term.Strong.Render(term.Visible(p.Own)+"/"), ""}}
	for i := range p.Tree {
		r := &p.Tree[i]
		name := term.Pad("", 4+4*r.Depth) + term.Visible(r.Name)
		if r.Folder {
			name += "/"
		}
		if r.More > 0 {
			name = term.Pad("", 4+4*r.Depth) + term.Dim.Render("… "+term.Visible(r.Name))
		}
		rows = append(rows, []term.Shown{"  " + name, term.Dim.Render(term.Visible(p.Beside(*r)))})
	}
	s.Columns(rows)
	if len(p.Places) > 0 {
		s.Line()
		rows = nil
		for _, x := range p.Places {
			rows = append(rows, []term.Shown{"  " + term.Visible(x.What), term.Accent.Render("→") + " " + term.Visible(x.Where), term.Dim.Render(term.Visible(x.Note))})
		}
		s.Columns(rows)
	}
	drawConventions(s, p)
	drawCodes(s, p)
	if len(p.Due) > 0 {
		guideSection(s, term.Visible(p.Say("What is to be delivered")))
		rows = nil
		for _, d := range p.Due {
			points := term.Shown("")
			if d.Worth > 0 {
				points = term.Sprintf("%d ", d.Worth) + term.Visible(p.Say("points"))
			}
			rows = append(rows, []term.Shown{"  " + term.Visible(d.Path), term.Visible(d.Day), points})
		}
		s.Columns(rows)
	}
	if len(p.Rules) > 0 {
		guideSection(s, term.Visible(p.Say("What we keep to")))
		for _, r := range p.Rules {
			s.Text("- " + term.Visible(r.Says) + " " + term.Dim.Render(term.Visible(r.Why)))
		}
	}
	if len(p.Fixed) > 0 {
		guideSection(s, term.Visible(p.Say("What is never renamed")))
		for _, f := range p.Fixed {
			s.Line("  ", term.Visible(f))
		}
	}
}

func guideSection(s *term.Screen, title term.Shown) {
	s.Line()
	s.Line(term.Title.Render(title))
}

// drawConventions shows what files are called.
func drawConventions(s *term.Screen, p *guide.Page) {
	if len(p.Conventions) > 0 {
		guideSection(s, term.Visible(p.Say("What to call it")))
		for i, c := range p.Conventions {
			if i > 0 {
				s.Line()
			}
			s.Line("  ", term.Strong.Render(term.Visible(c.Example)), term.Dim.Render("   "+term.Visible(c.Name)))
			var rows [][]term.Shown
			for _, slot := range c.Slots {
				if slot.Slot != "" {
					rows = append(rows, []term.Shown{"    " + term.Visible(slot.Text), term.Dim.Render(term.Visible(slot.Meaning))})
				}
			}
			s.Columns(rows)
		}
	}
}

// drawCodes shows what the codes of choices mean.
func drawCodes(s *term.Screen, p *guide.Page) {
	for i, c := range p.Codes {
		if i == 0 {
			guideSection(s, term.Visible(p.Say("What the codes mean")))
		}
		s.Line("  ", term.Dim.Render(term.Visible(c.Field)))
		var rows [][]term.Shown
		for _, o := range c.Codes {
			rows = append(rows, []term.Shown{"    " + term.Strong.Render(term.Visible(o[0])), term.Visible(o[1])})
		}
		s.Columns(rows)
	}
}
