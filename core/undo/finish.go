package undo

import (
	"fmt"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// A Finish is a plan of what a record did not come to do that was cut short.
type Finish struct {
	proposal.Back
	Begun bool // something of it was done
	// Lost says that it cannot be planned: what a file was to hold is not known any more.
	Lost bool
	Bad  []*proposal.Left // what is in the way now
	// Theirs is what somebody has written meanwhile into files that the run was to change: it stays.
	Theirs []*proposal.Left
}

// Finishing looks how far a record came that was cut short, and plans the rest of the list that
// it holds. The error is that of a place that cannot be read.
func Finishing(j *journal.Journal, r *journal.Record) (*Finish, error) {
	if err := connected(r); err != nil {
		return nil, err
	}
	changes, places, err := j.Changes(r)
	if err != nil {
		return nil, err
	}
	u := &Undo{Back: proposal.Back{Work: r.Work, Record: r, Finishes: true}}
	open, err := u.open(places, changes)
	if err != nil {
		return nil, err
	}
	check := &change.Check{Work: r.Work, Names: true}
	for _, p := range open {
		defer p.Close()
		check.Places = append(check.Places, p)
	}
	f := &Finish{}
	how := change.Look(changes, check.Places)
	if how.Half == len(changes) && len(changes) > 1 {
		var theirs []change.Change
		how, theirs = change.LookAtEach(changes, check.Places)
		for i := range theirs {
			f.Theirs = append(f.Theirs, &proposal.Left{Path: theirs[i].Path, Why: "somebody has changed it meanwhile: it stays as it is"})
		}
	}
	halves := how.Done[len(how.Done)-how.Half:]
	known, err := j.Contents(r.Number)
	if err != nil {
		return nil, err
	}
	f.Begun = len(how.Done)+len(f.Theirs) > 0
	u.List = change.WithContents(append(change.Resumed(change.Untwinned(halves, check.Places, u.Work), check.Places), how.Rest...), known)
	f.Lost = lacks(u.List)
	u.numbered(changes)
	if len(u.List) > 0 && !f.Lost {
		_, bad, err := check.Run(u.List)
		if err != nil {
			return nil, err
		}
		for _, o := range bad {
			f.Bad = append(f.Bad, &proposal.Left{Path: u.List[o.Index].Path, Why: o.Why})
		}
	}
	f.Back = u.Back
	return f, nil
}

// lacks reports whether what a change is to write is not known.
func lacks(list []change.Change) bool {
	for i := range list {
		switch c := &list[i]; {
		case c.Op == change.Make && c.Node.Kind != tree.Folder && c.Node.Content == nil && c.Sum != journal.EmptySum,
			c.Op == change.Replace && c.Content == nil,
			c.Op == change.Copy && c.From == "":
			return true
		}
	}
	return false
}

// numbered notes which number each copy of the list has among the lines of the record.
func (u *Undo) numbered(changes []change.Change) {
	lines := map[change.At]int{}
	for i := range changes {
		if c := &changes[i]; c.Op == change.Copy {
			lines[change.At{In: c.In, Path: c.Path}] = i
		}
	}
	u.Lines = make([]int, len(u.List))
	for i := range u.List {
		u.Lines[i] = lines[change.At{In: u.List[i].In, Path: u.List[i].Path}]
	}
}

// Proposal returns what is left to do, for a person.
func (f *Finish) Proposal() *proposal.Proposal {
	r := f.Record
	return &proposal.Proposal{Back: &f.Back, Roots: r.Roots, Parts: []*proposal.Part{
		{Title: fmt.Sprintf("Finish %d: the %s of %s", r.Number, r.What, r.Name()), About: " in " + address.List(r.Places)},
		proposal.Of(f.List, f.Places, f.Theirs, label.Own)}}
}

// Concerns reports whether a record has to do with a path: it changed something there, above or, where
// deep says so, below.
func Concerns(changes []change.Change, places []address.Address, at address.Address, deep bool) bool {
	return EachPath(changes, places, func(p address.Address) bool {
		return at.Within(p) || deep && p.Within(at)
	})
}
