package cli

import (
	"fmt"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/text/unicode/norm"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/rename"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func (r *renameRun) count(kind rename.Kind) (n int) {
	for _, o := range r.outcomes {
		if o.Kind == kind {
			n++
		}
	}
	return n
}

// carryOut shows the plan and, with a yes, does it.
func (r *renameRun) carryOut(conv *template.Convention) error {
	var dirs []string
	n := r.count(rename.Renamed)
	for _, o := range r.outcomes {
		if o.Kind == rename.Renamed && (len(dirs) == 0 || dirs[len(dirs)-1] != o.File.Dir) {
			dirs = append(dirs, o.File.Dir)
		}
	}
	if n == 0 {
		if r.asJSON {
			return r.report(false)
		}
		r.draw(conv)
		r.screen.Text(term.Good.Render("Nothing to rename") + ".")
		return nil
	}
	set := &change.Set{Places: []string{filepath.FromSlash(common(dirs))}, Changes: make([]change.Change, 0, n+1)}
	dir, in := "", change.At{}
	why := "its name is brought to " + conv.Name
	for _, o := range r.outcomes {
		if o.Kind != rename.Renamed {
			continue
		}
		if o.File.Dir != dir {
			at, err := set.Find(o.File.At())
			if err != nil {
				return refused("", "%v", err)
			}
			dir, in = o.File.Dir, change.At{In: at.In, Path: path.Dir(at.Path)}
		}
		set.Move(in.Below(o.File.Name), in.Below(o.Becomes), change.Is(tree.File), why)
	}
	if err := r.withLabels(set); err != nil {
		return err
	}
	var err error
	if r.followed, err = r.follow(set, r.consent, set.Places, nil, r.trees); err != nil {
		return err
	}
	what, title := term.Count(n, "file"), filepath.Base(set.Places[0])
	return r.propose(r.consent, proposal{set: set, draw: func() { r.draw(conv) }, question: fmt.Sprintf("Rename %s?", what), how: "rename what can be read", report: r.report,
		undertaking: undertaking{doing: "renaming",
			head: journal.Head{What: "rename", Title: string(what) + " in " + title, Project: title, Roots: []journal.Root{{Path: "."}}}},
		told: func() term.Shown { return term.Good.Render("Renamed") + term.Sprintf(" %s. %s", what, r.undoes()) }})
}

// withLabels adds what labels note of the files. A label above the place is noted in a
// place of its own.
func (r *renameRun) withLabels(set *change.Set) error {
	top := filepath.ToSlash(set.Places[0])
	if !slices.ContainsFunc(slices.Collect(maps.Values(r.standings)), func(s *standing) bool { return s.layout != nil }) {
		return nil
	}
	for _, s := range r.standings {
		if s.layout != nil && strings.HasPrefix(top, filepath.ToSlash(s.layout.Dir)+"/") {
			below := strings.TrimPrefix(top, filepath.ToSlash(s.layout.Dir)+"/")
			for i := range set.Changes {
				c := &set.Changes[i]
				c.From, c.Path = path.Join(below, c.From), path.Join(below, c.Path)
			}
			set.Places[0] = s.layout.Dir
			break
		}
	}
	return labelsFollow(set)
}

// common is the innermost folder in which all folders lie.
func common(dirs []string) string {
	at := dirs[0]
	for _, d := range dirs {
		for at != "/" && d != at && !strings.HasPrefix(d, strings.TrimSuffix(at, "/")+"/") {
			up := path.Dir(at)
			if up == at {
				break
			}
			at = up
		}
	}
	return at
}

// draw shows the names in two columns, and what is left.
func (r *renameRun) draw(conv *template.Convention) {
	dir, n := "", 0
	for _, o := range r.outcomes {
		if o.Kind != rename.Renamed {
			continue
		}
		if n++; n > 2*manyRows {
			continue
		}
		if at := o.File.Dir; at != dir {
			dir = at
			r.screen.Line(term.Title.Render(term.Visible(fromHere(filepath.FromSlash(dir)))))
		}
		note := term.Shown("")
		if o.Note != "" {
			note = term.Dim.Italic().Render("   " + term.Visible(o.Note))
		}
		r.screen.Line("  ", term.Accent.Render("»"), " ", term.Moved(o.File.Name, o.Becomes), note)
	}
	if n > 2*manyRows {
		r.more(n-2*manyRows, "", "--json")
	}
	if n > 0 {
		r.screen.Line()
	}
	left := r.count(rename.Left)
	if left > 0 {
		r.screen.Line(term.Title.Render("Left as they are"), term.Dim.Render(": "+term.Count(left, "file")))
		told := 0
		for _, o := range r.outcomes {
			if o.Kind != rename.Left {
				continue
			}
			if told++; told > manyRows {
				r.more(left-manyRows, "", "--json")
				break
			}
			name := norm.NFC.String(o.File.Name)
			if o.Stopped == 0 {
				r.screen.Because("  "+term.Warn.Render("~")+" "+term.Visible(name), term.Visible(o.Why), term.Warn.Plain())
				continue
			}
			r.screen.Line("  ", term.Warn.Render("~"), " ", term.Visible(name))
			before := 4 + term.Columns(term.Visible(name[:min(o.Stopped, len(name))]))
			r.screen.Line(term.Spaces(before), term.Bad.Render("^"), " ", term.Accent.Render(term.Visible(o.Why)))
		}
		r.screen.Line()
	}
	if fits := r.count(rename.Fits); fits > 0 {
		r.screen.Line(term.Dim.Render(term.Sprintf("%s named as %s already.", term.Count(fits, "file")+isOrAre(fits), conv.Name)))
	}
	if other := r.count(rename.Other); other > 0 {
		r.screen.Line(term.Dim.Render(term.Sprintf("%s passed by: %s is for %s.", term.Count(other, "file"), conv.Name, strings.Join(conv.For, ", "))))
	}
	r.followed.draw(r.screen)
}

// report prints the plan, or what was done, as JSON.
func (r *renameRun) report(done bool) error {
	type step struct {
		From string `json:"from"`
		To   string `json:"to"`
		Note string `json:"note,omitempty"`
	}
	type left struct {
		File string `json:"file"`
		At   int    `json:"at"` // in characters of the file's name, from 1
		Why  string `json:"why"`
	}
	out := struct {
		Done   bool         `json:"done"`
		Steps  []step       `json:"steps"`
		Left   []left       `json:"left"`
		Fits   int          `json:"fits"`
		Other  int          `json:"other"`
		Broken []brokenJSON `json:"broken"`
	}{done, []step{}, []left{}, r.count(rename.Fits), r.count(rename.Other), r.followed.json()}
	for _, o := range r.outcomes {
		file := filepath.ToSlash(fromHere(filepath.FromSlash(o.File.At())))
		switch o.Kind {
		case rename.Renamed:
			out.Steps = append(out.Steps, step{file, path.Join(path.Dir(file), o.Becomes), o.Note})
		case rename.Left:
			name := norm.NFC.String(o.File.Name)
			out.Left = append(out.Left, left{file, len([]rune(name[:min(o.Stopped, len(name))])) + 1, o.Why})
		}
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview && len(out.Steps) > 0 {
		return found
	}
	return err
}
