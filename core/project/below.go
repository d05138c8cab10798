package project

import (
	"path"
	"path/filepath"
	"slices"
	"strings"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// Found are the projects at or below a folder.
type Found struct {
	Dir      string     // the folder, absolute; of a project, its own folder
	Root     *tree.Node // all that lies in it
	Inside   bool       // the folder is, or lies in, the one project
	Projects []Own
	Unread   []tree.Unread // in which others may lie: with absolute paths
}

// An Own is the own folder of a project.
type Own struct {
	Dir    string     // absolute
	Root   *tree.Node // all that lies in it
	Unread []tree.Unread
}

// Below finds the project that a path is or lies in, else those that lie below it.
func Below(at string) (*Found, error) {
	dir, err := place.Real(at)
	if err != nil {
		return nil, err
	}
	f := &Found{Dir: dir}
	own, l, err := Find(dir)
	if err != nil {
		return nil, err
	}
	if f.Inside = l != nil; f.Inside {
		f.Dir = own
	}
	root, unread, err := tree.Read(f.Dir, nil, nil)
	if err != nil {
		return nil, err
	}
	f.Root = root
	if f.Inside {
		f.Projects = []Own{{own, root, unread}}
		return f, nil
	}
	below := map[string]int{}
	Labelled(root, func(n *tree.Node, at string) {
		below[at] = len(f.Projects)
		f.Projects = append(f.Projects, Own{Dir: filepath.Join(dir, filepath.FromSlash(at)), Root: n})
	})
unread:
	for _, u := range unread {
		for in := u.Path; in != "."; in = path.Dir(in) {
			if i, is := below[in]; is {
				p := &f.Projects[i]
				p.Unread = append(p.Unread, tree.Unread{Path: strings.TrimPrefix(u.Path, in+"/"), Err: u.Err})
				continue unread
			}
		}
		f.Unread = append(f.Unread, tree.Unread{Path: filepath.Join(dir, filepath.FromSlash(u.Path)), Err: u.Err})
	}
	return f, nil
}

// ByID returns what finds the projects at or below a folder by their identities: "" of one that
// is not there, or that several have, as nobody knows which of these is a copy. Bad is told of
// labels that cannot be read.
func ByID(at string, bad func(dir string, err error)) func(id string) (dir string) {
	known := map[string]string{}
	if found, err := Below(at); err == nil {
		dirs := found.Dirs()
		for i, l := range ReadLabels(dirs) {
			if l.Err != nil {
				bad(dirs[i], l.Err)
			} else if _, twice := known[l.Label.ID]; twice {
				known[l.Label.ID] = ""
			} else {
				known[l.Label.ID] = dirs[i]
			}
		}
	}
	return func(id string) string { return known[id] }
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
