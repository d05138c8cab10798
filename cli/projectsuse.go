package cli

import (
	"strings"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/template"
)

// drawUse draws, for each line of a template, in how many projects it holds anything.
func (r *projectsRun) drawUse() error {
	t, err := r.load(r.use)
	if err != nil {
		return err
	}
	uses := map[string]*inspect.Uses{}
	var order []string
	for _, s := range r.list {
		p := s.subject.Project
		if p == nil || p.Label.Template != t.Name || s.subject.Template == nil {
			continue
		}
		key := p.Label.Text
		if uses[key] == nil {
			uses[key] = &inspect.Uses{Template: s.subject.Template}
			order = append(order, key)
		}
		uses[key].Count(s.subject.Root)
	}
	if len(order) == 0 {
		return refused("", "no project here was built from %s", t.Name)
	}
	type lineUse struct {
		Line     int    `json:"line"`
		Name     string `json:"name"`
		Depth    int    `json:"depth"`
		There    int    `json:"there"`
		Used     int    `json:"used"`
		Projects int    `json:"projects"`
	}
	var list []lineUse
	// Projects of an older text are counted with the lines of the same names.
	byName := map[string][2]int{}
	all := 0
	for _, key := range order {
		u := uses[key]
		all += u.Projects
		for i, at := range paths(u.Template) {
			c := byName[at]
			byName[at] = [2]int{c[0] + u.There[i], c[1] + u.Used[i]}
		}
	}
	way := map[int32]bool{} // the own folder, and those on the way to it
	if x, err := t.Tree(t.Sample(nil, r.now), template.DefaultLimit); err == nil {
		own, _ := t.Own(x.Root)
		at := x.Root
		for name := range strings.SplitSeq(own, "/") {
			if at = at.Child(name); at == nil {
				break
			}
			way[at.From] = true
		}
	}
	for i, at := range paths(t) {
		l := t.Lines[i]
		if way[l.From] {
			continue
		}
		c := byName[at]
		list = append(list, lineUse{l.Syntax.Number, l.Syntax.Name, strings.Count(at, "\n"), c[0], c[1], all})
	}
	if r.asJSON {
		return r.printJSON(list)
	}
	var rows [][]term.Shown
	nobody := 0
	for _, u := range list {
		name := term.Spaces(2*u.Depth) + term.Visible(u.Name)
		used := term.Sprintf("%d of %d", u.Used, u.Projects)
		switch {
		case u.Used == 0:
			nobody++
			used = term.Warn.Render(used + "  nobody uses it")
		case u.Used == u.Projects:
			used = term.Good.Render(used)
		}
		rows = append(rows, []term.Shown{name, used})
	}
	r.screen.Table([]term.Column{{Name: "line"}, {Name: "holds anything in", Whole: true}}, rows)
	if nobody > 0 {
		r.screen.Line()
		r.screen.Text(term.Dim.Render(term.Sprintf("%s could become | later, or go.", term.Count(nobody, "line"))))
	}
	return nil
}

// paths are the lines of a template by their names and those of the lines around them,
// joined by line breaks.
func paths(t *template.Template) []string {
	out := make([]string, len(t.Lines))
	var walk func(lines []*template.Line, at string)
	walk = func(lines []*template.Line, at string) {
		for _, l := range lines {
			here := l.Syntax.Name
			if at != "" {
				here = at + "\n" + here
			}
			out[l.From-1] = here
			walk(l.Inside(), here)
		}
	}
	walk(t.Top(), "")
	return out
}
