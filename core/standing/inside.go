package standing

import (
	"path"
	"strings"

	"vestibula/core/change"
	"vestibula/core/match"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// Settle finds where files of a project belong that its match left open: they lie loose, or their
// names contradict where they lie, and the names or kinds say of one place alone that it is theirs.
// The things are told so, and what is returned is where each of them goes. The project's layout
// is asked for where there are any.
func Settle(layout func() (*Project, error), things []*match.Thing) (map[*match.Thing]*Outcome, error) {
	var planner *Planner
	settled := map[*match.Thing]*Outcome{}
	claimed := map[string]bool{}
	for _, t := range things {
		if t.Node.Kind != tree.File || t.Movable() || !open(t) {
			continue
		}
		if planner == nil {
			p, err := layout()
			if err != nil {
				return nil, err
			}
			planner = NewPlanner([]*Project{p})
		}
		p := planner.Projects[0]
		o := planner.Place(&File{Path: t.Path})
		if o.Kind != Goes || o.Path == t.Path || o.by == nil && (t.Slot != "" || t.Kind == match.Unfit && t.Says != "") {
			continue
		}
		by := ""
		if o.by != nil {
			by = o.by.Name
		}
		free := !claimed[tree.Folded(o.Path)] && !p.Has(o.Path)
		if t.Settle(o.Path, by, free); free {
			claimed[tree.Folded(o.Path)] = true
			settled[t] = o
		}
	}
	return settled, nil
}

// open reports whether a match leaves open where a file belongs.
func open(t *match.Thing) bool {
	switch t.Kind {
	case match.Misplaced:
		return true
	case match.Stray:
		return t.Reason == match.NoReason
	case match.Unfit:
		return t.Says == "" || t.Misfit == nil // else its name is meant to be one of its folder's
	}
	return false
}

// Needs are the folders that are made for files which were settled, by these.
func Needs(settled map[*match.Thing]*Outcome) (map[*match.Thing][]change.Change, error) {
	needs := map[*match.Thing][]change.Change{}
	known := map[string][]change.Change{}
	for t, o := range settled {
		s := o.Spots[0]
		changes, is := known[s.Dir]
		if !is {
			var err error
			if changes, err = Folder(s.Project.Layout, s.Dir, s.Values, template.DefaultLimit); err != nil {
				return nil, err
			}
			known[s.Dir] = changes
		}
		needs[t] = changes
	}
	return needs, nil
}

// An Inside knows of files that lie in a project what a check of it says of them.
type Inside struct {
	project *Project
	things  map[string]*match.Thing // by their paths from the own folder
	settled map[*match.Thing]*Outcome
	passing map[string]int // folders in which things lie only for a while
}

// Judge returns what is known of the files that lie in a project.
func Judge(p *Project) *Inside {
	in := &Inside{project: p, things: map[string]*match.Thing{}, passing: rules.Waiting(p.Template, p.Root)}
	things := match.Compare(p.Wanted, p.Root.Copy())
	in.settled, _ = Settle(func() (*Project, error) { return p, nil }, things)
	for _, t := range things {
		if t.Node.Kind == tree.File && t.Kind != match.Missing && t.Kind != match.Overdue {
			in.things[t.Path] = t
		}
	}
	return in
}

// Place finds where a file of the project belongs, by its path there: what is well where it lies
// stays, and what a check would move goes where that would move it. Of what its folder leaves to
// its owner, only a name that reads as one of another folder says more; what only passes through a folder goes on from there
// as from anywhere.
func (in *Inside) Place(p *Planner, f *File, at string) *Outcome {
	t := in.things[at]
	if t != nil && t.Kind == match.Misplaced && t.Sure {
		if settled := in.settled[t]; settled != nil {
			o := *settled
			o.File = f
			return &o
		}
		to := t.Final()
		why := "by its kind"
		if _, ending := tree.Split(at); ending != "" {
			why += ", ." + ending
		}
		if t.Reason == match.Convention && t.Other != "" {
			why = readsAs + t.Other
		}
		here := in.project.At(path.Dir(to))
		return &Outcome{File: f, Kind: Goes, Spots: []Spot{{in.project, path.Dir(to), here.Line, here, here.Values}}, Path: to, Why: why}
	}
	if t == nil && in.holds(path.Dir(at), at) {
		o := &Outcome{File: f}
		o.Stays(in.project, at, "it is where it belongs")
		return o
	}
	o := p.Place(f)
	switch {
	case o.by != nil && (t == nil || t.Kind == match.Misplaced && o.Kind == Goes && o.Spots[0].Project != in.project):
	case t == nil && in.passing[path.Dir(at)] > 0: // what waits there is to go on
	case t == nil:
		o.Stays(in.project, at, "it is where it belongs")
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
