package cli

import (
	"errors"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/match"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/value"
)

// A location is a folder that a command speaks of, with the project that it lies in.
type location struct {
	dir    address.Address // without links
	layout *project.Layout
	below  string       // from the project's own folder
	here   *match.Place // the innermost place that it is, or lies in
}

// locate finds out where a folder lies. Where a template is named, only projects of
// that one count; it may be nil. Without a project the layout is nil.
func (a *app) locate(dir string, t *template.Template) (*location, error) {
	if info, err := place.Stat(dir); err != nil || !info.IsDir() {
		return nil, unclear("", "there is no folder \"%s\"", dir)
	}
	s := &location{}
	var err error
	if s.dir, err = place.Real(dir); err != nil {
		return nil, unclear("", "the folder \"%s\" cannot be read: %s", dir, place.Reason(err))
	}
	own, l, err := project.Find(s.dir)
	if err != nil {
		return nil, unclear("", "%v", err)
	}
	if l == nil || t != nil && l.Template != t.Name {
		return s, nil
	}
	var p *project.Project
	if t == nil {
		if p, err = a.openProject(own, l); err != nil {
			return nil, err
		}
	} else {
		p = &project.Project{Dir: own, Label: l, Template: t, Values: t.Known(l.Raw(), a.now)}
	}
	full, _, err := a.reading(own)
	if err != nil {
		return nil, unreadable(own, err)
	}
	if s.layout, err = p.Layout(full, template.DefaultLimit, a.now); err != nil {
		return nil, a.tellErrors(p.Template.Name, p.Template.Text, err, statusFound)
	}
	rel, err := filepath.Rel(string(own), string(s.dir))
	if err != nil {
		return nil, err
	}
	s.below = strings.TrimPrefix(filepath.ToSlash(rel), ".")
	s.here = s.layout.At(s.below)
	return s, nil
}

// A holder is a folder that holds files of a convention.
type holder struct {
	*match.Place
	dir   string          // from the own folder
	known template.Values // there
	there bool
}

// holders are the folders at or below the one that is spoken of which hold files of a convention
// and do not contradict values; those that are not there among them, and those that values name.
func (s *location) holders(c *template.Convention, given template.Values) (found []holder) {
	if s.layout == nil {
		return nil
	}
	values := make([]value.Value, len(c.Fields))
	for i, f := range c.Fields {
		values[i] = given[f.Name]
	}
	top := ""
	if s.here != s.layout.Places[0] {
		top = s.here.Path + "/"
	}
	for _, p := range s.layout.Places {
		if p.Line == nil || !slices.Contains(p.Line.Holds, c) {
			continue
		}
		dir, known, ok := p.For(c, values)
		if !ok || !strings.HasPrefix(dir+"/", top) || slices.ContainsFunc(found, func(h holder) bool { return h.dir == dir }) {
			continue
		}
		found = append(found, holder{p, dir, known, p.Real != nil})
	}
	return found
}

// contradicted says which of given values a place does not agree with, and how.
func contradicted(c *template.Convention, given, known template.Values) string {
	for _, f := range c.Fields {
		v, there := given[f.Name]
		if !there {
			continue
		}
		if k := known[f.Name]; k.Given() && !k.Empty() && !c.Pattern.Agrees(f.Name, v, k) {
			return string(term.Sprintf("here %s is %s, and not %s", f.Name, k, v))
		}
		longer := known[f.Within]
		if covers, both := longer.Covers(v); both && !covers {
			return string(term.Sprintf("the %s %s does not lie in the %s %s", f.Name, v, f.Within, longer))
		}
	}
	return ""
}

// templateHere takes the template from the arguments: a name in front of the words that
// a command needs itself, else that of the project which a folder lies in.
func (a *app) templateHere(words []string, own int, dir string) (t *template.Template, s *location, rest []string, err error) {
	if len(words) > own {
		if t, err = a.load(words[0]); err != nil {
			return nil, nil, nil, err
		}
		s, err = a.locate(dir, t)
		return t, s, words[1:], err
	}
	s, err = a.locate(dir, nil)
	switch {
	case err != nil:
		return nil, nil, nil, err
	case s.layout == nil:
		return nil, s, words, errNoProject
	}
	return s.layout.Template, s, words, nil
}

// conventionsHere completes the names of conventions: those of the template that is named
// first, if one is, else of the project here.
func (a *app) conventionsHere(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		if t := a.offered(args[0]); t != nil {
			return harmlessWords(t.ConventionNames()), cobra.ShellCompDirectiveNoFileComp
		}
	}
	if p := a.projectIn("."); p != nil {
		return harmlessWords(p.Template.ConventionNames()), cobra.ShellCompDirectiveNoFileComp
	}
	return nil, cobra.ShellCompDirectiveNoFileComp
}

// errNoProject says that a template must be named, as no project says which.
var errNoProject = errors.New("no project here")

// convention finds a naming convention of a template by its name.
func convention(t *template.Template, name string) (*template.Convention, error) {
	known := t.ConventionNames()
	if len(known) == 0 {
		return nil, unclear("write them under names: in its header", "%s has no naming conventions", t.Name)
	}
	list := "it has " + strings.Join(known, ", ")
	if name == "" {
		return nil, unclear(list, "which naming convention of %s?", t.Name)
	}
	c := t.Convention(name)
	if c == nil {
		return nil, unclear(outline.Meant(name, known, list), "%s has no naming convention \"%s\"", t.Name, name)
	}
	return c, nil
}
