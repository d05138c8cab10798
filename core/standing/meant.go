package standing

import (
	"path"
	"slices"
	"strings"

	"vestibula/core/match"
	"vestibula/core/tree"
)

// meant sends a file that has no place of its own below the folder that was named to that folder
// itself: a place that is named is meant. A file of a folder keeps its path in that.
func (p *Planner) meant(o *Outcome) {
	if p.Below == "" || len(p.Projects) != 1 || o.File.Link || o.File.Entry.Kind == tree.Other {
		return
	}
	if o.Kind == Several {
		if i := slices.IndexFunc(o.Spots, func(s Spot) bool { return s.Dir == p.Below }); i >= 0 {
			o.Kind, o.Spots, o.Path, o.Help = Goes, o.Spots[i:i+1], path.Join(p.Below, o.File.Name()), Remedy{}
		}
		return
	}
	if o.Kind != Nowhere {
		return
	}
	pr := p.Projects[0]
	here := pr.At(p.Below)
	at := path.Join(p.Below, o.File.Within, o.File.Name())
	otherwise := ""
	if o.Help.Kind == NamedElse {
		otherwise = ", and the template has it in " + o.Help.Name
	}
	*o = Outcome{File: o.File, Kind: Goes, Named: true, Path: at, Why: "it was named" + otherwise, Spots: []Spot{{pr, path.Dir(at), here.Line, here, here.Values}}}
}

// Finds are the things that a check would tell of files that go to places which were named, if they
// lay there: of each outcome the first.
func Finds(p *Project, outcomes []*Outcome) map[*Outcome]*match.Thing {
	root := p.Root.Copy()
	var named []*Outcome
	for _, o := range outcomes {
		if o.Kind == Goes && o.Named && o.Spots[0].Project == p && add(root, o.Path) {
			named = append(named, o)
		}
	}
	found := map[*Outcome]*match.Thing{}
	if len(named) == 0 {
		return found
	}
	for _, t := range match.Compare(p.Wanted, root) {
		if t.Kind != match.Stray && t.Kind != match.Unfit && t.Kind != match.Misplaced {
			continue
		}
		for _, o := range named {
			if found[o] == nil && (t.Path == o.Path || strings.HasPrefix(o.Path, t.Path+"/")) && !p.Has(t.Path) {
				found[o] = t
			}
		}
	}
	return found
}

// add adds a file to a tree whose children are sorted, with the folders on its way. It reports
// whether it was not there.
func add(root *tree.Node, at string) (fresh bool) {
	names := strings.Split(at, "/")
	for i, name := range names {
		k, there := slices.BinarySearchFunc(root.Children, name, func(c *tree.Node, name string) int { return strings.Compare(c.Name, name) })
		if !there {
			n := &tree.Node{Name: name}
			if i == len(names)-1 {
				n.Kind = tree.File
			}
			root.Children, fresh = slices.Insert(root.Children, k, n), true
		}
		root = root.Children[k]
	}
	return fresh
}
