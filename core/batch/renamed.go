package batch

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/label"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// A Renaming is a folder above projects that somebody has renamed by hand: what is built for the
// same values goes there.
type Renaming struct {
	From, To string // the name by the values, and the one that it has
	by       string // these values
}

// renamedAbove finds folders that were renamed by hand and in which projects of the same values lie: builds go into
// these, and none begins a second one beside it.
func (j *Job) renamedAbove() (changed bool) {
	if j.Pack != nil || j.Bare || j.Again {
		return false
	}
	var known map[int]map[string]string
	for _, r := range j.Builds {
		above := path.Dir(r.Folder())
		if above == "." {
			continue
		}
		if _, err := j.Place.Look(above); err == nil {
			continue
		}
		values, told := r.above()
		if values == "" {
			continue
		}
		depth := strings.Count(above, "/") + 1
		if known[depth] == nil {
			if known == nil {
				known = map[int]map[string]string{}
			}
			known[depth] = j.sharedFolders(r, depth)
		}
		real := known[depth][values]
		if real == "" || real == above {
			continue
		}
		r.Root, changed = under(r.Root, strings.Split(above, "/"), strings.Split(real, "/")), true
		if one := (Renaming{above, real, told}); !slices.Contains(j.Renamings, one) {
			j.Renamings = append(j.Renamings, one)
		}
	}
	return changed
}

// above are the values that the names of the folders above the own folder are made of, as a key and
// for a person; "" where there are none.
func (b *Build) above() (key, told string) {
	l := label.NewBuild(b.Template, b.Values, time.Time{}, "")
	var texts []string
	for _, name := range b.aboveBy() {
		key += fmt.Sprintf("%s=%v\x00", name, l.Values[name])
		texts = append(texts, fmt.Sprintf("%s=%v", name, l.Values[name]))
	}
	return key, strings.Join(texts, " ")
}

// aboveBy are the fields that these names are made of.
func (b *Build) aboveBy() (fields []string) {
	at, above := b.Root, path.Dir(b.Folder())
	for name := range strings.SplitSeq(above, "/") {
		if at = at.Child(name); at == nil || b.Template.LineOf(at) == nil {
			return nil
		}
		for _, slot := range b.Template.LineOf(at).Names[at.Nth].Pattern.Slots() {
			if f := b.Template.Field(slot); f != nil {
				for _, g := range b.Template.Ingredients(f) {
					fields = append(fields, g.Name)
				}
			}
		}
	}
	slices.Sort(fields)
	return slices.Compact(fields)
}

// sharedFolders are the folders that projects of a build's template lie in, so deep below the place,
// by the values that say the names of such folders; those of which there are several are left out.
func (j *Job) sharedFolders(r *Build, depth int) map[string]string {
	found, fields := map[string]string{}, r.aboveBy()
	var walk func(at string, left int)
	walk = func(at string, left int) {
		entries, err := j.Place.List(cmp.Or(at, "."))
		if err != nil {
			return
		}
		for _, e := range entries {
			below := path.Join(at, e.Name)
			if e.Kind != tree.Folder || strings.HasPrefix(e.Name, ".") {
				continue
			}
			if left > 0 {
				walk(below, left-1)
				continue
			}
			l, _, err := project.LabelIn(j.Place, below)
			if err != nil || l == nil || l.Template != r.Template.Name {
				continue
			}
			key := ""
			for _, name := range fields {
				key += fmt.Sprintf("%s=%v\x00", name, l.Values[name])
			}
			if other := found[key]; other != "" && other != at {
				at = "." // several: nobody can know which is meant
			}
			found[key] = at
		}
	}
	walk("", depth)
	for key, at := range found {
		if at == "." {
			delete(found, key)
		}
	}
	return found
}

// under is a tree in which the folders on a way have other names.
func under(n *tree.Node, was, is []string) *tree.Node {
	out := *n
	if len(was) == 0 {
		return &out
	}
	out.Children = slices.Clone(n.Children)
	for i, c := range out.Children {
		if c.Name == was[0] {
			out.Children[i] = under(c, was[1:], is[1:])
			out.Children[i].Name = is[0]
		}
	}
	return &out
}

// noteRenamings tells where builds go to.
func (j *Job) noteRenamings(p *proposal.Proposal) {
	for i, r := range j.Renamings {
		if i == maxBegun {
			p.Note(fmt.Sprintf("and %d others like these", len(j.Renamings)-i))
			return
		}
		p.Note(fmt.Sprintf("“%s” is what the folder of %s is called now: what is built for it goes there, and not into a new “%s”", r.To, r.by, r.From))
	}
}
