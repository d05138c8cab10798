package disk

import (
	"errors"
	"strconv"

	"vestibula/core/change"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// movedTogether is how many files go to another disk before they are taken away here;
// tests have less.
var movedTogether = 512

// moveOver moves the files that come first in a list, and go to another disk, there. Done is how
// many have gone: zero, with no error, where the first two are no such files. The others are as
// they were.
func (r *run) moveOver(list []change.Change) (done int, err error) {
	in := list[0].In
	if !folder.SyncsDisks || in == list[0].FromIn {
		return 0, nil
	}
	work, err := r.work(in)
	if err != nil {
		return 0, err
	}
	disk, err := work.Look(".")
	if err != nil {
		return 0, err
	}
	var over []*passage
	for i := range list {
		p, err := r.crossing(i, &list[i], in, disk.Dev)
		if err != nil {
			return 0, err
		}
		if p == nil {
			break
		}
		over = append(over, p)
	}
	if len(over) < 2 {
		return 0, nil
	}
	return r.cross(over)
}

// crossing looks at a move; it is nil where that is none of a file to another disk, dev.
func (r *run) crossing(i int, c *change.Change, in int, dev uint64) (*passage, error) {
	if c.Op != change.Move || c.In != in || c.FromIn == in || c.Was.Kind != tree.File || c.Was.Sum != "" {
		return nil, nil
	}
	from, name, err := r.folder(c.FromIn, c.From)
	if err != nil {
		return nil, err
	}
	if err := held(from, name, &c.Was); err != nil {
		return nil, err
	}
	was, err := from.Look(name)
	if err != nil || was.Dev == dev || was.Kind != tree.File {
		return nil, err
	}
	return &passage{Change: c, line: -1, part: partName + "move" + r.part + "-" + strconv.Itoa(i), was: was}, nil
}

// cross brings files to another disk: they are carried there, then all of that is on the disk,
// and only then each goes here, if nobody has changed it meanwhile. Done is how many have gone;
// of the others nothing is left there.
func (r *run) cross(over []*passage) (done int, err error) {
	defer func() {
		for _, p := range over[done:] {
			err = errors.Join(err, r.back(p))
		}
	}()
	if _, _, err := r.carry(over, crew{}); err != nil {
		return 0, err
	}
	if err := r.settled(over); err != nil {
		return 0, err
	}
	for _, p := range over {
		from, name, err := r.folder(p.FromIn, p.From)
		if err == nil {
			err = r.leave(p.FromIn, from, name, p.was)
		}
		if err != nil {
			p.stays = errors.Is(err, errAside)
			return done, err
		}
		done++
	}
	return done, nil
}

// settled brings the names of files to the disk.
func (r *run) settled(over []*passage) error {
	if _, err := r.synced(over); err != nil || len(over) > 1 && folder.SyncsDisks {
		return err
	}
	for _, p := range over {
		to, _, err := r.folder(p.In, p.Path)
		if err != nil {
			return err
		}
		_ = to.Sync() // not every folder can
	}
	return nil
}

// errAside says that a file that was to leave is neither gone nor back in its place: its copy
// stays.
var errAside = errors.New("it could not be put back in its place")

// leave removes what has gone to another disk, if nobody has changed it meanwhile. It is
// put aside first: what nobody finds by its name any more, nobody writes to between the last
// look and its end.
func (r *run) leave(in int, from folder.Folder, name string, was tree.Entry) error {
	state := change.State{Entry: was}
	if err := held(from, name, &state); err != nil {
		return err
	}
	work, err := r.work(in)
	if err != nil { // nothing can be put aside in a place that is not to be changed itself
		return from.Remove(name, false)
	}
	aside := partName + "left" + r.part
	err = folder.Move(from, name, work, aside)
	if errors.Is(err, folder.ErrAcross) { // nor where a folder in the place is another disk
		return from.Remove(name, false)
	}
	if err != nil {
		return err
	}
	same := held(work, aside, &state)
	if err = same; err == nil {
		err = work.Remove(aside, false)
	}
	if err == nil {
		return nil
	}
	back := folder.Move(work, aside, from, name)
	switch {
	case back == nil:
		return err
	case same == nil: // it is gone by its name, and goes with the work folder
		return nil
	}
	return errors.Join(err, back, errAside, folder.Move(work, aside, work, "changed"+r.part))
}

// back takes away what came about on the other disk, unless it is somebody else's by now.
func (r *run) back(p *passage) error {
	if p.stays {
		return nil
	}
	if p.made.Name == "" {
		if work, err := r.work(p.In); err == nil {
			_ = work.Remove(p.part, false)
		}
		return nil
	}
	to, as, err := r.folder(p.In, p.Path)
	if err == nil {
		err = held(to, as, &change.State{Entry: p.made})
	}
	if err == nil {
		err = to.Remove(as, false)
	}
	return err
}

// moveAcross moves a file or a link to another disk: it is copied, read back, and
// only then removed, if nobody has changed it meanwhile. A folder is moved entry
// by entry.
func (r *run) moveAcross(from, to change.At) error {
	in, name, err := r.folder(from.In, from.Path)
	if err != nil {
		return err
	}
	was, err := in.Look(name)
	if err != nil {
		return err
	}
	switch was.Kind {
	case tree.File:
		c := &change.Change{Op: change.Move, FromIn: from.In, From: from.Path, In: to.In, Path: to.Path}
		_, err = r.cross([]*passage{{Change: c, line: -1, part: partName + "move" + r.part, was: was}})
		return err
	case tree.Symlink:
		return r.linkAcross(from, to, was)
	}
	return folder.ErrAcross
}

// linkAcross moves a link to another disk.
func (r *run) linkAcross(from, to change.At, was tree.Entry) error {
	in, name, err := r.folder(from.In, from.Path)
	if err != nil {
		return err
	}
	there, as, err := r.folder(to.In, to.Path)
	if err != nil {
		return err
	}
	target, err := in.Readlink(name)
	if err == nil {
		err = there.Symlink(target, as)
	}
	if err != nil {
		return err
	}
	_ = there.Sync() // not every folder can
	made, err := there.Look(as)
	if err == nil {
		err = r.leave(from.In, in, name, was)
	}
	if err == nil || errors.Is(err, errAside) {
		return err
	}
	if wrong := held(there, as, &change.State{Entry: made}); wrong != nil {
		return errors.Join(err, wrong) // somebody else's by now
	}
	return errors.Join(err, there.Remove(as, false))
}
