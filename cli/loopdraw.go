package cli

import (
	"cmp"
	"path"
	"path/filepath"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/proposal"
)

// manyLines is how many lines a plan of several parts has before the rest is only counted.
const manyLines = 4 * manyRows

// drawPlan shows what will be done, and what is left and why.
func (a *app) drawPlan(t *task) {
	lines := 0
	for i, p := range t.Parts {
		if lines > manyLines {
			a.more(len(t.Parts)-i, "", "--json")
			break
		}
		if i > 0 && !p.Inner {
			a.screen.Line()
		}
		lines += a.drawPart(p)
	}
	if lines > 0 {
		a.screen.Line()
	}
	for _, n := range t.Notes {
		if n.Quiet {
			a.screen.Text(term.Dim.Render(term.Visible(n.Text)))
			continue
		}
		a.screen.Text(term.Warn.Render("note:") + " " + term.Visible(n.Text))
	}
	t.followed.draw(a.screen)
}

// drawPart shows a part, and returns how many lines it has.
func (a *app) drawPart(p *proposal.Part) int {
	indent := term.Shown("")
	title := p.Title
	if title == "" && p.In != "" && p.In != workDir() {
		title = fromHere(p.In)
	}
	if title != "" {
		style := term.Title
		if p.Inner {
			indent, style = "  ", term.Strong
		}
		about := term.Shown("")
		if p.About != "" {
			gap := term.Shown("   ")
			if p.Title != "" && !p.Inner {
				gap = ": "
			}
			about = term.Dim.Render(gap + term.Visible(p.About))
		}
		a.screen.Line(indent, style.Render(term.Visible(title)), about)
		indent += "  "
	}
	most := cmp.Or(p.Most, manyRows)
	if len(p.Steps) == most+1 {
		most++ // the line that says so would take as much room
	}
	var sized [][]term.Shown
	for i, s := range p.Steps {
		if i == most {
			a.more(len(p.Steps)-i, "", "--json")
			break
		}
		line := indent + stepLine(s)
		switch {
		case s.Size > 0:
			sized = append(sized, []term.Shown{line, term.Dim.Render(term.Size(s.Size))})
		case s.Why != "":
			a.screen.Because(line, term.Visible(s.Why), term.Dim.Italic())
		default:
			a.screen.Line(line)
		}
	}
	a.screen.Columns(sized)
	return 1 + len(p.Steps) + a.drawLeft(p, indent)
}

// stepLine is the line of a step.
func stepLine(s *proposal.Step) term.Shown {
	sign := map[change.Op]term.Shown{change.Make: term.Good.Render("+"), change.Copy: term.Good.Render("+"), change.Move: term.Accent.Render("»"),
		change.Replace: term.Warn.Render("←"), change.Remove: term.Bad.Render("-")}[s.Op] + " "
	if !s.Goes() {
		sign = term.Warn.Render("?") + " "
	}
	from, to, slash := told(s.From), told(s.To), term.Shown("")
	if s.Folder {
		slash = term.Dim.Render("/")
	}
	switch {
	case s.Called != "" && s.Becomes != "":
		return sign + term.Moved(s.Called, s.Becomes)
	case s.Called != "":
		return sign + term.Visible(s.Called)
	case s.Op == change.Remove:
		return sign + term.Visible(from) + slash
	case from != "" && to != "" && s.Op != change.Replace:
		return sign + term.Moved(from, to) + slash
	}
	return sign + term.Visible(cmp.Or(to, from)) + slash
}

// told is a path of a step as a person is told it.
func told(p string) string {
	if path.IsAbs(p) || filepath.IsAbs(filepath.FromSlash(p)) {
		return filepath.ToSlash(fromHere(filepath.FromSlash(p)))
	}
	return p
}

// drawLeft shows what a part leaves, and returns how many lines that takes.
func (a *app) drawLeft(p *proposal.Part, indent term.Shown) int {
	signs := map[proposal.Kind]term.Shown{proposal.There: term.Dim.Render("="), proposal.Several: term.Warn.Render("?"), proposal.Stays: term.Warn.Render("~"), proposal.Nowhere: term.Warn.Render("~")}
	help := ""
	for i, l := range p.Left {
		if i == manyRows {
			a.more(len(p.Left)-i, "", "--json")
			return i
		}
		name := cmp.Or(l.Name, told(l.Path))
		line := indent + signs[l.Kind] + " " + term.Visible(name)
		if l.At > 0 {
			a.screen.Line(line)
			before := term.Columns(indent) + 2 + term.Columns(term.Visible(name[:min(l.At, len(name))]))
			a.screen.Line(term.Spaces(before), term.Bad.Render("^"), " ", term.Accent.Render(term.Visible(l.Why)))
		} else {
			a.screen.Because(line, term.Visible(l.Why), term.Warn.Plain())
		}
		if l.Help != "" && l.Help != help {
			help = l.Help
			a.screen.Indented(term.Columns(indent)+4, term.Visible(help), term.Accent)
		}
	}
	return len(p.Left)
}

// A stepJSON is a step as JSON shows it.
type stepJSON struct {
	Op       string `json:"op"`
	In       string `json:"in,omitempty"` // the folder in which its paths begin
	From     string `json:"from,omitempty"`
	To       string `json:"to,omitempty"`
	Why      string `json:"why,omitempty"`
	Probable bool   `json:"probable,omitempty"`
	Size     int64  `json:"size,omitempty"`
	Row      int    `json:"row,omitempty"`
}

// A leftJSON is what is left, as JSON shows it.
type leftJSON struct {
	Kind  string   `json:"kind"`
	In    string   `json:"in,omitempty"`
	Path  string   `json:"path"`
	Why   string   `json:"why,omitempty"`
	At    int      `json:"at,omitempty"` // in characters of the name, from 1
	Could []string `json:"could,omitempty"`
	Help  string   `json:"help,omitempty"`
}

// printPlan prints a plan, or what was done, as JSON. Where something is to be done and was not,
// and no preview was asked for, that is an error without a word.
func (a *app) printPlan(c consent, t *task, done bool) error {
	out := struct {
		Done   bool         `json:"done"`
		Number int          `json:"number,omitempty"`
		Steps  []stepJSON   `json:"steps"`
		Left   []leftJSON   `json:"left"`
		Notes  []string     `json:"notes"`
		Broken []brokenJSON `json:"broken"`
		Of     any          `json:"of,omitempty"`
	}{Done: done, Steps: []stepJSON{}, Left: []leftJSON{}, Notes: []string{}, Broken: t.followed.json()}
	if done {
		out.Number = a.number
	}
	if t.of != nil {
		out.Of = t.of()
	}
	for _, p := range t.Parts {
		in := ""
		if p.In != "" && p.In != workDir() {
			in = filepath.ToSlash(fromHere(p.In))
		}
		for _, s := range p.Steps {
			out.Steps = append(out.Steps, stepJSON{s.Op.String(), in, told(s.From), told(s.To), s.Why, s.Probable, s.Size, s.Row})
		}
		for _, l := range p.Left {
			one := leftJSON{l.Kind.String(), in, told(l.Path), l.Why, 0, l.Could, l.Help}
			if l.At > 0 {
				one.At = len([]rune(l.Name[:min(l.At, len(l.Name))])) + 1
			}
			out.Left = append(out.Left, one)
		}
	}
	for _, n := range t.Notes {
		out.Notes = append(out.Notes, n.Text)
	}
	err := a.printJSON(out)
	if err == nil && !done && !c.preview && len(out.Steps) > 0 {
		return found
	}
	return err
}
