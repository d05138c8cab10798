package inspect

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/rules"
	"vestibula/core/template"
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

// Projects finds the project that a path is or lies in, else those that lie below it.
func Projects(at string) (*Found, error) {
	dir, err := place.Real(at)
	if err != nil {
		return nil, err
	}
	f := &Found{Dir: dir}
	own, l, err := project.Find(dir)
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
	labelledBelow(root, func(n *tree.Node, at string) {
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

// Seen is what of a project is seen when it is judged by a template: a copy of the tree
// of all that lies in it.
func Seen(full *tree.Node, t *template.Template) (*tree.Node, error) {
	ignored, err := rules.Ignore(slices.Concat(hiddenOnes(t), t.Ignore))
	if err != nil {
		return nil, err
	}
	seen := full.Copy()
	ignored.Prune(seen)
	return seen, nil
}
