package follow

import (
	"io/fs"
	"net/url"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/reference"
	"vestibula/core/tree"
)

// References finds what points at what a set moves: in roots, and among the files of tops
// themselves. Trees hold what lies in roots that have been read already. Nil is returned
// where nothing moves; the error is that of a root that cannot be read.
func References(set *change.Set, roots, tops []address.Address, trees map[address.Address]*tree.Node) (*reference.Found, error) {
	if !slices.ContainsFunc(set.Changes, func(c change.Change) bool { return c.Op == change.Move || replaced(&c) }) {
		return nil, nil
	}
	moves, written := Moves(set), map[string]bool{}
	for i := range set.Changes {
		if c := &set.Changes[i]; c.Op == change.Replace || c.Op == change.Make && c.Node.Kind != tree.Folder {
			written[full(set, c.In, c.Path)] = true
		}
	}
	search := &reference.Search{Texts: texts(), Moves: moves, Roots: slashed(roots), Tops: slashed(tops), Trees: map[string]*tree.Node{}, Skip: func(file string) bool {
		after, _ := moves.After(file)
		return written[after]
	}}
	for dir, n := range trees {
		search.Trees[dir.Slashed()] = n
	}
	return search.Find()
}

// texts returns what says which further endings are texts in a folder: those that the template of the
// innermost project names.
func texts() func(dir string) []string {
	known, parsed := map[string][]string{}, map[string][]string{}
	var of func(dir string) []string
	of = func(dir string) []string {
		if list, looked := known[dir]; looked {
			return list
		}
		var list []string
		if !place.Exists(filepath.FromSlash(dir + "/" + label.FileName)) { // most folders are no projects
			if up := path.Dir(dir); up != dir {
				list = of(up)
			}
		} else if l, _, err := project.ReadLabel(filepath.FromSlash(dir)); err == nil {
			var read bool
			if list, read = parsed[l.Text]; !read {
				if t, _, err := project.Parse(l, project.Shelf{Starters: func(*label.Build) fs.FS { return nil }}); err == nil {
					list = t.Texts
				}
				parsed[l.Text] = list
			}
		} else if up := path.Dir(dir); up != dir {
			list = of(up)
		}
		known[dir] = list
		return list
	}
	return of
}

// Dead finds links in texts below roots that lead nowhere, and where what they name lies by now.
func Dead(roots []address.Address, lost *reference.Lost) (*reference.Found, error) {
	return (&reference.Search{Texts: texts(), Moves: reference.NewMoves(nil), Roots: slashed(roots), Lost: lost}).Find()
}

// Fix adds to a set what changes the links and texts that would lead nowhere. The error says
// that one lies outside of the places of the set.
func Fix(set *change.Set, found *reference.Found) error {
	moves, done := Moves(set), map[string]bool{}
	for _, b := range found.Broken {
		if done[b.File] || b.Becomes == "" {
			continue
		}
		after, _ := moves.After(b.File)
		to, err := set.Find(address.Address(after))
		if err != nil {
			return err
		}
		if b.Link() {
			set.Relink(to, filepath.FromSlash(b.Says), filepath.FromSlash(b.Becomes), "it leads to what is moved")
			continue
		}
		if now, becomes, changed := found.Fixed(b.File); changed {
			done[b.File] = true
			set.Write(to, []byte(now), []byte(becomes), "it names what is moved")
		}
	}
	return nil
}

// Addresses returns the rows of a table of the old and the new web addresses of all files
// that a set gives others: below each root, as a web server has them. The error is that of a
// root that cannot be read.
func Addresses(set *change.Set, roots []address.Address) ([][]string, error) {
	moves, rows := Moves(set), [][]string{{"old", "new"}}
	for _, root := range slashed(roots) {
		n, _, err := place.Read(filepath.FromSlash(root), nil, nil)
		if err != nil {
			return nil, err
		}
		newRoot, _ := moves.After(root)
		for at, file := range n.All() {
			old := root + "/" + at
			after, stays := moves.After(old)
			below, inside := strings.CutPrefix(after, newRoot+"/")
			if file.Kind == tree.Folder || !stays || !inside || below == at {
				continue
			}
			rows = append(rows, []string{webPath(at), webPath(below)})
			if base := strings.ToLower(path.Base(at)); base == "index.html" || base == "index.htm" {
				rows = append(rows, []string{webPath(path.Dir(at)) + "/", webPath(path.Dir(below)) + "/"})
			}
		}
	}
	return rows, nil
}

// webPath is a path as it stands in a web address.
func webPath(p string) string {
	if p == "." {
		return ""
	}
	return (&url.URL{Path: "/" + p}).EscapedPath()
}

func slashed(list []address.Address) (out []string) {
	for _, p := range list {
		out = append(out, p.Slashed())
	}
	return out
}
