package draft

import (
	"fmt"
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

// tellSome tells what only some of the samples have.
func (l *learner) tellSome(root *line) {
	var asked, later []string
	var walk func(ln *line)
	walk = func(ln *line) {
		for _, k := range ln.kids {
			told := fmt.Sprintf("%s (%d of %d)", k.name, len(samplesOf(k.from)), len(l.samples))
			if at := slices.IndexFunc(k.clauses, func(c string) bool { return c == "later" || strings.HasPrefix(c, "when: ") }); at < 0 {
				walk(k)
			} else if k.clauses[at] == "later" {
				later = append(later, told)
			} else {
				asked = append(asked, told)
			}
		}
	}
	walk(root)
	if len(asked) > 0 {
		l.doubts = append(l.doubts, "only some have, and it is asked for when one is built: "+strings.Join(few(asked), ", ")+"; write “later” behind it, or leave it out, where that is no question")
	}
	if len(later) > 0 {
		l.doubts = append(l.doubts, "few have, and it is kept for later: "+strings.Join(few(later), ", ")+"; leave it out where that was chance")
	}
}

// A Begun file is one of a template that begins empty.
type Begun struct {
	Name   string
	Sample int // one of those that have it
	Path   string
}

// begun are the files that would begin empty, with where one lies of each.
func (l *learner) begun(root *line) (list []Begun) {
	for _, k := range root.kids {
		if k.folder {
			list = append(list, l.begun(k)...)
		} else if len(k.from) > 0 && !slices.ContainsFunc(k.clauses, func(c string) bool { return strings.HasPrefix(c, "copy: ") || strings.HasPrefix(c, "fill: ") }) {
			in := k.from[0]
			list = append(list, Begun{k.name, l.drift.number[l.samples[in.sample].Root], l.drift.lay(in.sample, l.pathOf(in))})
		}
	}
	return list
}

// ask puts another clause in place of the one that asks for a field.
func (ln *line) ask(field, clause string) {
	ln.clauses[slices.Index(ln.clauses, "when: "+field)] = clause
}
