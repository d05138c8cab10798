package change

import (
	"path"
	"strings"

	"vestibula/core/tree"
)

// names are those that come about and go in one folder, as systems see them that take
// some names for the same.
type names struct{ come, leave map[string]bool }

// namesOnly reports whether nothing but names change, each to one that nothing in its
// folder has or gets, and no folder on the way to any of them: in any order that works.
// Most long lists are such.
func (s *Set) namesOnly() bool {
	folders := map[key]*names{}
	last, here := key{in: -1}, (*names)(nil)
	for i := range s.Changes {
		c := &s.Changes[i]
		if c.Op != Move || c.In != c.FromIn || c.Path == "" || !Local(c.Path) || !Local(c.From) {
			return false
		}
		dir, name := path.Split(c.From)
		if len(c.Path) <= len(dir) || c.Path[:len(dir)] != dir || strings.Contains(c.Path[len(dir):], "/") {
			return false
		}
		if at := (key{c.In, dir}); at != last {
			if last, here = at, folders[at]; here == nil {
				here = &names{map[string]bool{}, map[string]bool{}}
				folders[at] = here
			}
		}
		to, from := tree.Folded(c.Path[len(dir):]), tree.Folded(name)
		if here.come[to] || here.leave[from] || here.come[from] || here.leave[to] || to == from {
			return false
		}
		here.come[to], here.leave[from] = true, true
	}
	for at := range folders {
		for dir := strings.TrimSuffix(at.path, "/"); dir != ""; {
			up, name := path.Split(dir)
			if above := folders[key{at.in, up}]; above != nil && (above.come[tree.Folded(name)] || above.leave[tree.Folded(name)]) {
				return false
			}
			dir = strings.TrimSuffix(up, "/")
		}
	}
	return true
}
