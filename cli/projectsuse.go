package cli

import (
	"strings"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/template"
)

// A lineUse says of a line of a template in how many projects it is there, and holds anything.
type lineUse struct {
	Line     int    `json:"line"`
	Name     string `json:"name"`
	Depth    int    `json:"depth"`
	There    int    `json:"there"`
	Used     int    `json:"used"`
	Projects int    `json:"projects"`
}

// drawUse draws, for each line of a template, in how many projects it holds anything.
func (r *projectsRun) drawUse() error {
	t, err := r.load(r.use)
	if err != nil {
		return err
	}
	list := r.lineUses(t)
	if list == nil {
		return refused("", "no project here was built from %s", t.Name)
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

// lineUses counts, for the lines of a template, what the projects have that were built from it,
// those of an older text by the names of its lines. It is nil where there are none.
func (r *projectsRun) lineUses(t *template.Template) []lineUse {
	uses := map[string]*inspect.Uses{} // by the text
	for _, s := range r.list {
		p := s.subject.Project
		if p == nil || p.Label.Template != t.Name || s.subject.Template == nil {
			continue
		}
		key := p.Label.Text
		if uses[key] == nil {
			uses[key] = &inspect.Uses{Template: s.subject.Template}
		}
		uses[key].Count(s.subject.Root)
	}
	if len(uses) == 0 {
		return nil
	}
	there, used, all := map[string]int{}, map[string]int{}, 0
	for _, u := range uses {
		all += u.Projects
		for i, at := range paths(u.Template) {
			there[at] += u.There[i]
			used[at] += u.Used[i]
		}
	}
	list, way := []lineUse{}, r.wayOf(t)
	for i, at := range paths(t) {
		if l := t.Lines[i]; !way[l.From] {
			list = append(list, lineUse{l.Syntax.Number, l.Syntax.Name, strings.Count(at, "\n"), there[at], used[at], all})
		}
	}
	return list
}

// wayOf are the lines of the own folder, and of those on the way to it.
func (r *projectsRun) wayOf(t *template.Template) map[int32]bool {
	way := map[int32]bool{}
	x, err := t.Tree(t.Sample(nil, r.now), template.DefaultLimit)
	if err != nil {
		return way
	}
	own, _ := t.Own(x.Root)
	at := x.Root
	for name := range strings.SplitSeq(own, "/") {
		if at = at.Child(name); at == nil {
			break
		}
		way[at.From] = true
	}
	return way
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
