package plan

import (
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"vestibula/core/change"
	"vestibula/core/merge"
	"vestibula/core/tree"
)

// A merging is a row by which a folder is put into another one.
type merging struct {
	Row
	from, to string
}

// merge adds what rows say that put a folder into another one.
func (p *Planned) merge(rows []merging, disk Disk, t *transition) (problems []Problem) {
	into := map[string]*tree.Node{}
	m := &merge.Merger{Sum: disk.Sum, Own: disk.Own}
	for _, r := range rows {
		m.Goes = func(at string) bool { _, goes := t.from[at]; return goes }
		tell := func(format string, args ...any) {
			problems = append(problems, Problem{r.Number, fmt.Sprintf(format, args...)})
		}
		there := t.before(r.to)
		if there == "" {
			tell("nothing is at “%s” by then to put it into", r.to)
			continue
		}
		switch e, err := disk.Look(there); {
		case errors.Is(err, fs.ErrNotExist):
			tell("there is no folder “%s” to put it into; write move, and it gets that name", r.to)
			continue
		case err != nil:
			tell("“%s” cannot be looked at: %v", there, err)
			continue
		case e.Kind != tree.Folder:
			tell("“%s” is %s, and nothing can be put into it", there, e.Kind.Article())
			continue
		case inside(there, r.from) || inside(r.from, there):
			tell("“%s” and “%s” lie in each other", r.from, there)
			continue
		}
		from, err := disk.Tree(r.from)
		if err == nil && into[there] == nil {
			into[there], err = disk.Tree(there)
		}
		if err != nil {
			tell("%v", err)
			continue
		}
		changes, err := m.Put(from, r.from, into[there], there, r.to)
		if err != nil {
			tell("%v", err)
			continue
		}
		for _, c := range changes {
			if c.Op == change.Move {
				t.to[c.Path] = &c
			}
			p.Set.Changes, p.Rows = append(p.Set.Changes, c), append(p.Rows, r.Number)
		}
	}
	return problems
}

// inside reports whether a path lies in a folder, or is it.
func inside(at, folder string) bool { return at == folder || strings.HasPrefix(at, folder+"/") }
