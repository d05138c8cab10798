package disk

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// closeRecord writes the end of a record, and of those that it has finished.
func closeRecord(j *journal.Journal, r *journal.Record, p *Plan, places []*place.Place) error {
	for i := range r.Roots {
		root := &r.Roots[i]
		e, err := places[root.In].Look(string(root.Path))
		if root.Dev, root.Ino = e.Dev, e.Ino; err != nil {
			root.ID = "" // it is not there, and need not be looked for
		}
	}
	for _, n := range r.Continues {
		if err := j.Finish(n, journal.Continued, nil); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	if err := j.Finish(r.Number, journal.Done, r.Roots); err != nil {
		return err
	}
	if u := p.undoes; u != nil && u.End == journal.CutShort {
		return j.Finish(u.Number, journal.Done, nil)
	}
	return nil
}

// discardStaged removes from a work folder what a list was to put into files, or
// has put aside, and what was half written: only what is known by its checksum.
func discardStaged(h folder.Folder, list []change.Change, in int, work string) {
	for i := range list {
		c := &list[i]
		if dir, name := place.Split(c.From); c.In == in && dir == work && (c.Op == change.Replace || c.Op == change.Remove) {
			if sum, err := folder.Sum(h, name); err == nil && (c.HasOld && sum == c.Was.Sum || c.Op == change.Replace && sum == c.Sum) {
				_ = h.Remove(name, false)
			}
			_, third := place.Split(c.Third())
			if sum, err := folder.Sum(h, third); err == nil && c.HasOld && sum == c.Was.Sum && c.Op == change.Replace {
				_ = h.Remove(third, false)
			}
		}
	}
	discardParts(h)
}

// discardParts removes what was half written.
func discardParts(h folder.Folder) {
	entries, _ := h.List()
	for _, e := range entries {
		switch {
		case strings.HasPrefix(e.Name, partName):
			_ = h.Remove(e.Name, false)
		case strings.HasPrefix(e.Name, emptyName):
			_ = folder.RemoveEmpty(h, e.Name)
		}
	}
}

// discard removes a work folder with all that is kept in it.
func discard(root folder.Folder, work string) error {
	h, err := root.Folder(work)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	defer h.Close()
	entries, err := h.List()
	if err != nil {
		return err
	}
	for _, e := range entries {
		if strings.HasPrefix(e.Name, emptyName) && folder.RemoveEmpty(h, e.Name) == nil {
			continue
		}
		kept := strings.HasPrefix(e.Name, "kept-") || strings.HasPrefix(e.Name, "new-") || strings.HasPrefix(e.Name, "gone-") || strings.HasPrefix(e.Name, partName)
		if !kept || e.Kind != tree.File && e.Kind != tree.Symlink {
			return fmt.Errorf("“%s/%s” was on its way when the run was cut short: take that back first", work, e.Name)
		}
		if err := h.Remove(e.Name, false); err != nil {
			return err
		}
	}
	return folder.RemoveEmpty(root, work)
}

// Forget frees what a record keeps, and the record itself: it can no longer be
// taken back. Away are the places that are not here, as those on a disk that is not
// connected: what it keeps there stays.
func (w *Writer) Forget(j *journal.Journal, r *journal.Record) (away []string, err error) {
	var places []address.Address
	for _, p := range r.Places {
		if place.Exists(p) {
			places = append(places, p)
		} else {
			away = append(away, string(p))
		}
	}
	release, err := w.take(places)
	if err != nil {
		return away, err
	}
	defer release()
	for _, path := range places {
		place, err := place.Open(path)
		if err != nil {
			return away, err
		}
		err = discard(place.Root(), r.Work)
		place.Close()
		if err != nil {
			return away, err
		}
	}
	return away, j.Forget(r)
}

// Abandon closes a record of a run that was cut short before it had done anything, and removes
// what it had half written.
func (w *Writer) Abandon(j *journal.Journal, r *journal.Record) error {
	var paths []address.Address
	for _, p := range r.Places {
		if place.Exists(p) {
			paths = append(paths, p)
		}
	}
	release, err := w.take(paths)
	if err != nil {
		return err
	}
	defer release()
	plan := &Plan{}
	places, err := plan.open(paths)
	if err != nil {
		return err
	}
	defer closeAll(places)
	if begun, err := holdsOld(j, r, places); begun || err != nil {
		return errors.Join(errBegun, err)
	}
	tidy(j, r, places)
	return j.Finish(r.Number, journal.TakenBack, nil)
}

var errBegun = errors.New("something of it was done")

// holdsOld reports whether a work folder holds what lay under a person's name: then something was done,
// whatever else is seen.
func holdsOld(j *journal.Journal, r *journal.Record, places []*place.Place) (bool, error) {
	changes, paths, err := j.Changes(r)
	if err != nil {
		return false, err
	}
	for i := range changes {
		c := &changes[i]
		in := slices.IndexFunc(places, func(p *place.Place) bool { return c.In < len(paths) && p.Real == paths[c.In] })
		if in < 0 || c.Op != change.Replace && c.Op != change.Remove || c.From == "" {
			continue
		}
		for _, at := range []string{c.From, c.Third()} {
			if sum, err := places[in].Sum(at); err == nil && sum == c.Was.Sum && sum != c.Sum {
				return true, nil
			}
		}
	}
	return false, nil
}
