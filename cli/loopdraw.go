package cli

import (
	"cmp"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/proposal"
)

// manyLines is how many lines a plan of several parts has before the rest is only counted.
const manyLines = 4 * manyRows

// drawPlan shows what will be done, and what is left and why.
func (a *app) drawPlan(t *task) {
	lines, cut := 0, false
	parts, alike := a.folded(t.Parts)
	for i, p := range parts {
		if lines > a.most(manyLines) {
			a.screen.Line(term.Dim.Render(term.Sprintf("… and %s more", term.Count(len(parts)-i, "folder"))))
			cut = true
			break
		}
		if i > 0 && !p.Inner {
			a.screen.Line()
		}
		n, short := a.drawPart(p)
		lines, cut = lines+n, cut || short
		if names := alike[p]; len(names) > 0 {
			a.screen.Text("  " + term.Dim.Render("the same in "+term.Number(len(names))+" more: "+term.Visible(strings.Join(a.few(names), ", "))))
			cut = true
		}
	}
	if cut && !slices.ContainsFunc(a.call, func(w string) bool { return w == "--yes" || w == "-y" }) { // else it is done by then
		all := a.sameCall("All of them", "--all")
		a.screen.Line()
		a.screen.Text(term.Dim.Render(all.line()))
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

// folded are parts without those in which the same is done as in one before, and the names of those.
func (a *app) folded(parts []*proposal.Part) (list []*proposal.Part, alike map[*proposal.Part][]string) {
	if a.all {
		return parts, nil
	}
	alike, known := map[*proposal.Part][]string{}, map[string]*proposal.Part{}
	for i, p := range parts {
		if key := sameness(p); key != "" && (i+1 == len(parts) || !parts[i+1].Inner) {
			if first := known[key]; first != nil {
				alike[first] = append(alike[first], string(fromHere(p.In)))
				continue
			}
			known[key] = p
		}
		list = append(list, p)
	}
	return list, alike
}

// sameness is what two parts have in common in which the same is done; "" for one that is told by itself.
func sameness(p *proposal.Part) string {
	if p.Title != "" || p.In == "" || p.Inner || len(p.Left) > 0 || len(p.Steps) == 0 && p.About == "" {
		return ""
	}
	var b strings.Builder
	b.WriteString(p.About)
	for _, s := range p.Steps {
		if s.Probable || path.IsAbs(s.From) || path.IsAbs(s.To) {
			return ""
		}
		fmt.Fprintf(&b, "\x00%d\x00%s\x00%s\x00%s\x00%s\x00%s", s.Op, s.From, s.To, s.Called, s.Becomes, s.Why)
	}
	return b.String()
}

// drawPart shows a part. It returns how many lines it has, and whether some are left out.
func (a *app) drawPart(p *proposal.Part) (lines int, cut bool) {
	indent, title, slash := term.Shown(""), p.Title, term.Shown("")
	if title == "" && p.In != "" && string(p.In) != workDir() {
		title = fromHere(p.In)
		if p.Inner {
			slash = term.Dim.Render("/")
		}
	}
	if title != "" {
		style := term.Title
		if p.Inner {
			indent, style = "  ", term.Strong
		}
		a.screen.Indented(term.Columns(indent), style.Render(term.Visible(title))+slash+term.Dim.Render(term.Visible(p.About)), term.Style{})
		indent, lines = indent+"  ", 1
	}
	shown := first(p.Steps, a.most(cmp.Or(p.Most, manyRows)))
	sized := slices.ContainsFunc(shown, func(s *proposal.Step) bool { return s.Sized })
	var columns [][]term.Shown
	for _, s := range shown {
		line := indent + a.stepLine(s, a.screen.Width-term.Columns(indent))
		switch {
		case sized:
			row := []term.Shown{line}
			if s.Sized {
				row = append(row, term.Dim.Render(term.Size(s.Size)))
			} else if s.Probable {
				row = append(row, term.Dim.Italic().Render(term.Visible(s.Why)))
			}
			columns = append(columns, row)
		default:
			a.because(line, term.Visible(s.Why))
		}
	}
	a.screen.Columns(columns)
	a.rest(indent, len(p.Steps)-len(shown))
	together := a.drawAlike(p.Left, indent)
	left := first(together, a.most(manyRows))
	a.drawLeft(left, indent)
	a.rest(indent, len(together)-len(left))
	return lines + len(shown) + len(left), len(shown) < len(p.Steps) || len(left) < len(together)
}

// because writes a line, and a reason where there is one.
func (a *app) because(line, why term.Shown) {
	if why == "" {
		a.screen.Line(line)
		return
	}
	a.screen.Because(line, why, term.Dim.Italic())
}

// first are the first of a list: all of it, where only one would be left out.
func first[T any](list []T, most int) []T {
	if len(list)-1 <= most {
		return list
	}
	return list[:most]
}

// rest says how many more there are.
func (a *app) rest(indent term.Shown, n int) {
	if n > 0 {
		a.screen.Line(indent, term.Dim.Render(term.Sprintf("… and %s more", term.Number(n))))
	}
}

// shortened is a path without so many of its first folders that it has room; as it is, where its last name
// alone has none.
func shortened(path string, columns int) string {
	for short := path; ; {
		if term.Columns(term.Visible(short)) <= columns {
			return short
		}
		_, rest, more := strings.Cut(strings.TrimPrefix(short, "…/"), "/")
		if !more || rest == "" {
			return path
		}
		short = "…/" + rest
	}
}

// stepLine is the line of a step, in so many columns; the beginnings of longer paths are left out.
func (a *app) stepLine(s *proposal.Step, columns int) term.Shown {
	sign := map[change.Op]term.Shown{change.Make: term.Good.Render("+"), change.Copy: term.Good.Render("+"), change.Move: term.Accent.Render("»"),
		change.Replace: term.Warn.Render("←"), change.Remove: term.Bad.Render("-")}[s.Op] + " "
	if !s.Goes() {
		sign = term.Warn.Render("?") + " "
	}
	from, to, slash, into := told(s.From), told(s.To), "", ""
	if n := term.Columns(term.Visible(from + to)); a.screen.Width > 0 && from != "" && n > columns-6 && s.Called == "" && strings.Contains(to, "/") && path.Base(from) == path.Base(to) {
		to, into = path.Dir(to), "/" // its name is said already
	}
	if n := term.Columns(term.Visible(from + to)); a.screen.Width > 0 && from != "" && n > columns-6 {
		to = shortened(to, columns-6-min(term.Columns(term.Visible(from)), (columns-6)/2))
		from = shortened(from, columns-6-term.Columns(term.Visible(to)))
	}
	if s.Folder {
		slash = "/"
	}
	if into == "" {
		into = slash
	}
	switch {
	case s.Called != "" && s.Becomes != "":
		return sign + term.Moved(s.Called+slash, s.Becomes+slash)
	case s.Called != "":
		return sign + term.Visible(s.Called)
	case s.Op == change.Remove:
		return sign + term.Visible(from+slash)
	case from != "" && to != "" && s.Op != change.Replace:
		return sign + term.Moved(from+slash, to+into)
	}
	return sign + term.Visible(cmp.Or(to, from)+slash)
}

// told is a path of a step as a person is told it.
func told(p string) string {
	if path.IsAbs(p) || filepath.IsAbs(filepath.FromSlash(p)) {
		return filepath.ToSlash(fromHere(filepath.FromSlash(p)))
	}
	return p
}

// drawLeft shows what a part leaves, and why.
func (a *app) drawLeft(list []*proposal.Left, indent term.Shown) {
	help := ""
	for _, l := range list {
		name := cmp.Or(l.Name, told(l.Path))
		line := indent + leftSign(l.Kind) + " " + term.Visible(name)
		if l.At > 0 {
			a.screen.Line(line)
			before := term.Columns(indent) + 2 + term.Columns(term.Visible(name[:min(l.At, len(name))]))
			a.screen.Line(term.Spaces(before), term.Bad.Render("^"), " ", term.Accent.Render(term.Visible(l.Why)))
		} else {
			why := term.Visible(whyLeft(l))
			if most := a.screen.Width - term.Columns(indent) - 5 - term.Columns(why); a.screen.Width > 0 && term.Columns(term.Visible(name)) > most {
				line = indent + leftSign(l.Kind) + " " + term.Visible(shortened(name, most))
			}
			a.screen.Because(line, why, leftStyle(l.Kind))
		}
		if l.Help != "" && l.Help != help {
			help = l.Help
			a.screen.Indented(term.Columns(indent)+4, term.Visible(help), term.Accent)
		}
	}
}

// manyAlike is how many things that are left for one reason are told together.
const manyAlike = 3

// drawAlike shows together what is left for one reason, and returns the others.
func (a *app) drawAlike(list []*proposal.Left, indent term.Shown) (rest []*proposal.Left) {
	type reason struct {
		kind      proposal.Kind
		why, help string
	}
	of := func(l *proposal.Left) reason { return reason{l.Kind, cmp.Or(l.Alike, whyLeft(l)), l.Help} }
	groups := map[reason][]string{}
	for _, l := range list {
		groups[of(l)] = append(groups[of(l)], cmp.Or(l.Name, told(l.Path)))
	}
	drawn := map[reason]bool{}
	for _, l := range list {
		g := of(l)
		names := groups[g]
		least := manyAlike
		if l.Kind == proposal.There || l.Kind == proposal.Twice {
			least = 2
		}
		if len(names) < least || g.why == "" || a.all {
			rest = append(rest, l)
			continue
		}
		if drawn[g] {
			continue
		}
		drawn[g] = true
		a.screen.Because(indent+leftSign(l.Kind)+" "+term.Strong.Render(term.Count(len(names), "file")), term.Visible(g.why), leftStyle(l.Kind))
		a.screen.Indented(term.Columns(indent)+4, term.Visible(strings.Join(a.few(names), ", ")), term.Dim)
		if g.help != "" {
			a.screen.Indented(term.Columns(indent)+4, term.Visible(g.help), term.Accent)
		}
	}
	return rest
}

// leftSign is the sign in front of what is left.
func leftSign(k proposal.Kind) term.Shown {
	switch k {
	case proposal.There, proposal.Twice:
		return term.Dim.Render("=")
	case proposal.Several:
		return term.Warn.Render("?")
	}
	return term.Warn.Render("~")
}

// longPlaces is how long a list of places is, in bytes, from which on what all of them begin with is said once.
const longPlaces = 90

// leftStyle is how the reason stands behind what is left: in the colour of what needs somebody, where it does.
func leftStyle(k proposal.Kind) term.Style {
	if k == proposal.There || k == proposal.Twice {
		return term.Dim
	}
	return term.Warn.Plain()
}

// whyLeft says why something is left, and where it could go.
func whyLeft(l *proposal.Left) string {
	var could []string
	for _, at := range l.Could[:min(3, len(l.Could))] {
		could = append(could, told(at))
	}
	if l.Kind == proposal.There && len(l.Could) == 1 && path.Base(could[0]) == path.Base(l.Path) {
		could[0] = path.Dir(could[0]) + "/" // the name is said already
	}
	text := strings.Join(could, ", or ")
	if shared := sharedFolder(could); shared != "" && len(text) > longPlaces {
		for i := range could {
			could[i] = strings.TrimPrefix(could[i], shared)
		}
		text = "in " + shared + ": " + strings.Join(could, ", or ")
	}
	if n := len(l.Could) - 3; n > 0 {
		text += fmt.Sprintf(", and %d more", n)
	}
	switch {
	case text == "" && l.Kind == proposal.Stays:
		return "stays: " + l.Why
	case text == "":
		return l.Why
	case l.Why == "":
		return text
	}
	return l.Why + ": " + text
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
		if p.In != "" && string(p.In) != workDir() {
			in = filepath.ToSlash(fromHere(p.In))
		}
		for _, s := range p.Steps {
			out.Steps = append(out.Steps, stepJSON{s.Op.String(), in, told(s.From), told(s.To), s.Why, s.Probable, s.Size, s.Row})
		}
		for _, l := range p.Left {
			one := leftJSON{l.Kind.String(), in, told(l.Path), l.Why, 0, nil, l.Help}
			for _, at := range l.Could {
				one.Could = append(one.Could, told(at))
			}
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
	if err == nil && !done && !c.preview && t.plan != nil && len(t.plan.List) > 0 {
		return found
	}
	return err
}
