package cli

import (
	"os"
	"path/filepath"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/place"
	"vestibula/core/rules"
)

// shownHere is how many names of a kind the first screen has.
const shownHere = 3

// firstScreen says what lies where the program was called, in a few lines, and what could be done next.
func (a *app) firstScreen() error {
	r := &projectsRun{app: a}
	inside := false
	if !everything() { // nobody waits for all of a disk to be read
		var err error
		if inside, err = r.look("."); err != nil {
			return err
		}
	}
	var rows [][2]term.Shown
	var next []advice
	if list, err := a.cutShort(); err == nil {
		for _, c := range list {
			rows = append(rows, [2]term.Shown{term.Warn.Render("cut short"), term.Visible(c.String())})
			next = append(next, advise("how to go on", "history"))
		}
	}
	templates := a.templatesHere()
	if len(templates) > 0 {
		rows = append(rows, [2]term.Shown{term.Count(len(templates), "template"), term.Visible(strings.Join(fewOf(templates, shownHere), ", "))})
	}
	rows, next = r.hereProjects(inside, rows, next)
	if len(next) < shownHere && len(templates) > 0 && len(r.list) == 0 {
		next = append(next, advise("to look at one", "show", typed(templates[0])), advise("to build it", "build", typed(templates[0]), "--into", "."))
	}
	if len(rows) == 0 {
		return a.beginHere()
	}
	at := "this folder"
	if base, err := place.Real("."); err == nil {
		at = base.Name()
	}
	a.screen.Line(term.Title.Render(term.Visible(at)))
	a.glossary(rows, 0)
	a.screen.Line()
	if len(next) == 0 {
		next = append(next, advise("to see how all of it stands", "projects"), advise("to check it", "check", "."))
	}
	for _, n := range next[:min(len(next), shownHere)] {
		a.screen.Text(n.line())
	}
	a.screen.Text(advise("all commands", "help").line())
	return nil
}

// hereProjects are the projects at or below the current folder, and what asks for somebody.
func (r *projectsRun) hereProjects(inside bool, rows [][2]term.Shown, next []advice) ([][2]term.Shown, []advice) {
	if len(r.list) == 0 {
		return rows, next
	}
	var care []string
	waits, where, whose := 0, "", ""
	for _, s := range r.list {
		if s.words() != "well" {
			care = append(care, s.name+" ("+s.words()+")")
		}
		if s.subject.Template != nil && s.subject.Err == nil {
			for at, n := range rules.Waiting(s.subject.Template, s.subject.Root) {
				waits, whose = waits+n, fromHere(s.subject.Dir)
				where = filepath.Join(whose, filepath.FromSlash(at))
			}
		}
	}
	what := term.Count(len(r.list), "project")
	if inside && len(r.list) == 1 {
		what = "a project"
	}
	state := term.Good.Render("all is well")
	if len(care) > 0 {
		state = term.Warn.Render(term.Sprintf("%d", len(care))) + term.Visible(map[bool]string{true: " needs a look: ", false: " need a look: "}[len(care) == 1]+strings.Join(fewOf(care, shownHere), ", "))
		next = append(next, advise("to see what is wrong, and fix what is sure", "check", ".", "--fix"))
	}
	rows = append(rows, [2]term.Shown{what, state})
	if waits > 0 {
		rows = append(rows, [2]term.Shown{term.Count(waits, "thing"), "in " + term.Visible(where) + map[bool]term.Shown{true: " waits", false: " wait"}[waits == 1] + " to be put where it belongs"})
		next = append(next, advise("to put it where it belongs", "put", typed(where), "--into", typed(whose)))
	}
	return rows, append(next, advise("to see how all of it stands", "projects"))
}

// beginHere says how to begin where nothing is yet.
func (a *app) beginHere() error {
	if everything() { // it was not looked through
		a.screen.Text("There is no template here. To see projects, go to the folder that they lie in, or name it. To begin:")
	} else {
		a.screen.Text("There is no template here, and no project. To begin:")
	}
	for _, n := range []advice{
		advise("to see what it does, on folders that it makes", "demo"),
		advise("to write your structure down as an indented list, in any text editor, and build it", "build", "list.txt"),
		advise("to take it from folders that you have", "draft", "clients", "Clients"),
	} {
		a.screen.Text("  " + n.line())
	}
	a.screen.Text(advise("all commands", "help").line())
	return nil
}

// templatesHere are the templates in the current folder, by their names.
func (a *app) templatesHere() (names []string) {
	for _, l := range a.templates() {
		if l.Where == "here" {
			names = append(names, l.Name)
		}
	}
	return names
}

// everything reports whether the current folder is a home, or a whole disk.
func everything() bool {
	here, err := place.Real(".")
	home, _ := os.UserHomeDir()
	return err == nil && (string(here) == home || here == here.Parent())
}
