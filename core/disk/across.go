package disk

import (
	"errors"
	"io"
	"strconv"

	"vestibula/core/change"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// movedTogether is how many files go to another disk before they are taken away here;
// tests have less.
var movedTogether = 512

// A passage is a file on its way to another disk.
type passage struct {
	*change.Change
	part      string     // its name in the work folder
	was, made tree.Entry // made has no identity until it has its name
	stays     bool       // the copy is not to be taken back
}

// moveOver moves the files that come first in a list, and go to another disk, there: all
// are copied and read back, then all are on the disk, then all have their names, and only
// then each is removed here. Done is how many have gone: zero, with no error, where the
// first two are no such files. The others are as they were.
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
		p, err := r.passage(&list[i], in, disk.Dev)
		if err != nil {
			return 0, err
		}
		if p == nil {
			break
		}
		p.part = partName + "move" + r.part + "-" + strconv.Itoa(i)
		over = append(over, p)
	}
	if len(over) < 2 {
		return 0, nil
	}
	defer func() {
		for _, p := range over[done:] {
			err = errors.Join(err, r.back(p, work))
		}
	}()
	for _, p := range over {
		if r.halted() {
			return 0, ErrStopped
		}
		if err := r.stageMove(p, work); err != nil {
			return 0, err
		}
	}
	if err := work.SyncDisk(); err != nil {
		return 0, err
	}
	for _, p := range over {
		if err := r.arrive(p, work); err != nil {
			return 0, err
		}
	}
	if err := work.SyncDisk(); err != nil {
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

// passage looks at a move; it is nil where that is none of a file to another disk, dev.
func (r *run) passage(c *change.Change, in int, dev uint64) (*passage, error) {
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
	to, _, err := r.folder(c.In, c.Path)
	if err != nil {
		return nil, err
	}
	if at, err := to.Look("."); err != nil || at.Dev != dev {
		return nil, err
	}
	return &passage{Change: c, was: was}, nil
}

// stageMove copies a file into the work folder, and reads it back.
func (r *run) stageMove(p *passage, work folder.Folder) error {
	from, name, err := r.folder(p.FromIn, p.From)
	if err != nil {
		return err
	}
	source, err := from.Open(name)
	if err != nil {
		return err
	}
	defer source.Close()
	_, err = write(folder.Fill, work, p.part, source, p.was)
	return err
}

// arrive gives the copy its name.
func (r *run) arrive(p *passage, work folder.Folder) error {
	to, as, err := r.folder(p.In, p.Path)
	if err != nil {
		return err
	}
	made, err := work.Look(p.part)
	if err == nil {
		if err = work.Move(p.part, to, as); err == nil {
			p.made = made
		}
	}
	return err
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
	err = from.Move(name, work, aside)
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
	back := work.Move(aside, from, name)
	switch {
	case back == nil:
		return err
	case same == nil: // it is gone by its name, and goes with the work folder
		return nil
	}
	return errors.Join(err, back, errAside, work.Move(aside, work, "changed"+r.part))
}

// back takes away what came about on the other disk, unless it is somebody else's by now.
func (r *run) back(p *passage, work folder.Folder) error {
	if p.stays {
		return nil
	}
	if p.made.Ino == 0 {
		_ = work.Remove(p.part, false)
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
func (r *run) moveAcross(from folder.Folder, name string, to folder.Folder, as string, c *change.Change) error {
	was, err := from.Look(name)
	if err != nil {
		return err
	}
	switch was.Kind {
	case tree.File:
		_, err = r.transfer(named{from, name}, named{to, as}, c.In, func(string) error { return nil })
	case tree.Symlink:
		var target string
		if target, err = from.Readlink(name); err == nil {
			err = to.Symlink(target, as)
		}
	default:
		err = folder.ErrAcross
	}
	if err != nil {
		return err
	}
	_ = to.Sync()
	made, err := to.Look(as)
	if err == nil {
		err = r.leave(c.FromIn, from, name, was)
	}
	if err == nil || errors.Is(err, errAside) {
		return err
	}
	if wrong := held(to, as, &change.State{Entry: made}); wrong != nil {
		return errors.Join(err, wrong) // somebody else's by now
	}
	return errors.Join(err, to.Remove(as, false))
}

// A named thing is, or comes to be, in an open folder under a name.
type named struct {
	folder.Folder
	name string
}

// transfer copies a file, with its time, permissions and attributes, reads the
// copy back, and gives it its name. Before that it tells the checksum.
func (r *run) transfer(from, to named, in int, tell func(sum string) error) (sum string, err error) {
	source, err := from.Open(from.name)
	if err != nil {
		return "", err
	}
	defer source.Close()
	was, err := source.Look()
	if err != nil {
		return "", err
	}
	work, err := r.work(in)
	if err != nil {
		return "", err
	}
	// A folder in the place may be another disk: there the copy is written in a hidden
	// file beside its name.
	part := partName + "copy" + r.part
	for _, near := range []folder.Folder{work, to.Folder} {
		if near == to.Folder {
			part = r.plan.Work + "-" + part
			if _, err := source.Seek(0, io.SeekStart); err != nil {
				return "", err
			}
		}
		if sum, err = write(folder.Write, near, part, source, was); err == nil {
			err = tell(sum)
		}
		if err == nil {
			err = near.Move(part, to.Folder, to.name)
		}
		if err == nil {
			return sum, nil
		}
		_ = near.Remove(part, false)
		if !errors.Is(err, folder.ErrAcross) {
			break
		}
	}
	return sum, err
}
