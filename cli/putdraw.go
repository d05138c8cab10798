package cli

import (
	"fmt"
	"path"
	"path/filepath"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/put"
)

// shownIn is how many files of one folder are drawn.
const shownIn = 3

// draw shows the four parts of the plan.
func (r *putRun) draw() {
	type folder struct {
		project *put.Project
		dir     string
	}
	var order []folder
	files := map[folder][]*put.Outcome{}
	for _, o := range r.outcomes {
		if o.Kind == put.Goes {
			f := folder{o.Spots[0].Project, path.Dir(o.Path)}
			if files[f] == nil {
				order = append(order, f)
			}
			files[f] = append(files[f], o)
		}
	}
	if n := r.count(put.Goes); n > 0 {
		r.screen.Line(term.Title.Render("Goes to its place"), term.Dim.Render(": "+term.Count(n, "file")))
	}
	for i, f := range order {
		if i == manyRows {
			r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more folders; --json lists all", term.Number(len(order)-i))))
			break
		}
		list := files[f]
		r.screen.Line("  ", term.Strong.Render(term.Visible(r.shownDir(f.project, f.dir))), term.Dim.Render(term.Sprintf("/   %s, %s", term.Count(len(list), "file"), r.doing(list[0]))))
		for k, o := range list {
			if k == shownIn && len(list) > shownIn+1 {
				r.screen.Line(term.Dim.Render(term.Sprintf("      … and %s more", term.Number(len(list)-k))))
				break
			}
			name := term.Visible(o.File.Path)
			if o.File.Fresh != "" {
				name += term.Dim.Render(" → ") + term.Visible(o.File.Fresh)
			}
			why := o.Why
			if o.File.Day != "" {
				why += ", " + o.File.Day
			}
			r.screen.Because("    "+r.mark(o)+" "+name, term.Visible(why), term.Dim.Italic())
		}
	}
	r.part(put.There, "Is there already", func(o *put.Outcome) (string, string) {
		if len(o.Spots) == 0 {
			return o.Why, ""
		}
		return o.Why + ": " + path.Join(r.shownDir(o.Spots[0].Project, path.Dir(o.Path)), path.Base(o.Path)), ""
	})
	r.part(put.Several, "Could go to several places", func(o *put.Outcome) (string, string) {
		var dirs []string
		for _, s := range o.Spots[:min(3, len(o.Spots))] {
			dirs = append(dirs, r.shownDir(s.Project, s.Dir))
		}
		text := strings.Join(dirs, ", or ")
		if n := len(o.Spots) - 3; n > 0 {
			text += fmt.Sprintf(", and %d more", n)
		}
		return text, o.Help
	})
	r.part(put.Nowhere, "Has no place", func(o *put.Outcome) (string, string) { return o.Why, o.Help })
	r.screen.Line()
	if r.passed > 0 {
		r.screen.Line(term.Dim.Render(term.Sprintf("Passed by: %s, hidden or left by programs.", term.Count(r.passed, "thing"))))
	}
	if r.settled > 0 {
		r.screen.Line(term.Dim.Render(term.Sprintf("Passed by: %s in projects, where somebody has put them.", term.Count(r.settled, "file"))))
	}
	r.followed.draw(r.screen)
}

// part draws what is not put anywhere.
func (r *putRun) part(kind put.Kind, title term.Shown, say func(o *put.Outcome) (why, help string)) {
	n := 0
	help := ""
	for _, o := range r.outcomes {
		if o.Kind != kind {
			continue
		}
		if n++; n == 1 {
			r.screen.Line()
			r.screen.Line(term.Title.Render(title), term.Dim.Render(": "+term.Count(r.count(kind), "file")))
		}
		if n > manyRows/2 {
			continue
		}
		why, more := say(o)
		r.screen.Because("    "+r.mark(o)+" "+term.Visible(o.File.Path), term.Visible(why), term.Warn.Plain())
		if more != "" && more != help {
			help = more
			r.screen.Indented(8, term.Visible(more), term.Accent)
		}
	}
	if n > manyRows/2 {
		r.screen.Line(term.Dim.Render(term.Sprintf("      … and %s more; --json lists all", term.Number(n-manyRows/2))))
	}
}

func (r *putRun) shownDir(p *put.Project, dir string) string {
	at := filepath.ToSlash(fromHere(p.Dir))
	if at == "." {
		at = ""
	}
	if at = path.Join(at, dir); at == "" {
		return "."
	}
	return at
}

// doing says what is done with a file that goes to its place.
func (r *putRun) doing(o *put.Outcome) string {
	switch {
	case o.File.Content != nil:
		return "unpacked"
	case r.link:
		return "linked"
	case r.move || !r.copy && r.inside(o.File.At):
		return "moved"
	}
	return "copied"
}

func (r *putRun) mark(o *put.Outcome) term.Shown {
	switch o.Kind {
	case put.There:
		return term.Dim.Render("=")
	case put.Several:
		return term.Warn.Render("?")
	case put.Nowhere:
		return term.Warn.Render("~")
	}
	if r.doing(o) == "moved" {
		return term.Accent.Render("»")
	}
	return term.Good.Render("+")
}

// report prints the plan, or what was done, as JSON.
func (r *putRun) report(done bool) error {
	type goes struct {
		File string `json:"file"`
		To   string `json:"to"`
		Op   string `json:"op"`
		Why  string `json:"why"`
	}
	type there struct {
		File string `json:"file"`
		At   string `json:"at,omitempty"`
		Why  string `json:"why"`
	}
	type open struct {
		File  string   `json:"file"`
		Could []string `json:"could,omitempty"`
		Why   string   `json:"why,omitempty"`
		Help  string   `json:"help,omitempty"`
	}
	out := struct {
		Done    bool         `json:"done"`
		Goes    []goes       `json:"goes"`
		There   []there      `json:"there"`
		Several []open       `json:"several"`
		Nowhere []open       `json:"nowhere"`
		Passed  int          `json:"passed"`
		Broken  []brokenJSON `json:"broken"`
	}{done, []goes{}, []there{}, []open{}, []open{}, r.passed + r.settled, r.followed.json()}
	for _, o := range r.outcomes {
		file := o.File.Path
		if o.File.At != "" {
			file = fromHere(filepath.FromSlash(o.File.At))
		}
		switch o.Kind {
		case put.Goes:
			out.Goes = append(out.Goes, goes{file, path.Join(r.shownDir(o.Spots[0].Project, path.Dir(o.Path)), path.Base(o.Path)), r.doing(o), o.Why})
		case put.There:
			t := there{file, "", o.Why}
			if len(o.Spots) > 0 {
				t.At = path.Join(r.shownDir(o.Spots[0].Project, path.Dir(o.Path)), path.Base(o.Path))
			}
			out.There = append(out.There, t)
		case put.Several:
			could := open{File: file, Help: o.Help}
			for _, s := range o.Spots {
				could.Could = append(could.Could, r.shownDir(s.Project, s.Dir))
			}
			out.Several = append(out.Several, could)
		default:
			out.Nowhere = append(out.Nowhere, open{file, nil, o.Why, o.Help})
		}
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && len(out.Goes) > 0 {
		return found
	}
	return err
}
