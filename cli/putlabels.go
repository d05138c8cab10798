package cli

import (
	"path"
	"path/filepath"

	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/put"
	"vestibula/core/tree"
)

// relabel adds to the set what notes in labels where given files are now, and those that
// new folders begin with.
func (r *putRun) relabel(set *change.Set) error {
	moves := movesOf(set)
	for _, p := range r.touched(set) {
		old, err := place.ReadFile(filepath.Join(p.project.Dir, label.FileName), label.MaxBytes)
		if err != nil {
			continue
		}
		l, err := label.Parse(old)
		if err != nil {
			continue
		}
		own := filepath.ToSlash(p.project.Dir)
		changed := followLabel(l, moves, own, own)
		for at, n := range p.made {
			for below, f := range n.All() {
				if f.Kind != tree.File {
					continue
				}
				sum, err := journal.SumOf(f)
				if err != nil {
					return err
				}
				if l.Given == nil {
					l.Given = map[string]string{}
				}
				l.Given[at+"/"+below], changed = sum, true
			}
		}
		if !changed {
			continue
		}
		if err := addLabel(set, own, old, l); err != nil {
			return err
		}
	}
	return nil
}

// A touchedProject is one in which something moves or folders are made: by their paths
// from its own folder.
type touchedProject struct {
	project *put.Project
	made    map[string]*tree.Node
}

// touched are the projects whose labels may have to say something else.
func (r *putRun) touched(set *change.Set) []*touchedProject {
	own := map[string]*put.Project{}
	for _, p := range r.projects {
		own[filepath.ToSlash(p.Dir)] = p
	}
	found := map[*put.Project]*touchedProject{}
	var list []*touchedProject
	note := func(in int, at string) (t *touchedProject, below string) {
		full := slashed(set.Places[in], at)
		for dir := path.Dir(full); len(dir) >= len(r.base); dir = path.Dir(dir) {
			if p := own[dir]; p != nil {
				if found[p] == nil {
					found[p] = &touchedProject{p, map[string]*tree.Node{}}
					list = append(list, found[p])
				}
				return found[p], full[len(dir)+1:]
			}
			if dir == "/" || dir == "." {
				break
			}
		}
		return nil, ""
	}
	for i := range set.Changes {
		switch c := &set.Changes[i]; {
		case c.Op == change.Move:
			note(c.FromIn, c.From)
			note(c.In, c.Path)
		case c.Op == change.Make && c.Node.Kind == tree.Folder:
			if t, below := note(c.In, c.Path); t != nil {
				t.made[below] = c.Node
			}
		}
	}
	return list
}
