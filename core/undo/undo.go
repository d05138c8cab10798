// Package undo plans what takes a record back: what it did and is still as it was made goes,
// what was there before comes back, and what somebody has changed since stays, and is told.
// What a person has moved or renamed by hand is followed.
package undo

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"time"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// An Undo is a plan to take a record back, and what stays because somebody has
// changed it or put something into it since.
type Undo struct {
	proposal.Back
	Stays []*proposal.Left
	Moved []address.Address // the roots of the record that were moved or renamed by hand, and where they are now
	Part  address.Address   // the folder of which alone it is taken back; "" for all of it
	Roots []journal.Root    // those of the record, in the places of the plan
}

// A NewerError says that a later record touched the same things, so that it has
// to be taken back first.
type NewerError struct {
	Newer *journal.Record
	Path  string // such as this
}

// Error names it.
func (e *NewerError) Error() string {
	return fmt.Sprintf("the %s of %s came later, on %s, and changed the same things, such as %s", e.Newer.What, e.Newer.Name(), e.Newer.When.Local().Format("2006-01-02 15:04"), e.Path)
}

// A GoneError says that nothing of what a record made is where it was made.
type GoneError struct {
	Path address.Address
	// Maybe are folders that say that they are it. Each may as well be a copy: it is for the
	// person to name one.
	Maybe []address.Address
}

// Error says what is not there.
func (e *GoneError) Error() string { return fmt.Sprintf("%s is not there any more", e.Path) }

// Where says where things may be that were moved by hand.
type Where struct {
	Here  address.Address // the folder of the person
	Named address.Address // the folder that a person says a project is by now; "" for none
	Part  address.Address // the folder of which alone it is taken back; "" for all of it
}

// A Revise takes out of a file what a record wrote into it, where others have written in
// it as well since then.
type Revise struct {
	// Knows reports whether a file, by its absolute path, is of a kind that it can revise.
	Knows func(path string) bool
	// Without returns what such a file is to hold, by what it holds now, without what was
	// written into it about folders that made says were made by the record. It reports
	// false where nothing of that is in it, or it cannot be read.
	Without func(path string, now []byte, made func(path string) bool) (data []byte, ok bool)
}

// Plan looks at what a record did and is still as it was made. Records are all
// of the journal. The error may be a [NewerError] or a [GoneError].
func Plan(j *journal.Journal, records []*journal.Record, r *journal.Record, in Where, revise Revise) (*Undo, error) {
	if err := connected(r); err != nil {
		return nil, err
	}
	changes, places, err := j.Changes(r)
	if err != nil {
		return nil, err
	}
	u := &Undo{Back: proposal.Back{Work: change.NewWork(), Record: r, Times: j.Times(r)}, Part: in.Part}
	own := map[address.Address]bool{} // the paths that it touched, as they were and as they are now
	note := func(p address.Address) bool { own[p] = true; return false }
	// What others write in as well is put right by itself.
	alone := func(list []change.Change) []change.Change {
		return slices.DeleteFunc(slices.Clone(list), func(c change.Change) bool {
			return c.Op == change.Replace && c.In < len(places) && revise.Knows != nil && revise.Knows(string(places[c.In].Join(c.Path)))
		})
	}
	EachPath(alone(changes), places, note)
	near := slices.Clone(places)
	unfinished, err := u.unfinished(j, records, &places)
	if err != nil {
		return nil, err
	}
	ours := len(changes)
	changes, places, err = u.find(append(changes, unfinished...), places, in)
	if err != nil {
		return nil, err
	}
	changes, places = u.needed(changes, places)
	EachPath(alone(changes[:ours]), places, note)
	if err := newer(j, records, r, own, append(near, places...)); err != nil {
		return nil, err
	}
	open, err := u.open(places, changes)
	if err != nil {
		return nil, err
	}
	defer func() {
		for _, p := range open {
			p.Close()
		}
	}()
	changes, unfinished = changes[:ours:ours], changes[ours:]
	return u, u.invert(changes, unfinished, open, revise)
}

// invert makes the list of the undo, and notes what stays: of what the record did, or of what an
// undo of it that was cut short had to do.
func (u *Undo) invert(changes, unfinished []change.Change, open []*place.Place, revise Revise) (err error) {
	check := &change.Check{Work: u.Work, Lenient: true}
	for _, p := range open {
		check.Places = append(check.Places, p)
	}
	list := change.Invert(changes)
	switch {
	case len(u.Continues) > 0: // it is gone on with
		p := change.Look(unfinished, check.Places)
		check.CutShort = p.Half
		p.Rest = append(change.Resumed(p.Done[len(p.Done)-p.Half:], check.Places), p.Rest...)
		list = change.WithContents(p.Rest, change.Contents(list))
	case u.Record.End == journal.CutShort:
		p := change.Look(changes, check.Places)
		list, check.CutShort = change.Invert(p.Done), p.Half
		change.Reunite(list, p.Half, p.Done, check.Places)
	}
	if u.Part != "" {
		list = slices.DeleteFunc(list, func(c change.Change) bool { return !u.within(&c) })
	}
	if revise.Knows != nil {
		u.revise(list, changes, open, revise)
	}
	var bad []change.Obstacle
	if u.List, bad, err = check.Run(list); err != nil {
		return err
	}
	_, from := proposal.Top(u.Places)
	for _, o := range bad {
		c, why := &list[o.Index], o.Why
		if at := (change.At{In: c.In, Path: c.Path}); o.Changed {
			if c.Op == change.Move {
				at = change.At{In: c.FromIn, Path: c.From}
			}
			if e, err := open[at.In].Look(at.Path); err == nil {
				why += time.Unix(0, e.Time).Local().Format(", on 2006-01-02 15:04")
			}
		}
		u.Stays = append(u.Stays, &proposal.Left{Path: path.Join(from[c.In], c.Path), Why: why})
	}
	return nil
}

// within reports whether a change has to do with what lies in the folder of which alone a record is
// taken back.
func (u *Undo) within(c *change.Change) bool {
	return c.In < len(u.Places) && u.Places[c.In].Join(c.Path).Within(u.Part) || c.Op == change.Move && c.FromIn < len(u.Places) && u.Places[c.FromIn].Join(c.From).Within(u.Part)
}

// Touches reports whether a record has changed something in a folder, and something outside of it.
func Touches(j *journal.Journal, r *journal.Record, dir address.Address) bool {
	changes, places, err := j.Changes(r)
	in, out := false, false
	for i := range changes {
		changes[i].Each(func(at string, _ *tree.Node) bool {
			if c := &changes[i]; c.In < len(places) && places[c.In].Join(at).Within(dir) {
				in = true
			} else {
				out = true
			}
			return !in || !out
		})
	}
	return err == nil && in && out
}

// unfinished is the list of an undo of the record that was cut short, in places to which its own
// are added. It is gone on with.
func (u *Undo) unfinished(j *journal.Journal, records []*journal.Record, places *[]address.Address) (list []change.Change, err error) {
	for _, o := range records {
		if o.Undoes != u.Record.Number || o.End != journal.CutShort || o.Busy {
			continue
		}
		more, theirs, err := j.Changes(o)
		if err != nil {
			return nil, err
		}
		list = journal.InPlaces(more, theirs, places)
		u.Continues = append(u.Continues, o)
	}
	return list, nil
}

// Proposal returns what the undo does, for a person.
func (u *Undo) Proposal() *proposal.Proposal {
	part := proposal.Of(u.List, u.Places, u.Stays, label.Own)
	out := &proposal.Proposal{Back: &u.Back, Roots: u.Roots, Parts: []*proposal.Part{
		{Title: fmt.Sprintf("Undo %d: the %s of %s", u.Record.Number, u.Record.What, u.Record.Name()), About: u.about()}, part}}
	for _, now := range u.Moved {
		out.Note(string("it lies in " + now + " now"))
	}
	return out
}

// about says where it is taken back, and of what alone.
func (u *Undo) about() string {
	if u.Part != "" {
		return ", as far as " + u.Part.Name() + " goes"
	}
	return " in " + address.List(u.Record.Places)
}

// open opens the places of an undo. What never became whole in them bears another name.
func (u *Undo) open(paths []address.Address, changes []change.Change) (open []*place.Place, err error) {
	for _, at := range paths {
		p, err := place.Open(at)
		var dev, ino uint64
		if err == nil {
			open, u.Places = append(open, p), append(u.Places, p.Real)
			dev, ino, err = place.Identity(p.Real)
		}
		if err != nil {
			for _, o := range open {
				o.Close()
			}
			return nil, err
		}
		u.Identity = append(u.Identity, [2]uint64{dev, ino})
		u.Meanwhile = append(u.Meanwhile, u.meanwhile(open[len(open)-1], changes))
	}
	return open, nil
}

// An AwayError says that a disk is not connected: the folder in which it began is empty.
type AwayError struct{ Path address.Address }

// Error says what is empty.
func (e *AwayError) Error() string { return fmt.Sprintf("the disk at %s is not connected", e.Path) }

// connected is an [AwayError] where a disk of a record is not there: the folder in which it began is
// empty and lies on another one. What is not found in it was not taken away.
func connected(r *journal.Record) error {
	for _, m := range r.Mounts {
		at := address.Address(m)
		if place.Begins(at) == at {
			continue
		}
		p, err := place.Open(at)
		if err != nil {
			continue // it is told when its places are looked for
		}
		list, err := p.List(".")
		if p.Close(); err == nil && len(list) == 0 {
			return &AwayError{at}
		}
	}
	return nil
}

// meanwhile are the names of folders in the place that was opened last which never became whole.
func (u *Undo) meanwhile(p *place.Place, changes []change.Change) map[string]string {
	names := map[string]string{}
	for i := range changes {
		c := &changes[i]
		if u.Record.End != journal.CutShort || !c.Whole || c.Op != change.Make || c.In != len(u.Meanwhile) {
			continue
		}
		_, own := p.Look(c.Path)
		if _, other := p.Look(path.Join(path.Dir(c.Path), c.Meanwhile())); own != nil && other == nil {
			names[c.Path] = c.Meanwhile()
		}
	}
	p.Under(names)
	return names
}

// maxRevised is how large a file may be that is revised, in bytes.
const maxRevised = 64 << 20

// revise keeps what others have written into files.
func (u *Undo) revise(list, done []change.Change, places []*place.Place, by Revise) {
	made := map[string]bool{}
	for i := range done {
		c := &done[i]
		if c.Op == change.Make && c.In < len(u.Places) {
			c.Each(func(at string, n *tree.Node) bool {
				if n.Kind == tree.Folder {
					made[string(u.Places[c.In].Join(at))] = true
				}
				return true
			})
		}
	}
	for i := range list {
		c := &list[i]
		if c.Op != change.Replace || c.Kind() == tree.Symlink || c.In >= len(places) {
			continue
		}
		full := u.Places[c.In].Join(c.Path)
		if !by.Knows(string(full)) {
			continue
		}
		now, err := places[c.In].ReadFile(c.Path, maxRevised)
		if sum := digest.Bytes(now); err == nil && now != nil && sum != c.Was.Sum && sum != c.Sum {
			if data, ok := by.Without(string(full), now, func(at string) bool { return made[at] }); ok {
				c.Was.Sum, c.Content, c.Sum = sum, tree.Bytes(data), digest.Bytes(data)
				c.Old, c.HasOld, c.From = nil, false, ""
			}
		}
	}
}

// newer says whether a later record changed what this one did: its own paths, below
// some of the places.
func newer(j *journal.Journal, records []*journal.Record, r *journal.Record, own map[address.Address]bool, places []address.Address) error {
	for _, o := range slices.Backward(records) {
		// A record that was undone, and its undo, come to nothing.
		if o.Number <= r.Number || o.Undone() || o.Undoes >= r.Number || !near(o, places) {
			continue
		}
		theirs, at, err := j.Changes(o)
		if err != nil {
			return err
		}
		for i := range theirs {
			// What it made in a folder of ours, or did to a thing of ours.
			touched := EachPath(theirs[i:i+1], at, func(p address.Address) bool { return own[p] || own[p.Parent()] })
			if touched && !Over(&theirs[i], at) {
				return &NewerError{o, theirs[i].Path}
			}
		}
	}
	return nil
}

// Over reports whether a change has made a single file that is there no more, or holds something else by
// now: nothing depends on it, and there is nothing to take back. Places are those of its record.
func Over(c *change.Change, places []address.Address) bool {
	if c.Op != change.Make || c.Kind() == tree.Folder || c.In >= len(places) {
		return false
	}
	file, err := place.OpenFile(string(places[c.In].Join(c.Path)))
	if err != nil {
		return errors.Is(err, fs.ErrNotExist)
	}
	defer file.Close()
	sum, err := digest.Of(file)
	return err == nil && sum != change.Invert([]change.Change{*c})[0].Was.Sum
}

// AllOver reports whether a record has made nothing but files of which this is so.
func AllOver(j *journal.Journal, r *journal.Record) bool {
	if c := r.Count; c.Files == 0 || c.Folders+c.Replaced+c.Moved+c.Copied+c.Removed > 0 {
		return false
	}
	changes, places, err := j.Changes(r)
	return err == nil && !slices.ContainsFunc(changes, func(c change.Change) bool { return !Over(&c, places) })
}

// near reports whether a record has to do with the part of a disk that places are in.
func near(r *journal.Record, places []address.Address) bool {
	for _, p := range r.Places {
		for _, q := range places {
			if p.Within(q) || q.Within(p) {
				return true
			}
		}
	}
	return false
}

// EachPath calls stop for the absolute paths that changes touch, until it returns
// true, and reports whether it did.
func EachPath(changes []change.Change, places []address.Address, stop func(p address.Address) bool) bool {
	for i := range changes {
		c := &changes[i]
		if c.In < len(places) && stop(places[c.In].Join(c.Path)) {
			return true
		}
		if (c.Op == change.Move) && c.FromIn < len(places) && stop(places[c.FromIn].Join(c.From)) {
			return true
		}
	}
	return false
}

// needed leaves out the places that are not there any more and that no change is
// in: all that was done in them is elsewhere now.
func (u *Undo) needed(changes []change.Change, places []address.Address) ([]change.Change, []address.Address) {
	used := map[int]bool{}
	for i := range changes {
		c := &changes[i]
		if used[c.In] = true; c.Op == change.Move || c.Op == change.Copy {
			used[c.FromIn] = true
		}
	}
	var kept []address.Address
	at := map[int]int{}
	for i, p := range places {
		if used[i] || place.Exists(p) {
			at[i] = len(kept)
			kept = append(kept, p)
		}
	}
	if len(kept) == len(places) {
		return changes, places
	}
	changes = slices.Clone(changes)
	for i := range changes {
		changes[i].In, changes[i].FromIn = at[changes[i].In], at[changes[i].FromIn]
	}
	u.Roots = slices.DeleteFunc(u.Roots, func(r journal.Root) bool { _, there := at[r.In]; return !there })
	for i := range u.Roots {
		u.Roots[i].In = at[u.Roots[i].In]
	}
	return changes, kept
}
