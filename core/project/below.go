package project

import (
	"errors"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// Found are the projects at or below a folder.
type Found struct {
	Dir      address.Address // the folder; of a project, its own folder
	Root     *tree.Node      // all that lies in it
	Inside   bool            // the folder is, or lies in, the one project
	Below    string          // the slashed path of the folder from the project that it lies in
	Projects []Own
	Unread   []tree.Unread // in which others may lie: with absolute paths
}

// An Own is the own folder of a project.
type Own struct {
	Dir    address.Address
	Path   string     // slashed, from the folder that was found; "." for that itself
	Root   *tree.Node // all that lies in it
	Unread []tree.Unread
	Read   // its label
}

// Below finds the project that a path is or lies in, else those that lie below it, and reads
// their labels. Skip, which may be nil, says which folders are not read; done, which may be nil, is told
// how many entries were. The error says that the path itself cannot be read, or is a [KeptError].
func Below[P ~string](at P, skip func(path string, folder bool) bool, done func(n int)) (*Found, error) {
	dir, err := place.Real(at)
	if err != nil {
		return nil, err
	}
	f := &Found{Dir: dir}
	own, l, bad := Find(dir)
	if kept := (*KeptError)(nil); errors.As(bad, &kept) || bad != nil && own == "" {
		return nil, bad
	}
	if f.Inside = l != nil || bad != nil; f.Inside {
		f.Dir, f.Below = own, strings.TrimPrefix(strings.TrimPrefix(dir.Slashed(), own.Slashed()), "/")
	}
	root, unread, err := place.Read(f.Dir, skip, done)
	if err != nil {
		return nil, err
	}
	f.Root = root
	if f.Inside {
		f.Projects, f.Unread = []Own{{Dir: own, Path: ".", Root: root, Unread: unread}}, nil
		f.readLabels()
		return f, nil
	}
	below := map[string]int{}
	Labelled(root, func(n *tree.Node, at string) {
		below[at] = len(f.Projects)
		f.Projects = append(f.Projects, Own{Dir: dir.Join(at), Path: at, Root: n})
	})
	f.readLabels()
unread:
	for _, u := range unread {
		for in := u.Path; in != "."; in = path.Dir(in) {
			if i, is := below[in]; is {
				p := &f.Projects[i]
				p.Unread = append(p.Unread, tree.Unread{Path: strings.TrimPrefix(u.Path, in+"/"), Err: u.Err})
				continue unread
			}
		}
		f.Unread = append(f.Unread, tree.Unread{Path: string(dir.Join(u.Path)), Err: u.Err})
	}
	return f, nil
}

// ByID returns what finds the projects at or below a folder by their identities: "" of one that
// is not there, or that several have, as nobody knows which of these is a copy. Bad is told of
// labels that cannot be read.
func ByID[P ~string](at P, bad func(dir address.Address, err error)) func(id string) (dir address.Address) {
	known := map[string]address.Address{}
	if found, err := Below(at, nil, nil); err == nil {
		for i := range found.Projects {
			own := &found.Projects[i]
			if own.Err != nil {
				bad(own.Dir, own.Err)
			} else if _, twice := known[own.Label.ID]; twice {
				known[own.Label.ID] = ""
			} else {
				known[own.Label.ID] = own.Dir
			}
		}
	}
	return func(id string) address.Address { return known[id] }
}

// Unseen are all that could not be read, with paths from the folder that was found.
func (f *Found) Unseen() (list []tree.Unread) {
	for _, own := range f.Projects {
		for _, u := range own.Unread {
			list = append(list, tree.Unread{Path: path.Join(own.Path, u.Path), Err: u.Err})
		}
	}
	for _, u := range f.Unread {
		if rel, err := filepath.Rel(string(f.Dir), u.Path); err == nil {
			list = append(list, tree.Unread{Path: filepath.ToSlash(rel), Err: u.Err})
		}
	}
	slices.SortFunc(list, func(a, b tree.Unread) int { return strings.Compare(a.Path, b.Path) })
	return list
}

// Labelled visits the topmost folders with a label below a folder, with their
// paths from it.
func Labelled(root *tree.Node, visit func(n *tree.Node, at string)) {
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		for _, c := range n.Children {
			if c.Kind != tree.Folder || strings.HasSuffix(c.Name, change.Unfinished) || Within(c, bundle.BackupName) != nil || Has(c, bundle.BagName) && Has(c, bundle.Declaration) {
				continue // a backup is no project, though it holds all of one
			}
			if below := path.Join(at, c.Name); Has(c, label.FileName) {
				visit(c, below)
			} else {
				walk(c, below)
			}
		}
	}
	walk(root, "")
}

// Has reports whether an ordinary file of that name lies in a folder.
func Has(n *tree.Node, name string) bool {
	c := Within(n, name)
	return c != nil && c.Kind == tree.File && c.Marks&tree.Link == 0
}

// Within returns what bears a name in a folder that was read from a disk, or nil.
func Within(n *tree.Node, name string) *tree.Node {
	if i, there := slices.BinarySearchFunc(n.Children, name, func(c *tree.Node, name string) int { return strings.Compare(c.Name, name) }); there {
		return n.Children[i]
	}
	return nil
}
