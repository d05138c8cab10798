package put

import (
	"path"
	"strings"

	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/rules"
	"vestibula/core/tree"
)

// An Inside knows of files that lie in a project what a check of it says of them.
type Inside struct {
	project *Project
	things  map[string]*match.Thing // by their paths from the own folder
}

// Judge returns what is known of the files that lie in a project.
func Judge(p *Project) *Inside {
	in := &Inside{p, map[string]*match.Thing{}}
	for _, t := range match.Compare(p.Wanted, p.Root.Copy()) {
		if t.Node.Kind == tree.File && t.Kind != match.Missing && t.Kind != match.Overdue {
			in.things[t.Path] = t
		}
	}
	return in
}

// Place finds where a file of the project belongs, by its path there: what is well where it lies
// stays, and what a check would move goes where that would move it. Of what its folder leaves to
// its owner, only a name that reads as one of another folder says more.
func (in *Inside) Place(p *Planner, f *File, at string) *Outcome {
	t := in.things[at]
	if t != nil && t.Kind == match.Misplaced && t.Sure {
		to := t.Final()
		why := "by its kind"
		if _, ending := naming.Split(at); ending != "" {
			why += ", ." + ending
		}
		if t.Reason == match.Convention && t.Other != "" {
			why = "its name reads as " + t.Other
		}
		here := in.project.At(path.Dir(to))
		return &Outcome{File: f, Kind: Goes, Spots: []Spot{{in.project, path.Dir(to), here.Line, here, here.Values}}, Path: to, Why: why}
	}
	if t == nil && in.holds(path.Dir(at), at) {
		o := &Outcome{File: f}
		o.there(in.project, at, "it is where it belongs")
		return o
	}
	o := p.Place(f)
	switch {
	case t == nil && o.byName:
	case t == nil:
		o.there(in.project, at, "it is where it belongs")
	case t.Kind != match.Stray || o.Kind == Nowhere:
		o.Kind, o.Spots, o.Path, o.Why, o.Help = Nowhere, nil, "", rules.Told(t), Remedy{}
	}
	return o
}

// holds reports whether the folder that a file lies in says that it holds such files.
func (in *Inside) holds(dir, at string) bool {
	here := in.project.At(strings.TrimPrefix(dir, "."))
	return here.Line != nil && here.Line.HoldsAnything() && path.Join(".", here.Path) == path.Join(".", dir)
}
