package cli

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/bundle"
	"vestibula/core/inspect"
	"vestibula/core/naming"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// countOn gives the field that counts on the next free number.
func (n *nameRun) countOn(values template.Values) error {
	series := naming.SeriesOf(n.convention)
	if series == nil || values[series.Field.Name].Given() {
		return nil
	}
	names, err := n.taken(series.Field.Next)
	if err != nil {
		return err
	}
	next, odd := series.Next(values, names)
	if err := series.Fits(next); err != nil {
		return refused("", "%v", err)
	}
	if len(odd) > 0 {
		others := ""
		if len(odd) > 3 {
			others = fmt.Sprintf(" and %d more", len(odd)-3)
		}
		n.note(term.Sprintf("not counted, because the convention cannot read them: %s%s", strings.Join(odd[:min(3, len(odd))], ", "), others))
	}
	values[series.Field.Name] = value.OfNumber(next)
	return nil
}

// taken returns the names that a number counts on from.
func (n *nameRun) taken(scope template.Scope) (names []string, err error) {
	entries, err := place.ReadDir(string(n.dir))
	if err != nil && n.fresh == "" {
		return nil, unclear("", "the folder \"%s\" cannot be read: %s", n.in, place.Reason(err))
	}
	for _, e := range entries {
		names = append(names, e.Name())
	}
	if scope == template.InFolder {
		return names, nil
	}
	var root *tree.Node
	inProject := n.place != nil && n.place.layout != nil
	top := n.dir
	switch {
	case scope == template.InProject && !inProject:
		n.note(term.Sprintf("%s is no project, or none of %s: its number counts on in this folder alone", fromHere(n.dir), n.t.Name))
		return names, nil
	case scope == template.InProject:
		top, root = n.place.layout.Dir, n.place.layout.Root
		if l := bundle.AwayIn(top.Parent()); l != nil { // parts of it
			names = append(names, n.archived(slices.DeleteFunc(slices.Clone(l.Projects), func(a *bundle.Away) bool { return a.Part == "" || a.Name != top.Name() }))...)
		}
	case inProject:
		top = n.place.layout.Base(n.place.layout.Wanted.Expansion.Root)
	}
	if root == nil {
		done, end := n.progress("reading", -1)
		var unread []tree.Unread
		root, unread, err = inspect.Everything(top, done)
		end()
		if err != nil {
			return nil, unreadable(top, err)
		}
		far := (&project.Found{Dir: top, Root: root}).Archived()
		if err := inspect.Prune(root); err != nil {
			return nil, err
		}
		names = append(names, n.archived(far)...)
		if len(unread) > 0 {
			return nil, refused("give the number yourself", "the next number cannot be told: %s cannot be read.", top.Join(unread[0].Path))
		}
		n.note(term.Sprintf("the number counts on in all of %s", fromHere(top)))
	}
	reader := naming.NewFolders(n.t)
	for at, node := range root.All() {
		if node.Kind != tree.File {
			continue
		}
		c, _, misfit := reader.Read(path.Base(path.Dir("x/"+at)), node.Name)
		if c == n.convention || misfit != nil && misfit.Tied {
			names = append(names, node.Name)
		}
	}
	return names, nil
}

// archived are the names of files in archived projects that the convention reads.
func (n *nameRun) archived(far []*bundle.Away) (names []string) {
	reader := naming.NewFolders(n.t)
	for _, a := range far {
		if a.Label.Template != n.t.Name {
			continue
		}
		for _, at := range a.Files {
			if c, _, _ := reader.Read(path.Base(path.Dir("x/"+path.Join(a.Part, at))), path.Base(at)); c == n.convention && !strings.HasSuffix(at, "/") {
				names = append(names, path.Base(at))
			}
		}
	}
	return names
}
