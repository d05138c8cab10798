package cli

import (
	"bytes"
	"cmp"
	"errors"
	"io/fs"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/page"
	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/guide"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

func (a *app) guideCommand() *cobra.Command {
	var flags valueFlags
	var out string
	var asJSON bool
	c := &cobra.Command{
		Use:   "guide TEMPLATE-OR-FOLDER [field=value …]",
		Short: "Explain a structure to those who join: where each thing goes, and what to call it.",
		Long: `Explain a structure to those who join: the tree with what each folder is for, where each
thing goes, how files are named with an example taken apart, what the codes mean, what is
due, and which rules hold, each with its reason. It is made from the template alone, so it
is never out of date. With --out it is a page (.html), or a text (.md, .txt).

Of a folder in which projects lie it explains all kinds of them, one after the other.

A line “Guide.md | guide” in a template puts it into each project, where upgrade keeps it
up to date until somebody edits it.`,
		Example: `  vestibula guide commission
  vestibula guide evening-course course="Case Binding" --out guide.html
  vestibula guide "Clients/2027-03 Oriel Pask BK" --out "How we work.md"`,
		Args:              templateArgs,
		ValidArgsFunction: a.completeTemplate,
		RunE: func(_ *cobra.Command, args []string) error {
			title, pages, err := a.guideOf(args, &flags)
			if err != nil {
				return err
			}
			switch {
			case asJSON && len(pages) == 1:
				return a.printJSON(pages[0])
			case asJSON:
				return a.printJSON(map[string]any{"title": title, "guides": pages})
			case out != "":
				return a.writeGuide(title, pages, out)
			}
			a.drawGuides(title, pages)
			return nil
		},
	}
	flags.add(c)
	c.Flags().StringVar(&out, "out", "", "write it to a new `FILE`: .html, .md or .txt")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// guideOf is the guide of a template with the values given, of a project with its own, or of all kinds of
// projects in a folder, which is its title.
func (a *app) guideOf(args []string, flags *valueFlags) (title string, pages []*guide.Page, err error) {
	if info, err := place.Stat(args[0]); err == nil && info.IsDir() {
		if kinds := a.kindsIn(args[0]); len(kinds) > 0 {
			for _, t := range kinds {
				page, err := a.guidePage(t, a.shownValues(t, nil), flags.limit)
				if err != nil {
					return "", nil, err
				}
				pages = append(pages, page)
			}
			return a.folderName(args[0]), pages, nil
		}
		p, _, err := a.projectAt(args[0])
		if err != nil {
			return "", nil, err
		}
		values, wrong := p.Template.ParseValues(p.Label.Raw(), a.now)
		if len(wrong) > 0 {
			return "", nil, badValues(wrong)
		}
		page, err := a.guidePage(p.Template, p.Template.Complete(values, a.now), flags.limit)
		return "", []*guide.Page{page}, err
	}
	t, err := a.load(args[0])
	if err != nil {
		return "", nil, err
	}
	values, err := a.values(t, args[1:], flags.file)
	if err != nil {
		return "", nil, err
	}
	page, err := a.guidePage(t, a.shownValues(t, values), flags.limit)
	return "", []*guide.Page{page}, err
}

// shownValues are values with what is made up for those that are missing. What is asked for each project with
// yes or no stays open: both are shown.
func (a *app) shownValues(t *template.Template, values template.Values) template.Values {
	all := t.Sample(values, a.now)
	for _, f := range t.Fields {
		if _, given := values[f.Name]; !given && f.Type.Kind == value.YesNo {
			delete(all, f.Name)
		}
	}
	return all
}

// kindsIn are the templates of the projects in a folder that is none itself and lies in none, by their names:
// each as the project has it that was built last.
func (a *app) kindsIn(at string) (kinds []*template.Template) {
	if _, l, err := project.Find(at); err != nil || l != nil {
		return nil
	}
	if _, leads := project.Inside(address.Address(at)); leads {
		return nil
	}
	found, err := project.Below(at, nil, nil)
	if err != nil {
		return nil
	}
	for _, u := range found.Unread {
		a.note(term.Sprintf("%s cannot be read, and projects may lie in it", fromHere(u.Path)))
	}
	newest := map[string]*project.Own{}
	for i := range found.Projects {
		one := &found.Projects[i]
		if one.Err != nil {
			a.note(term.Sprintf("%s is left out: %v", fromHere(one.Dir), one.Err))
			continue
		}
		if last := newest[one.Label.Template]; last == nil || last.Label.Built.Before(one.Label.Built) {
			newest[one.Label.Template] = one
		}
	}
	for _, name := range slices.Sorted(maps.Keys(newest)) {
		p, err := a.store().Open(newest[name].Dir, newest[name].Label)
		if err != nil {
			a.note(term.Sprintf("%s is left out: %v", name, err))
			continue
		}
		kinds = append(kinds, p.Template)
	}
	return kinds
}

// folderName is what a folder is called, also where its path does not say it.
func (a *app) folderName(at string) string {
	if real, err := place.Real(at); err == nil {
		return real.Name()
	}
	return filepath.Base(at)
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
func (a *app) writeGuide(title string, pages []*guide.Page, out string) error {
	var data []byte
	var err error
	switch strings.ToLower(filepath.Ext(out)) {
	case ".html", ".htm":
		data, err = page.Guide(title, pages)
	case ".md", ".markdown":
		data = []byte(guide.Markdown(title, pages))
	case ".txt":
		data = []byte(a.guideText(title, pages))
	default:
		return unclear("name it guide.html, guide.md or guide.txt", "\"%s\" does not say how it is to be written", out)
	}
	if err != nil {
		return err
	}
	if _, err := place.Lstat(out); !errors.Is(err, fs.ErrNotExist) {
		old, _ := place.ReadFile(out, 16<<20)
		if bytes.Equal(old, data) {
			a.screen.Text(term.Good.Render("Nothing to do:") + term.Sprintf(" %s holds it already.", out))
			return nil
		}
		return refused("name another file, or move that one away", "%s is there already, and holds something else.", out)
	}
	if err := a.makeFiles("guide", cmp.Or(title, pages[0].Title), []newFile{{out, tree.Bytes(data)}}, false); err != nil {
		return err
	}
	a.screen.Text(term.Good.Render("Written") + ": " + term.Visible(out) + ".")
	return nil
}

// guideText is the guide as plain text, as the terminal has it.
func (a *app) guideText(title string, pages []*guide.Page) string {
	var b strings.Builder
	plain := *a
	plain.screen = term.NewScreen(&b, nil, true)
	plain.drawGuides(title, pages)
	return b.String()
}

// drawGuides draws them in the terminal.
func (a *app) drawGuides(title string, pages []*guide.Page) {
	if len(pages) > 1 {
		a.screen.Line(term.Title.Render(term.Visible(title)))
		a.screen.Line()
	}
	for i, p := range pages {
		if i > 0 {
			a.screen.Line()
		}
		a.drawGuide(p)
	}
}

// drawGuide draws one.
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
