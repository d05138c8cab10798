package draft

import (
	"slices"
	"strings"
)

// A folder that few have is not worth a question at each build: one in so many, where
// there are that many to say so.
const fewOf = 4

// seldom keeps for later what few projects have, instead of asking for it by a field of its
// own. A field that is still asked for is named after a folder that depends on it, where
// there is one, rather than after a file.
func (l *learner) seldom(root *line) {
	users := map[string][]*line{} // from the top down
	twice := map[*line]bool{}     // a file and a folder share the name
	for level := []*line{root}; len(level) > 0; {
		var deeper []*line
		for _, ln := range level {
			for _, k := range ln.kids {
				for _, c := range k.clauses {
					if name, ok := strings.CutPrefix(c, "when: "); ok {
						users[name] = append(users[name], k)
					}
				}
				twice[k] = slices.ContainsFunc(ln.kids, func(o *line) bool { return o != k && o.name == k.name })
			}
			deeper = append(deeper, ln.kids...)
		}
		level = deeper
	}
	l.fields = slices.DeleteFunc(l.fields, func(f *field) bool {
		with := 0
		for _, v := range f.values {
			if v == "yes" {
				with++
			}
		}
		list := users[f.name]
		if f.kind != "yes-no" || f.told || len(list) == 0 {
			return false
		}
		if len(list) == 1 && list[0].folder && with*fewOf <= len(l.samples) && !twice[list[0]] {
			list[0].ask(f.name, "later")
			return true
		}
		if at := slices.IndexFunc(list, func(ln *line) bool { return ln.folder && !ln.many }); at > 0 {
			name := l.free(slugOf(list[at].name))
			for _, ln := range list {
				ln.ask(f.name, "when: "+name)
			}
			f.name = name
		}
		return false
	})
}

// ask puts another clause in place of the one that asks for a field.
func (ln *line) ask(field, clause string) {
	ln.clauses[slices.Index(ln.clauses, "when: "+field)] = clause
}
