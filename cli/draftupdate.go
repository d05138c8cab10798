package cli

import (
	"errors"
	"io/fs"
	"path/filepath"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/draft"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/template"
)

// known are the values that labels say of the folders, and the projects among them, which go by
// the template as it was.
func (r *learning) known(t *template.Template) (values []template.Values, projects []string) {
	for _, dir := range r.dirs {
		l, _, err := project.ReadLabel(dir)
		if dir == "" || err != nil {
			if dir != "" && !errors.Is(err, fs.ErrNotExist) {
				r.badLabel(address.Address(dir), err)
			}
			values = append(values, template.Values{})
			continue
		}
		projects = append(projects, filepath.ToSlash(dir))
		values = append(values, t.Known(l.Raw(), r.now))
	}
	return values, projects
}

// update puts what folders have in common beyond a template into it.
func (r *learning) update(name string, args []string) error {
	src, err := r.ownSource(name)
	if err != nil {
		return err
	}
	t, err := src.parse()
	if err != nil {
		return r.tellErrors(src.name, src.text, err, statusUnclear)
	}
	if len(args) == 0 {
		return unclear(examplesOf("draft"), "which folders?")
	}
	if err := r.read(args); err != nil {
		return err
	}
	known, projects := r.known(t)
	up, err := draft.Beyond(t, r.samples, known, max(template.DefaultLimit, tooMany), r.now)
	if err != nil {
		return refused("", "%v", err)
	}
	text, added := up.Text, up.Added
	r.tellSome(up)
	if len(added) == 0 {
		r.screen.Text(term.Good.Render("Nothing to do:") + term.Sprintf(" these folders have nothing in common beyond %s.", src.name))
		return nil
	}
	at, err := place.Real(src.path)
	if err != nil {
		return refused("it is as it was", "%s cannot be written: %s", src.path, place.Reason(err))
	}
	set := change.Rewriting(at, []byte(src.text), []byte(text))
	draw := func() {
		r.screen.Line(term.Title.Render(term.Visible(src.name)))
		for _, a := range added {
			r.screen.Line(term.Dim.Render(term.Sprintf("%4d ", a.Number)), term.Good.Render("+ "), term.Visible(a.Text))
		}
		r.screen.Line()
	}
	ask := consent{yes: r.yes, preview: r.preview, asJSON: r.asJSON}
	return r.propose(ask, &task{Proposal: &proposal.Proposal{Set: set, Roots: []journal.Root{{Path: address.Text(at.Name())}}}, draw: draw, question: "Put " + string(term.Count(len(added), "line")) + " into " + src.name + "?", how: "write it",
		undertaking: undertaking{doing: "writing", head: journal.Head{What: "draft", Title: src.name, Project: src.name}},
		report: func(done bool) error {
			lines := []string{}
			for _, a := range added {
				lines = append(lines, a.Text)
			}
			return r.printJSON(struct {
				Done  bool     `json:"done"`
				Added []string `json:"added"`
			}{done, lines})
		},
		told: func() term.Shown {
			text := term.Good.Render("Written") + term.Sprintf(": %s in %s. %s", term.Count(len(added), "line"), src.name, r.undoes())
			if len(projects) > 0 {
				text += "\n" + term.Accent.Render(advise("The projects go by it when they are brought to it", "upgrade", typed(fromHere(filepath.FromSlash(address.Common(projects))))).line())
			}
			return text
		}})
}

// ownSource finds a template that can be changed.
func (r *learning) ownSource(name string) (*source, error) {
	src, err := r.find(name)
	if err == nil && src.path == "" {
		err = refused(advise("to make a copy of your own", "draft", "my-"+strings.TrimSuffix(src.name, template.Ending), "--like", strings.TrimSuffix(src.name, template.Ending)).String(), "%s is built in and cannot be changed", src.name)
	}
	return src, err
}

// tellSome tells what most of the folders have, and not all, and what they have under another name.
func (r *learning) tellSome(up *draft.Update) {
	if len(up.Other) > 0 {
		r.note(term.Sprintf("under another name than the template gives it: %s; where that name is meant from now on, change the line, with “was:” and the old name behind it", strings.Join(r.few(up.Other), ", ")))
	}
	if len(up.Some) > 0 {
		r.note(term.Sprintf("most of these folders have, and not all, so that it is left out: %s", strings.Join(r.few(up.Some), ", ")))
	}
}
