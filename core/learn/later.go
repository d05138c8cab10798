package learn

import (
	"slices"
	"strings"
)

// A folder that few have is not worth a question at each build: one in so many, where
// there are that many to say so.
const fewOf = 4

// seldom keeps for later what few projects have, instead of asking for it by a field of its
// own.
func (l *learner) seldom(root *line) {
	users := map[string][]*line{}
	twice := map[*line]bool{} // a file and a folder share the name
	var walk func(ln *line)
	walk = func(ln *line) {
		for _, k := range ln.kids {
			for _, c := range k.clauses {
				if name, ok := strings.CutPrefix(c, "when: "); ok {
					users[name] = append(users[name], k)
				}
			}
			twice[k] = slices.ContainsFunc(ln.kids, func(o *line) bool { return o != k && o.name == k.name })
			walk(k)
		}
	}
	walk(root)
	l.fields = slices.DeleteFunc(l.fields, func(f *field) bool {
		with := 0
		for _, v := range f.values {
			if v == "yes" {
				with++
			}
		}
		if f.kind != "yes-no" || f.told || with*fewOf > len(l.samples) || len(users[f.name]) != 1 || !users[f.name][0].folder || twice[users[f.name][0]] {
			return false
		}
		ln := users[f.name][0]
		ln.clauses[slices.Index(ln.clauses, "when: "+f.name)] = "later"
		return true
	})
}
