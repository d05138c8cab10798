// Package follow adds to a set of changes what follows from it, whoever planned it: what the
// labels of projects note of things that move or come about, and what points at something
// that moves, in links and in texts. It looks at the disk, and changes nothing.
package follow

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/project"
	"vestibula/core/reference"
	"vestibula/core/tree"
)

// Moves are the moves of a set, by paths of this disk with slashes, with what is there once
// instead of twice.
func Moves(set *change.Set) *reference.Moves {
	return reference.NewMoves(func(moves *reference.Moves) {
		for i := range set.Changes {
			switch c := &set.Changes[i]; {
			case c.Op == change.Move:
				moves.Add(full(set, c.FromIn, c.From), full(set, c.In, c.Path))
			case replaced(c):
				moves.Add(full(set, c.In, c.Path), full(set, c.In, c.Instead))
			case c.Op == change.Remove:
				moves.Remove(full(set, c.In, c.Path))
			}
		}
	})
}

// replaced reports whether a change takes away what is there a second time.
func replaced(c *change.Change) bool { return c.Op == change.Remove && c.Instead != "" }

func full(set *change.Set, in int, at string) string {
	dir := set.Places[in].Slashed()
	if at == "." {
		return dir
	}
	return strings.TrimSuffix(dir, "/") + "/" + at
}

// A touching is a project whose label may have to say something else.
type touching struct {
	dir   string
	label *label.Label
	text  []byte
	made  map[string]*tree.Node // new files, by their paths from there
}

// Labels adds what the labels of projects note: where given and accepted things are that the
// set moves, and what new files hold that it makes for a template. The error is that of a
// content that cannot be read.
func Labels(set *change.Set) error {
	moves := Moves(set)
	for _, p := range touched(set) {
		own, stays := moves.After(p.dir)
		if !stays {
			continue
		}
		at, err := set.Find(address.Address(own + "/" + label.FileName))
		if err != nil {
			return err
		}
		l := p.label
		noted := slices.IndexFunc(set.Changes, func(c change.Change) bool {
			return c.Op == change.Replace && c.In == at.In && c.Path == at.Path
		})
		if noted >= 0 { // by the planner
			if l, _, err = project.LabelOf(set.Changes[noted].Content); err != nil {
				return err
			}
		}
		changed := l.Follow(func(at string) (string, bool) {
			to, there := moves.After(p.dir + "/" + at)
			below, inside := strings.CutPrefix(to, own+"/")
			return below, there && inside
		})
		for at, n := range p.made {
			sum, err := journal.SumOf(n)
			if err != nil {
				return err
			}
			if l.Given == nil {
				l.Given = map[string]string{}
			}
			l.Given[at], changed = sum, true
		}
		if !changed {
			continue
		}
		text, err := l.Encode()
		if err != nil {
			return err
		}
		if noted < 0 {
			set.Write(at, p.text, text, "")
			continue
		}
		// What must be there before stays what the planner has read: who has written the label
		// since then is not written over.
		c := &set.Changes[noted]
		c.Content, c.Sum = tree.Bytes(text), digest.Bytes(text)
	}
	return nil
}

// touched finds the projects in which something moves or comes about.
func touched(set *change.Set) (list []*touching) {
	within := func(dir string) bool {
		return slices.ContainsFunc(set.Places, func(p address.Address) bool { return address.Address(filepath.FromSlash(dir)).Within(p) })
	}
	known := map[string][]*touching{}
	// around returns the projects that a folder is or lies in, the innermost first.
	var around func(dir string) []*touching
	around = func(dir string) []*touching {
		all, looked := known[dir]
		if looked || !within(dir) {
			return all
		}
		if up := path.Dir(dir); up != dir {
			all = around(up)
		}
		// What a damaged label says is not known, and is told elsewhere.
		if l, text, err := project.ReadLabel(filepath.FromSlash(dir)); err == nil {
			p := &touching{dir, l, text, map[string]*tree.Node{}}
			list = append(list, p)
			all = append([]*touching{p}, all...)
		}
		known[dir] = all
		return all
	}
	for i := range set.Changes {
		switch c := &set.Changes[i]; c.Op {
		case change.Move:
			around(path.Dir(full(set, c.FromIn, c.From)))
			around(path.Dir(full(set, c.In, c.Path)))
		case change.Make:
			in := around(path.Dir(full(set, c.In, c.Path)))
			if len(in) == 0 {
				continue
			}
			c.Each(func(at string, n *tree.Node) bool {
				if n.Kind != tree.Folder {
					in[0].made[strings.TrimPrefix(full(set, c.In, at), in[0].dir+"/")] = n
				}
				return true
			})
		}
	}
	return list
}
