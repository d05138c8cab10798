package disk

import (
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// partName begins the names under which files are written, in the work folder of
// a run, before they get their own: a file is there as a whole or not at all,
// whenever the power goes.
const partName = "part-"

// token is a name that nobody else thinks of.
func token() string { return strings.ToLower(rand.Text()[:12]) }

// stage writes what a file is to hold into the work folder. It gets its name there
// when it is whole: so what was cut short is known by its name, and removed.
func (r *run) stage(c *change.Change) error {
	work, err := r.work(c.In)
	if err != nil {
		return err
	}
	_, staged := place.Split(c.From)
	err = folder.Write(work, partName+staged, 0o600, func(f folder.File) error {
		content, err := c.Content.Open()
		if err != nil {
			return &journal.ContentError{Source: c.Content.Source(), Err: err}
		}
		defer content.Close()
		_, err = io.Copy(f, content)
		return err
	})
	if err != nil {
		return err
	}
	return work.Move(partName+staged, work, staged)
}

// like gives what is staged for a file its permissions and attributes, or those
// that it had before.
func like(h folder.Folder, name string, other folder.Folder, staged string, c *change.Change) error {
	old, err := h.Open(name)
	if err != nil {
		return err
	}
	defer old.Close()
	was, err := old.Look()
	if err != nil {
		return err
	}
	f, err := other.Append(staged)
	if err != nil {
		return err
	}
	defer f.Close()
	if c.As.Mode != 0 {
		was.Mode = c.As.Mode
	}
	if err := dress(f, was.Mode, old.Attributes()); err != nil || c.As.Time == 0 {
		return err
	}
	return other.SetTime(staged, c.As.Time)
}

// dress gives a file its permissions, whatever the mask, and its attributes, as
// far as its disk has such.
func dress(f folder.File, mode fs.FileMode, attributes map[string][]byte) error {
	for name, value := range attributes {
		_ = f.SetAttribute(name, value)
	}
	return f.Chmod(mode)
}

// replace has a file change places with what was staged for it, and looks at
// what it held only then: whatever somebody writes into it, until that very
// moment, is found and given back.
func (r *run) replace(parent folder.Folder, name string, c *change.Change) error {
	aside, staged, err := r.folder(c.In, c.From)
	if err != nil {
		return err
	}
	if err := like(parent, name, aside, staged, c); err != nil {
		return err
	}
	if err := exchange(parent, name, aside, staged); err != nil {
		return err
	}
	sum, err := folder.Sum(aside, staged)
	if err == nil && sum == c.Was.Sum {
		return nil
	}
	if back := exchange(parent, name, aside, staged); back != nil {
		return back
	}
	if err == nil {
		err = ErrChanged
	}
	return err
}

// exchange gives two files each other's names. Where the system cannot do that at
// once, the first is out of its place for a moment.
func exchange(h folder.Folder, name string, other folder.Folder, second string) error {
	err := h.Swap(name, other, second)
	if !errors.Is(err, folder.ErrNoSwap) {
		return err
	}
	third := second + "-"
	if err := h.Move(name, other, third); err != nil {
		return err
	}
	if err := other.Move(second, h, name); err != nil {
		return errors.Join(err, other.Move(third, h, name))
	}
	return other.Move(third, other, second)
}

// held says whether something is still what it was when it was looked at.
func held(h folder.Folder, name string, was *change.State) error {
	if was.Time == 0 {
		return nil // it is this run's own
	}
	e, err := h.Look(name)
	if err == nil && !was.Same(e) {
		err = ErrChanged
	}
	return err
}

// remove removes an empty folder, or puts a file aside, so that it can be given
// back until the run has come to its end.
func (r *run) remove(i int, parent folder.Folder, name string, c *change.Change) error {
	if c.Was.Kind == tree.Folder {
		r.forgetFolder(c.In, c.Path)
		err := parent.Remove(name, true)
		if errors.Is(err, fs.ErrNotExist) && i < 0 {
			return nil
		}
		return err
	}
	if err := held(parent, name, &c.Was); err != nil {
		return err
	}
	aside := "gone"
	if c.From != "" {
		_, aside = place.Split(c.From)
	}
	work, err := r.work(c.In)
	if err != nil {
		return err
	}
	if err := r.rename(parent, name, work, aside, c); err != nil {
		return err
	}
	sum, err := folder.Sum(work, aside)
	if err == nil && c.Was.Sum != "" && sum != c.Was.Sum {
		err = ErrChanged
	}
	if err != nil {
		return errors.Join(err, r.rename(work, aside, parent, name, c))
	}
	if i < 0 { // what this run has made itself
		return work.Remove(aside, false)
	}
	return nil
}

// equal says whether what goes because the same lies elsewhere still does so.
func (r *run) equal(c *change.Change) error {
	parent, name, err := r.folder(c.In, c.Instead)
	if err != nil {
		return err
	}
	sum, err := folder.Sum(parent, name)
	if err == nil && sum != c.Was.Sum {
		err = fmt.Errorf("“%s” does not hold the same any more: %w", c.Instead, ErrChanged)
	}
	return err
}

// forgetFolder closes the folders at and below a path.
func (r *run) forgetFolder(in int, path string) {
	r.folders.close(func(key folderKey) bool {
		return key.in == in && (key.path == path || strings.HasPrefix(key.path, path+"/"))
	})
}

// moveAll carries out moves that have to do with no other change, several at a time.
func (r *run) moveAll(first, last int) (at string, err error) {
	movers := min(maxBuilders, runtime.GOMAXPROCS(0))
	each := (last - first + movers - 1) / movers
	upto := make([]int, movers) // how far each has come
	var group sync.WaitGroup
	var failing sync.Once
	var failed atomic.Bool
	for n := range movers {
		upto[n] = min(first+n*each, last)
		group.Go(func() {
			own := *r
			own.folders, own.part = openFolders{times: r.times}, strconv.Itoa(n)
			defer own.closeFolders()
			for end := min(upto[n]+each, last); upto[n] < end && !failed.Load() && !r.halted(); {
				c := &r.plan.List[upto[n]]
				done, wrong := own.moveOver(r.plan.List[upto[n]:min(end, upto[n]+movedTogether)])
				if done == 0 && wrong == nil {
					if wrong = own.one(upto[n], c); wrong == nil {
						done = 1
					}
				}
				upto[n] += done
				r.told(done)
				if wrong != nil {
					failing.Do(func() { at, err = c.Path, wrong })
					failed.Store(true)
					return
				}
			}
		})
	}
	group.Wait()
	if err == nil && r.halted() {
		at, err = r.plan.List[first].Path, ErrStopped
	}
	if err != nil {
		for n := range movers {
			r.partly = append(r.partly, r.plan.List[min(first+n*each, last):upto[n]]...)
		}
	}
	return at, err
}

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

// move gives something another name. Nothing takes the place of anything.
func (r *run) move(i int, to folder.Folder, as string, c *change.Change) error {
	from, name, err := r.folder(c.FromIn, c.From)
	if err != nil {
		return err
	}
	if i >= 0 {
		if err := held(from, name, &c.Was); err != nil {
			return err
		}
	}
	if err := r.rename(from, name, to, as, c); err != nil {
		return err
	}
	if c.Was.Kind == tree.Folder {
		r.forgetFolder(c.FromIn, c.From)
		r.forgetFolder(c.In, c.Path)
	}
	if c.Was.Sum == "" {
		return nil
	}
	sum, err := folder.Sum(to, as)
	if err == nil && sum != c.Was.Sum {
		err = ErrChanged
	}
	if err != nil {
		return errors.Join(err, r.rename(to, as, from, name, c))
	}
	return nil
}

// rename gives something another name, on whatever disk.
func (r *run) rename(from folder.Folder, name string, to folder.Folder, as string, c *change.Change) error {
	err := from.Move(name, to, as)
	if errors.Is(err, folder.ErrAcross) {
		return r.moveAcross(from, name, to, as, c)
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
		_, err = r.transfer(from, name, to, as, c.In, func(string) error { return nil })
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

// copy makes a file that is a copy of another one. What it holds is written down
// before it gets its name.
func (r *run) copy(i int, to folder.Folder, as string, c *change.Change) error {
	from, name, err := r.folder(c.FromIn, c.From)
	if err != nil {
		return err
	}
	if err := held(from, name, &c.Was); err != nil {
		return err
	}
	if part := partName + "share" + r.part; c.Shared != "" {
		if err := r.stageCopy(c, part); err != nil {
			return err
		}
		if r.number >= 0 && i >= 0 {
			if err := r.journal.Copied(r.number, map[int]string{r.lines[i]: c.Sum}); err != nil {
				return err
			}
		}
		return r.named(c, part)
	}
	c.Sum, err = r.transfer(from, name, to, as, c.In, func(sum string) error {
		if r.number < 0 || i < 0 {
			return nil
		}
		return r.journal.Copied(r.number, map[int]string{r.lines[i]: sum})
	})
	return err
}

// copiesTogether is how many files are copied before what they hold is written down, and
// they get their names; tests have less.
var copiesTogether = 1024

// copyAll carries out copies that have to do with no other change: several at a time
// are written into the work folder and read back, then what they hold is written down
// for all of them, and then they get their names.
func (r *run) copyAll(first, last int) (at string, err error) {
	list := r.plan.List[first:last]
	var next atomic.Int64
	var group sync.WaitGroup
	var failing sync.Once
	var failed atomic.Bool
	part := func(i int) string { return partName + "copy-" + strconv.Itoa(i) }
	for range min(maxBuilders, 2*runtime.GOMAXPROCS(0)) {
		group.Go(func() {
			own := *r
			own.folders = openFolders{times: r.times}
			defer own.closeFolders()
			for i := int(next.Add(1)) - 1; i < len(list) && !failed.Load() && !r.halted(); i = int(next.Add(1)) - 1 {
				if wrong := own.stageCopy(&list[i], part(i)); wrong != nil {
					failing.Do(func() { at, err = list[i].Path, wrong })
					failed.Store(true)
				}
			}
		})
	}
	group.Wait()
	if err == nil && r.halted() {
		at, err = list[0].Path, ErrStopped
	}
	if err != nil {
		return at, err
	}
	if at, err := r.syncCopies(list); err != nil {
		return at, err
	}
	sums := map[int]string{}
	for i := range list {
		if r.number >= 0 {
			sums[r.lines[first+i]] = list[i].Sum
		}
	}
	if len(sums) > 0 {
		if err := r.journal.Copied(r.number, sums); err != nil {
			return list[0].Path, err
		}
	}
	for i := range list {
		c := &list[i]
		if err := r.named(c, part(i)); err != nil {
			c.Sum = ""
			return c.Path, err
		}
		r.partly = append(r.partly, *c)
		r.told(1)
	}
	r.partly = nil
	return "", nil
}

// syncCopies has copies in work folders on their disks, where they are not already.
func (r *run) syncCopies(list []change.Change) (at string, err error) {
	synced := map[int]bool{}
	for i := range list {
		c := &list[i]
		if synced[c.In] || !folder.SyncsDisks {
			continue
		}
		synced[c.In] = true
		work, err := r.work(c.In)
		if err == nil {
			err = work.SyncDisk()
		}
		if err != nil {
			return c.Path, err
		}
	}
	return "", nil
}

// stageCopy writes a copy into the work folder of its place.
func (r *run) stageCopy(c *change.Change, part string) error {
	from, name, err := r.folder(c.FromIn, c.From)
	if err != nil {
		return err
	}
	if err := held(from, name, &c.Was); err != nil {
		return err
	}
	source, err := from.Open(name)
	if err != nil {
		return err
	}
	defer source.Close()
	was, err := source.Look()
	if err != nil {
		return err
	}
	work, err := r.work(c.In)
	if c.Shared != "" && err == nil {
		if err = r.share(from, name, source, was, work, part); err == nil {
			c.Sum = c.Shared
			return nil
		}
		if errors.Is(err, ErrChanged) {
			return err
		}
		c.Shared, err = "", nil
	}
	if err == nil {
		by := folder.Write
		if folder.SyncsDisks {
			by = folder.Fill
		}
		c.Sum, err = write(by, work, part, source, was)
	}
	return err
}

// share makes a copy that shares what it holds with its source, under a name of the run's
// own. What it made is gone where it fails.
func (r *run) share(from folder.Folder, name string, source folder.File, was tree.Entry, work folder.Folder, part string) error {
	if !r.noClones {
		err := folder.Fill(work, part, 0o600, func(f folder.File) error {
			if err := folder.Clone(f, source); err != nil {
				return err
			}
			return dress(f, was.Mode, source.Attributes())
		})
		if err == nil {
			err = work.SetTime(part, was.Time)
		}
		if err == nil {
			return nil
		}
		r.noClones = true
		_ = work.Remove(part, false)
	}
	if err := folder.Link(from, name, work, part); err != nil {
		return err
	}
	now, err := work.Look(part)
	if err == nil && (now.Ino != was.Ino || now.Dev != was.Dev) {
		err = ErrChanged
	}
	if err == nil && was.Mode&0o222 != 0 {
		err = source.Chmod(was.Mode.Perm() &^ 0o222)
	}
	if err != nil {
		_ = work.Remove(part, false)
	}
	return err
}

// named gives a copy in the work folder its name. In a folder that is another disk, it is
// made anew.
func (r *run) named(c *change.Change, part string) error {
	to, as, err := r.folder(c.In, c.Path)
	if err != nil {
		return err
	}
	work, err := r.work(c.In)
	if err != nil {
		return err
	}
	err = work.Move(part, to, as)
	if !errors.Is(err, folder.ErrAcross) {
		return err
	}
	sum := c.Sum
	if _, err = r.transfer(work, part, to, as, c.In, func(now string) error {
		if now != sum {
			return ErrChanged
		}
		return nil
	}); err == nil {
		err = work.Remove(part, false)
	}
	return err
}

// transfer copies a file, with its time, permissions and attributes, reads the
// copy back, and gives it its name. Before that it tells the checksum.
func (r *run) transfer(from folder.Folder, name string, to folder.Folder, as string, in int, tell func(sum string) error) (sum string, err error) {
	source, err := from.Open(name)
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
	for _, near := range []folder.Folder{work, to} {
		if near == to {
			part = r.plan.Work + "-" + part
			if _, err := source.Seek(0, io.SeekStart); err != nil {
				return "", err
			}
		}
		sum, err = r.transferBy(near, part, source, was, to, as, tell)
		if err == nil {
			break
		}
		_ = near.Remove(part, false)
		if !errors.Is(err, folder.ErrAcross) {
			break
		}
	}
	return sum, err
}

// transferBy writes a copy of a file under a hidden name first.
func (r *run) transferBy(near folder.Folder, part string, source folder.File, was tree.Entry, to folder.Folder, as string, tell func(sum string) error) (sum string, err error) {
	if sum, err = write(folder.Write, near, part, source, was); err != nil {
		return "", err
	}
	if err = tell(sum); err == nil {
		err = near.Move(part, to, as)
	}
	return sum, err
}

// write writes a copy of a file, with its time, permissions and attributes, under a name
// of the run's own, and reads it back. By says whether it is on the disk then.
func write(by func(folder.Folder, string, fs.FileMode, func(folder.File) error) error, near folder.Folder, part string, source folder.File, was tree.Entry) (sum string, err error) {
	err = by(near, part, 0o600, func(f folder.File) error {
		w := digest.NewWriter(f)
		if _, err := io.Copy(w, source); err != nil {
			return err
		}
		sum = w.Sum()
		return dress(f, was.Mode, source.Attributes())
	})
	if err == nil {
		err = near.SetTime(part, was.Time)
	}
	if err != nil {
		return "", err
	}
	now, err := source.Look()
	state := change.State{Entry: was}
	if err == nil && !state.Same(now) {
		err = ErrChanged
	}
	if err != nil {
		return "", err
	}
	back, err := folder.Sum(near, part)
	if err == nil && back != sum {
		err = errors.New("the copy does not read as it was written")
	}
	return sum, err
}
