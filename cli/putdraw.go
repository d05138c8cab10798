package cli

import (
	"cmp"
	"fmt"
	"path"
	"path/filepath"
	"slices"
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
			r.more(len(order)-i, "folders", "--json")
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
		return text, r.remedy(o)
	})
	r.part(put.Nowhere, "Has no place", func(o *put.Outcome) (string, string) { return o.Why, r.remedy(o) })
	r.screen.Line()
	if r.passed > 0 {
		r.screen.Line(term.Dim.Render(term.Sprintf("Passed by: %s, hidden or left by programs.", term.Count(r.passed, "thing"))))
	}
	if r.settled > 0 {
		r.screen.Line(term.Dim.Render(term.Sprintf("Passed by: %s in projects, where somebody has put them.", term.Count(r.settled, "file"))))
	}
	r.followed.draw(r.screen)
}

// remedy says, for a person, what would give a file a place.
func (r *putRun) remedy(o *put.Outcome) string {
	// into is the advice to put that file alone into one place.
	into := func(good, dir string) string {
		if o.File.Content != nil || o.File.At == "" || len(o.Spots) == 0 && o.Help.Kind != put.NamedElse {
			return good
		}
		return advise(good, "put", typed(fromHere(filepath.FromSlash(o.File.At))), "--into", typed(dir)).String()
	}
	switch name := o.Help.Name; o.Help.Kind {
	case put.SayField:
		return fmt.Sprintf("a name that says the %s would tell", name)
	case put.NameProject:
		return into("name the project, for example", r.shownDir(o.Spots[0].Project, ""))
	case put.NameFolder:
		return into("name the folder, for example", r.shownDir(o.Spots[0].Project, o.Spots[0].Dir))
	case put.NamedElse:
		if len(r.projects) == 1 {
			return into("to put it there", r.shownDir(r.projects[0], name))
		}
	case put.BuildProject:
		return "build the project that it belongs to, or give it another name"
	case put.ByConvention:
		return fmt.Sprintf("it can be named as it comes in, by the convention %s", name)
	case put.HoldEnding:
		return r.holdEnding(name)
	case put.OtherName:
		return "give one of them another name"
	case put.SayMore:
		return "give values, or a convention, by which they are told apart"
	}
	return ""
}

// holdEnding says how a template comes to hold files of an ending: its text, if somebody
// has it, and the projects by it.
func (r *putRun) holdEnding(ending string) string {
	var files []string
	for _, p := range r.projects {
		src := r.shelved(p.Label.Template, p.Dir)
		if src == nil || src.path == "" {
			return ""
		}
		if at := fromHere(src.path); !slices.Contains(files, at) {
			files = append(files, at)
		}
	}
	if len(files) != 1 {
		return ""
	}
	return advise(fmt.Sprintf("write `holds: *.%s` behind a folder in %s, and then", ending, files[0]), "upgrade", typed(cmp.Or(r.into, "."))).String()
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
		r.more(n-manyRows/2, "", "--json")
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
			could := open{File: file, Help: r.remedy(o)}
			for _, s := range o.Spots {
				could.Could = append(could.Could, r.shownDir(s.Project, s.Dir))
			}
			out.Several = append(out.Several, could)
		default:
			out.Nowhere = append(out.Nowhere, open{file, nil, o.Why, r.remedy(o)})
		}
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && len(out.Goes) > 0 {
		return found
	}
	return err
}
