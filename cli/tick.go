package cli

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/outline"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tick"
	"vestibula/core/tree"
	"vestibula/core/value"
)

func (a *app) tickCommand() *cobra.Command {
	var not, asJSON bool
	c := &cobra.Command{
		Use:   "tick PROJECT ITEM [DAY]",
		Short: "Tick what was delivered and no file can show.",
		Long: `Tick what was delivered and no file can show: a talk that was held, a book that was
handed over. ITEM is the name of a line with “due”, or its path. It is kept in the
project's label; without a day, it is today.`,
		Example: `  vestibula tick "Case Binding 2027 2 Spring/04 Participants/Oriel Pask" "Finished book"
  vestibula tick . "Finished book" 2027-04-02`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) < 2 || len(args) > 3 {
				return unclear(examplesOf("tick"), "which project, and what was delivered?")
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) error {
			day := "today"
			if len(args) == 3 {
				day = args[2]
			}
			return a.tick(args[0], args[1], day, not, asJSON)
		},
	}
	c.Flags().BoolVar(&not, "not", false, "take the tick away")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	c.ValidArgsFunction = a.completeInProject(func(p *project.Project) []string { return markedIn(p, tree.Due) })
	return c
}

// tick notes that something was delivered, or that it was not.
func (a *app) tick(at, item, day string, not, asJSON bool) error {
	v, err := (&value.Type{Kind: value.Date}).Parse(day, a.now)
	if err != nil {
		return unclear("", "the day %v", err)
	}
	own, inside, err := a.projectWith(at)
	if err != nil {
		return err
	}
	l := &inspect.Look{Limit: template.DefaultLimit, Now: a.now, Store: a.store()}
	looked, err := l.At(own)
	if err != nil || len(looked.Subjects) == 0 || looked.Subjects[0].Err != nil {
		return unclear(advise("to see more", "check", typed(at)).String(), "%s cannot be read", at)
	}
	s := looked.Subjects[0]
	due, err := oneDue(s.Due, inside, item)
	if err != nil {
		return err
	}
	noted, what := v.String(), "Done"
	if not {
		noted, what = "", "Not done"
	}
	p, err := tick.Propose(s.Dir, s.Project.Label.ID, due.Path, noted)
	if err != nil {
		return planned(err)
	}
	name := s.Dir.Name()
	return a.propose(consent{named: true, asJSON: asJSON}, &task{Proposal: p, idle: term.Sprintf("that is noted already: %s", due.Path),
		of:          func() any { return tickJSON{name, due.Path, noted} },
		undertaking: undertaking{doing: "writing", head: journal.Head{What: "tick", Title: due.Path, Project: name}},
		told: func() term.Shown {
			return term.Good.Render(term.Visible(what)) + term.Sprintf(" in %s: %s, %s. %s", name, due.Path, v.String(), a.undoes())
		}})
}

// A tickJSON is what was delivered, as JSON shows it; without a day it was not.
type tickJSON struct {
	Project string `json:"project"`
	Item    string `json:"item"`
	Day     string `json:"day,omitempty"`
}

// projectWith finds the project that a path is or lies in, and the path in it.
func (a *app) projectWith(at string) (own, inside string, err error) {
	p, rest, err := a.projectAt(at)
	if err != nil {
		return "", "", err
	}
	return string(p.Dir), strings.TrimPrefix(filepath.ToSlash(rest), "."), nil
}

// oneDue finds the delivery that a person means: by its path, or by its name alone, below
// a folder of the project.
func oneDue(list []inspect.Delivery, inside, item string) (*inspect.Delivery, error) {
	want := tree.Folded(strings.Trim(filepath.ToSlash(item), "/"))
	var names []string
	var found []*inspect.Delivery
	for i := range list {
		d := &list[i]
		if inside != "" && !strings.HasPrefix(d.Path, inside+"/") {
			continue
		}
		names = append(names, d.Path)
		at, base := tree.Folded(d.Path), tree.Folded(path.Base(d.Path))
		stem := strings.TrimSuffix(base, path.Ext(base))
		if at == want || strings.HasSuffix(at, "/"+want) || base == want || stem == want {
			found = append(found, d)
		}
	}
	switch {
	case len(names) == 0:
		return nil, refused("lines with | due are such", "nothing has to be delivered there")
	case len(found) == 0:
		var bare []string
		for _, n := range names {
			bare = append(bare, path.Base(n))
		}
		return nil, refused(outline.Meant(item, bare, "it has "+strings.Join(few(names), ", ")), "nothing that has to be delivered is called \"%s\"", item)
	case len(found) > 1:
		var paths []string
		for _, d := range found {
			paths = append(paths, d.Path)
		}
		slices.Sort(paths)
		return nil, refused("write one of these: "+strings.Join(few(paths), ", "), "\"%s\" is several", item)
	}
	return found[0], nil
}
