package standing

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A Count knows which names a number of a convention counts on from.
type Count struct {
	Template   *template.Template
	Convention *template.Convention
	Layout     *project.Layout // of the project that the name is for; nil for none
	Done       func(n int)     // is told how much is read; may be nil
}

// Top is the folder in which a number counts on that is for a name in a folder: that, its project, or the
// folder that projects of its template are built in.
func (c *Count) Top(dir address.Address) address.Address {
	f := c.Convention.NextField()
	switch {
	case c.Layout == nil || f == nil || f.Next == template.InFolder:
		return dir
	case f.Next == template.InProject:
		return c.Layout.Dir
	}
	return c.Layout.Base(c.Layout.Wanted.Expansion.Root)
}

// Names are those that a number in a folder counts on from, which need not be there: of all files in it or,
// where the number counts further, of those that the convention reads, and of what was archived from there. The
// error says that some of it cannot be read: then nobody knows the next number.
func (c *Count) Names(dir address.Address) (names []string, err error) {
	entries, err := place.ReadDir(dir)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, unreadError(dir, err)
	}
	for _, e := range entries {
		names = append(names, e.Name())
	}
	scope, top := c.Convention.NextField().Next, c.Top(dir)
	switch {
	case scope == template.InFolder || scope == template.InProject && c.Layout == nil:
		return names, nil
	case scope == template.InProject:
		if l := bundle.AwayIn(top.Parent()); l != nil { // parts of it
			names = append(names, c.archived(slices.DeleteFunc(slices.Clone(l.Projects), func(a *bundle.Away) bool { return a.Part == "" || a.Name != top.Name() }))...)
		}
		return append(names, c.in(c.Layout.Root)...), nil
	}
	root, unread, err := place.Read(top, nil, c.Done)
	if err == nil && len(unread) > 0 {
		top, err = top.Join(unread[0].Path), unread[0].Err
	}
	if err != nil {
		return nil, unreadError(top, err)
	}
	far := (&project.Found{Dir: top, Root: root}).Archived()
	ignored, err := match.Ignore(nil)
	if err != nil {
		return nil, err
	}
	ignored.Prune(root)
	return slices.Concat(names, c.in(root), c.archived(far)), nil
}

func unreadError(at address.Address, err error) error {
	return fmt.Errorf("the next number cannot be told: %s cannot be read: %s", at, place.Reason(err))
}

// in are the names of files in a tree that the convention reads, or that it shares with another one.
func (c *Count) in(root *tree.Node) (names []string) {
	reader := naming.NewFolders(c.Template)
	for at, n := range root.All() {
		if n.Kind != tree.File {
			continue
		}
		if by, _, misfit := reader.Read(path.Base(path.Dir("x/"+at)), n.Name); by == c.Convention || misfit != nil && misfit.Tied {
			names = append(names, n.Name)
		}
	}
	return names
}

// archived are the names of files in archived projects of the template that the convention reads.
func (c *Count) archived(far []*bundle.Away) (names []string) {
	reader := naming.NewFolders(c.Template)
	for _, a := range far {
		if a.Label.Template != c.Template.Name {
			continue
		}
		for _, at := range a.Files {
			if by, _, _ := reader.Read(path.Base(path.Dir("x/"+path.Join(a.Part, at))), path.Base(at)); by == c.Convention && !strings.HasSuffix(at, "/") {
				names = append(names, path.Base(at))
			}
		}
	}
	return names
}
