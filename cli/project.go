package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/guide"
	"vestibula/core/label"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"

	"github.com/spf13/cobra"
)

// projectAt opens the project that a path names, lies in, or would lie in. Rest is
// what of the path is not there. It says which project it found where that is not
// the path itself.
func (a *app) projectAt(path string) (p *project.Project, rest string, err error) {
	at, err := filepath.Abs(path)
	if err != nil {
		return nil, "", err
	}
	for {
		info, err := place.Stat(at)
		if err == nil && info.IsDir() {
			break
		}
		up := filepath.Dir(at)
		if up == at {
			return nil, "", unclear("", "there is no folder \"%s\"", path)
		}
		rest, at = filepath.Join(filepath.Base(at), rest), up
	}
	own, l, err := project.Find(at)
	if err != nil {
		return nil, "", unclear("", "%v", err)
	}
	if inside, leads := project.Inside(address.Address(at)); l == nil && leads && rest == "" {
		if own, l, err = project.Find(inside); err != nil {
			return nil, "", unclear("", "%v", err)
		}
		at = string(own)
	}
	if l == nil {
		if inside := projectsNear(strings.TrimSuffix(filepath.ToSlash(path), "/") + "/"); path != "." && len(inside) > 0 {
			return nil, "", unclear("name one of those that lie in it: "+strings.Join(few(inside), ", "), "\"%s\" holds projects, and is none", path)
		}
		return nil, "", unclear("name a folder that was built from a template; check holds any other to one: check "+quoted(typed(path))+" --template NAME", "\"%s\" was not built from a template, or nothing in it says so any more", path)
	}
	if p, err = a.openProject(own, l); err != nil {
		return nil, "", err
	}
	if real, err := place.Real(at); err == nil && real != own {
		if below, inside := real.From(own); inside {
			rest = filepath.Join(filepath.FromSlash(below), rest)
		}
		a.side.Text(term.Dim.Render(term.Sprintf("the project is %s", term.Visible(string(own)))))
	}
	return p, rest, nil
}

// openProject opens a project by its label; errors in its template are told.
func (a *app) openProject(own address.Address, l *label.Label) (*project.Project, error) {
	p, err := a.store().Open(own, l)
	var badTemplate *project.TemplateError
	var badValue *project.ValuesError
	var errs outline.Errors
	switch {
	case errors.As(err, &badTemplate) && errors.As(err, &errs):
		return nil, a.tellErrors(badTemplate.Name, badTemplate.Text, errs, statusUnclear)
	case errors.As(err, &badValue):
		return nil, badValues(badValue.Errs)
	}
	return p, err
}

// store is what opens projects.
func (a *app) store() *project.Store {
	if a.projects == nil {
		a.projects = &project.Store{Shelf: a.shelfOf, Now: a.now}
	}
	return a.projects
}

// tellPassed tells what of a folder could not be read, and what was done with the rest.
func (a *app) tellPassed(shown string, unread []tree.Unread, rest string) {
	for _, u := range unread {
		a.unreadable(filepath.Join(shown, filepath.FromSlash(u.Path)), rest)
	}
}

// unreadable tells of something that could not be read, and what was done with the rest.
func (a *app) unreadable(path, rest string) {
	a.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(path) + " cannot be read; the rest " + term.Visible(rest))
}

// badLabel tells that the label of a folder cannot be read, so that what is there is not known.
func (a *app) badLabel(dir address.Address, err error) {
	a.note(term.Sprintf("%s: %v", fromHere(dir), err))
}

// shelfOf is what the template of a project needs: its starters lie where one of its name is
// found today.
func (a *app) shelfOf(own address.Address) project.Shelf {
	return project.Shelf{Guide: guide.Text, Starters: func(l *label.Build) fs.FS {
		if src := a.shelved(l, own); src != nil {
			return src.starters
		}
		return nil
	}}
}

// today returns the template of today that has the name of the one that a project was
// built from; where none is found, or it is the same, that one. Found says which.
func (a *app) today(p *project.Project) (t *template.Template, found bool, err error) {
	src := a.shelved(&p.Label.Build, p.Dir)
	switch {
	case src == nil:
		return p.Template, false, nil
	case src.text == p.Label.Text:
		return p.Template, true, nil
	}
	if t, err = src.parse(); err != nil {
		return nil, true, a.tellErrors(src.name, src.text, err, statusUnclear)
	}
	if err := a.another(p, src); err != nil {
		return nil, true, err
	}
	if a.goesBy == nil {
		a.goesBy = map[*template.Template]string{}
	}
	a.goesBy[t] = src.path
	return t, true, nil
}

// takesProjects are the commands to which a project can be named by its own name alone.
var takesProjects = []string{"check", "compare", "add", "upgrade", "next", "archive", "backup", "tick", "projects", "read", "guide", "put"}

// byName lets a command take projects that lie somewhere below the current folder by their own
// names, where there is one of that name.
func (a *app) byName(c *cobra.Command) *cobra.Command {
	run := c.RunE
	if run == nil || !slices.Contains(takesProjects, c.Name()) {
		return c
	}
	c.RunE = func(c *cobra.Command, args []string) error {
		args = slices.Clone(args)
		var err error
		for i := range args {
			if c.Flags().Changed("back") {
				break // that was archived, and lies elsewhere by now
			}
			if args[i], err = a.projectCalled(args[i]); err != nil {
				return err
			}
		}
		if into := c.Flags().Lookup("into"); into != nil && into.Changed && c.Name() == "put" {
			at, err := a.projectCalled(into.Value.String())
			if err == nil {
				err = into.Value.Set(at)
			}
			if err != nil {
				return err
			}
		}
		return run(c, args)
	}
	return c
}

// projectCalled is the path of the one project below the current folder that has a name, where nothing
// else is meant by that.
func (a *app) projectCalled(name string) (string, error) {
	if name == "" || strings.ContainsAny(name, `=/\`) || strings.HasPrefix(name, "-") || place.Exists(name) {
		return name, nil
	}
	if _, l, err := project.Find("."); err != nil || l != nil {
		return name, nil // in a project, names are those of its folders
	}
	for _, s := range a.shelves() {
		if slices.Contains(s.files(), strings.TrimSuffix(name, template.Ending)) {
			return name, nil
		}
	}
	found, err := project.Below(".", nil, nil)
	if err != nil {
		return name, nil // it is told by whoever reads that folder
	}
	var paths []string
	for _, own := range found.Projects {
		if strings.EqualFold(own.Dir.Name(), name) {
			paths = append(paths, own.Path)
		}
	}
	switch len(paths) {
	case 0:
		return name, nil
	case 1:
		return filepath.FromSlash(paths[0]), nil
	}
	return "", unclear("name it with its path: "+strings.Join(few(paths), ", "), "%s projects are called \"%s\"", term.Number(len(paths)), name)
}

// fewLines is how many lines say too little about whether two templates are one.
const fewLines = 5

// another asks about a template that has the name of the one that a project was built from, and
// fewer than half of its lines: it may be quite another one.
func (a *app) another(p *project.Project, src *source) error {
	is := map[string]bool{}
	for line := range strings.Lines(src.text) {
		is[strings.TrimSpace(line)] = true
	}
	same, all := 0, 0
	for line := range strings.Lines(p.Label.Text) {
		if line = strings.TrimSpace(line); line != "" && line != "---" {
			if all++; is[line] {
				same++
			}
		}
	}
	if all < fewLines || 2*same >= all || a.meant[src.path] {
		return nil
	}
	text := fmt.Sprintf("%s has %d of the %d lines of the template that %s was built from: it may be another one of that name", fromHere(src.path), same, all, p.Dir.Name())
	if !a.interactive() {
		return refused(advise("if it is meant", "upgrade", typed(fromHere(p.Dir)), "--template", typed(fromHere(src.path))).String(), "%s.", text)
	}
	a.side.Text(term.Warn.Render("note:") + " " + term.Visible(text))
	yes, err := a.confirm("Is it meant?")
	if err == nil && !yes {
		err = refused("", "Nothing was changed.")
	}
	if a.meant == nil {
		a.meant = map[string]bool{}
	}
	a.meant[src.path] = yes
	return err
}

// goes says by which file a plan goes, where that is not the text in the label.
func (a *app) goes(p *proposal.Proposal, templates ...*template.Template) {
	told := map[string]bool{}
	for _, t := range templates {
		if at := a.goesBy[t]; at != "" && !told[at] {
			told[at] = true
			p.Remark("Its template: " + fromHere(at) + ".")
		}
	}
}
