package disk

import (
	"errors"
	"io"
	"io/fs"
	"runtime"
	"strconv"
	"sync"
	"sync/atomic"

	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/tree"
)

// copy makes a file that is a copy of another one. What it holds is written down
// before it gets its name.
func (r *run) copy(i int, to folder.Folder, as string, c *change.Change) error {
	if part := partName + "share" + r.part; c.Shared != "" || c.From == "" {
		if linked, err := r.prepareCopy(c, part); linked || err != nil {
			return err
		}
		if _, err := r.syncCopies([]change.Change{*c}); err != nil {
			return err
		}
		if r.number >= 0 && i >= 0 {
			if err := r.journal.Copied(r.number, map[int]string{r.lines[i]: c.Sum}); err != nil {
				return err
			}
		}
		return r.named(c, part)
	}
	from, name, err := r.folder(c.FromIn, c.From)
	if err != nil {
		return err
	}
	if err := held(from, name, &c.Was); err != nil {
		return err
	}
	c.Sum, err = r.transfer(named{from, name}, named{to, as}, c.In, func(sum string) error {
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

// copiesFrom is how many copies at the begin of a list are made before it is noted that they
// are: of those that may share what they hold, first one, to see whether that can be cloned.
func (r *run) copiesFrom(list []change.Change) int {
	shared := list[0].Shared != ""
	if shared && !r.cloned {
		r.cloned = true
		return 1
	}
	n := 1
	for n < min(len(list), copiesTogether) && (list[n].Shared != "") == shared {
		n++
	}
	return n
}

// nextCopies is how many copies one takes at a time that only get another name: mostly
// those of one folder, so that several do not wait for each other there.
const nextCopies = 256

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
	linked := make([]bool, len(list)) // which have their names already
	workers, together := 2*runtime.GOMAXPROCS(0), 1
	if list[0].Shared != "" && r.noClones.Load() {
		workers, together = runtime.GOMAXPROCS(0), nextCopies
	}
	for range min(maxBuilders, workers) {
		group.Go(func() {
			own := *r
			own.folders = openFolders{times: r.times}
			defer own.closeFolders()
			for first := int(next.Add(int64(together))) - together; first < len(list); first = int(next.Add(int64(together))) - together {
				for i := first; i < min(first+together, len(list)) && !failed.Load() && !r.halted(); i++ {
					var wrong error
					if linked[i], wrong = own.prepareCopy(&list[i], part(i)); wrong != nil {
						failing.Do(func() { at, err = list[i].Path, wrong })
						failed.Store(true)
					}
				}
			}
		})
	}
	group.Wait()
	if err == nil && r.halted() {
		at, err = list[0].Path, ErrStopped
	}
	named := 0
	defer func() {
		for i := 0; err != nil && i < len(list); i++ {
			if linked[i] || i < named {
				r.partly = append(r.partly, list[i])
			}
		}
	}()
	if err != nil {
		return at, err
	}
	if at, err = r.syncCopies(list); err != nil {
		return at, err
	}
	sums := map[int]string{}
	for i := range list {
		if r.number >= 0 && !linked[i] {
			sums[r.lines[first+i]] = list[i].Sum
		}
	}
	if len(sums) > 0 {
		if err = r.journal.Copied(r.number, sums); err != nil {
			return list[0].Path, err
		}
	}
	for named = range list {
		c := &list[named]
		if linked[named] {
			continue
		}
		if err = r.named(c, part(named)); err != nil {
			c.Sum = ""
			return c.Path, err
		}
	}
	r.told(len(list))
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

// prepareCopy writes a copy into the work folder of its place, or makes it at once as
// another name of its source, where it may share what it holds with that: linked says so.
func (r *run) prepareCopy(c *change.Change, part string) (linked bool, err error) {
	if c.Shared != "" && !r.noClones.Load() {
		if err := r.stageCopy(c, part, r.clone); err == nil || errors.Is(err, ErrChanged) {
			c.Sum = c.Shared
			return false, err
		}
		r.noClones.Store(true)
	}
	if c.Shared != "" {
		if linked, err := r.linkCopy(c); linked || err != nil {
			return linked, err
		}
		c.Shared = ""
	}
	if c.From == "" {
		return false, r.stageContent(c, part)
	}
	return false, r.stageCopy(c, part, func(source folder.File, was tree.Entry, work folder.Folder, part string) (err error) {
		by := folder.Write
		if folder.SyncsDisks {
			by = folder.Fill
		}
		c.Sum, err = write(by, work, part, source, was)
		return err
	})
}

// stageCopy has a copy made in the work folder of its place.
func (r *run) stageCopy(c *change.Change, part string, by func(source folder.File, was tree.Entry, work folder.Folder, part string) error) error {
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
	if err != nil {
		return err
	}
	return by(source, was, work, part)
}

// stageContent writes what a content gives into the work folder of its place, and reads it
// back.
func (r *run) stageContent(c *change.Change, part string) error {
	work, err := r.work(c.In)
	if err != nil {
		return err
	}
	by := folder.Write
	if folder.SyncsDisks {
		by = folder.Fill
	}
	err = by(work, part, 0o666, func(f folder.File) error {
		content, err := c.Content.Open()
		if err != nil {
			return &journal.ContentError{Source: c.Content.Source(), Err: err}
		}
		defer content.Close()
		w := digest.NewWriter(f)
		if _, err := io.Copy(w, halting{content, r}); err != nil {
			return err
		}
		if c.Sum = w.Sum(); c.As.Mode != 0 {
			return f.Chmod(c.As.Mode)
		}
		return nil
	})
	if err == nil && c.As.Time != 0 {
		err = work.SetTime(part, c.As.Time)
	}
	if err != nil {
		return err
	}
	proven, proves := c.Content.(change.Proven)
	if !proves {
		back, err := folder.Sum(work, part)
		if err == nil && back != c.Sum {
			err = errUnlike
		}
		return err
	}
	written, err := work.Open(part)
	if err != nil {
		return err
	}
	defer written.Close()
	return proven.Prove(halting{written, r})
}

var errUnlike = errors.New("the copy does not read as it was written")

// A halting reader ends when its run is stopped.
type halting struct {
	io.Reader
	run *run
}

func (h halting) Read(b []byte) (int, error) {
	if h.run.halted() {
		return 0, ErrStopped
	}
	return h.Reader.Read(b)
}

// Seek is that of the reader.
func (h halting) Seek(offset int64, whence int) (int64, error) {
	return h.Reader.(io.Seeker).Seek(offset, whence)
}

// clone makes a copy that shares what it holds with its source, under a name of the run's
// own. What it made is gone where it fails.
func (r *run) clone(source folder.File, was tree.Entry, work folder.Folder, part string) error {
	err := folder.Fill(work, part, 0o600, func(f folder.File) error {
		if err := folder.Clone(f, source); err != nil {
			return err
		}
		return dress(f, was.Mode, source.Attributes())
	})
	if err == nil {
		err = work.SetTime(part, was.Time)
	}
	if err != nil {
		_ = work.Remove(part, false)
	}
	return err
}

// linkCopy makes a copy as another name of its source, which nobody may write into then,
// where files can have two names. What it holds is in the record already. Linked says that
// it is there now.
func (r *run) linkCopy(c *change.Change) (linked bool, err error) {
	from, name, err := r.folder(c.FromIn, c.From)
	if err != nil {
		return false, err
	}
	was, err := from.Look(name)
	if err == nil && c.Was.Time != 0 && !c.Was.Same(was) {
		err = ErrChanged
	}
	if err == nil && was.Mode&0o222 != 0 {
		err = shut(from, name, was)
	}
	if err != nil {
		return false, err
	}
	to, as, err := r.folder(c.In, c.Path)
	if err != nil {
		return false, err
	}
	switch err := folder.Link(from, name, to, as); {
	case errors.Is(err, fs.ErrExist):
		return false, err
	case err != nil:
		return false, nil // it is copied
	}
	now, err := to.Look(as)
	if err == nil && (now.Ino != was.Ino || now.Dev != was.Dev) {
		err = ErrChanged
	}
	c.Sum = c.Shared
	return true, err
}

// shut makes a file one that nobody may write into.
func shut(in folder.Folder, name string, was tree.Entry) error {
	f, err := in.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	now, err := f.Look()
	if err == nil && (now.Ino != was.Ino || now.Dev != was.Dev) {
		err = ErrChanged
	}
	if err == nil {
		err = f.Chmod(was.Mode.Perm() &^ 0o222)
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
	if _, err = r.transfer(named{work, part}, named{to, as}, c.In, func(now string) error {
		if now != sum {
			return ErrChanged
		}
		return nil
	}); err == nil {
		err = work.Remove(part, false)
	}
	return err
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
		err = errUnlike
	}
	return sum, err
}
