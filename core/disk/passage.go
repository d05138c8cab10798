package disk

import (
	"errors"
	"io"
	"io/fs"
	"iter"
	"runtime"
	"strconv"
	"sync"
	"sync/atomic"

	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/pool"
	"vestibula/core/tree"
)

// A passage is a file on its way to its name: a copy of another one, or of what a content
// gives. All of them go one way: they are written under hidden names and read back, then they
// are on the disk, then what they hold is written down, and only then each gets its name. Of a
// move to another disk, the source goes after that.
type passage struct {
	*change.Change
	line   int    // of the record; -1 where nothing is noted of it
	part   string // its name in the work folder
	sum    string // of what it holds, when it is written
	linked bool   // it has its name already, as another name of its source

	was, made tree.Entry // of a move: the source, and the copy when it has its name
	stays     bool       // the copy is not to be taken back
}

// A filler writes a file under a hidden name: [folder.Write], behind which it is on the disk,
// or [folder.Fill].
type filler func(in folder.Folder, name string, mode fs.FileMode, fill func(f folder.File) error) error

// filling is how so many files are written. Many are brought to the disk together.
func filling(n int) filler {
	if n > 1 && folder.SyncsDisks {
		return folder.Fill
	}
	return folder.Write
}

// A crew is how many work at passages, and how many one takes at a time.
type crew struct{ workers, together int }

// carry brings files to their names. It returns how many have them: the first ones, and those
// that are linked.
func (r *run) carry(list []*passage, by crew) (named int, at string, err error) {
	if at, err = r.stageAll(list, by); err != nil {
		return 0, at, err
	}
	if at, err = r.synced(list); err != nil {
		return 0, at, err
	}
	sums := map[int]string{}
	for _, p := range list {
		if p.line >= 0 && !p.linked {
			sums[p.line] = p.sum
		}
	}
	if len(sums) > 0 {
		if err = r.journal.Copied(r.number, sums); err != nil {
			return 0, list[0].Path, err
		}
	}
	for i, p := range list {
		if p.linked {
			continue
		}
		to, as, err := r.folder(p.In, p.Path)
		if err == nil {
			var made *tree.Entry
			if p.Op == change.Move {
				made = &p.made
			}
			err = r.arrive(p, to, as, made)
		}
		if err != nil {
			return i, p.Path, err
		}
		if p.Op == change.Copy {
			p.Sum = p.sum
		}
	}
	return len(list), "", nil
}

// stageAll writes files into the work folders of their places.
func (r *run) stageAll(list []*passage, by crew) (at string, err error) {
	fill := filling(len(list))
	if len(list) > 1 && r.far(list[0].In) {
		by = crew{r.hands(list[0].In), 1}
	}
	if by.workers < 2 {
		for _, p := range list {
			if r.halted() {
				return p.Path, ErrStopped
			}
			if err := r.stageFile(p, fill); err != nil {
				return p.Path, err
			}
		}
		return "", nil
	}
	var failing sync.Once
	var failed atomic.Bool
	pool.With(min(max(maxBuilders, r.hands(list[0].In)), by.workers), len(list), by.together, func(numbers iter.Seq[int]) {
		own := *r
		own.folders = openFolders{times: r.times}
		defer own.closeFolders()
		for i := range numbers {
			if failed.Load() || r.halted() {
				return
			}
			if wrong := own.stageFile(list[i], fill); wrong != nil {
				failing.Do(func() { at, err = list[i].Path, wrong })
				failed.Store(true)
			}
		}
	})
	if err == nil && r.halted() {
		at, err = list[0].Path, ErrStopped
	}
	return at, err
}

// synced brings what was written into work folders to their disks, where it is not there
// already.
func (r *run) synced(list []*passage) (at string, err error) {
	if len(list) == 1 || !folder.SyncsDisks {
		return "", nil
	}
	done := map[int]bool{}
	for _, p := range list {
		if done[p.In] {
			continue
		}
		done[p.In] = true
		work, err := r.work(p.In)
		if err == nil {
			err = work.SyncDisk()
		}
		if err != nil {
			return p.Path, err
		}
	}
	return "", nil
}

// stageFile writes a file into the work folder of its place. A copy that may share what it
// holds with its source is a clone of it, or at once another name of the same file.
func (r *run) stageFile(p *passage, by filler) error {
	c := p.Change
	if c.Shared != "" && !r.noClones.Load() {
		if err := r.stageCopy(p, func(source folder.File, was tree.Entry, work folder.Folder) error {
			return clone(by, source, was, work, p.part)
		}); err == nil || errors.Is(err, ErrChanged) {
			p.sum = c.Shared
			return err
		}
		r.noClones.Store(true)
	}
	if c.Shared != "" {
		var err error
		if p.linked, err = r.linkCopy(c); p.linked || err != nil {
			return err
		}
		c.Shared = ""
	}
	if c.From == "" {
		return r.stageContent(p, by)
	}
	if err := r.stageWithin(p); !errors.Is(err, errors.ErrUnsupported) {
		return err
	}
	return r.stageCopy(p, func(source folder.File, was tree.Entry, work folder.Folder) (err error) {
		p.sum, err = write(by, work, p.part, source, was)
		return err
	})
}

// stageWithin asks the store to make the copy by itself; it is read back all the same.
func (r *run) stageWithin(p *passage) error {
	if !r.far(p.In) || !r.far(p.FromIn) {
		return errors.ErrUnsupported
	}
	return r.stageCopy(p, func(source folder.File, was tree.Entry, work folder.Folder) error {
		from, name, err := r.folder(p.FromIn, p.From)
		if err == nil {
			err = folder.CopyWithin(from, name, work, p.part)
		}
		if err != nil {
			return err
		}
		made, err := work.Look(p.part)
		if err == nil && made.Size != was.Size {
			err = errUnlike
		}
		if err == nil {
			p.sum, err = folder.Sum(work, p.part)
		}
		now, wrong := source.Look()
		state := change.State{Entry: was}
		if wrong == nil && !state.Same(now) {
			wrong = ErrChanged
		}
		return errors.Join(err, wrong)
	})
}

// stageCopy makes a copy in the work folder of its place.
func (r *run) stageCopy(p *passage, by func(source folder.File, was tree.Entry, work folder.Folder) error) error {
	from, name, err := r.folder(p.FromIn, p.From)
	if err != nil {
		return err
	}
	if err := held(from, name, &p.Was); err != nil {
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
	if p.As.Mode != 0 { // what is to be shared is read-only
		was.Mode = p.As.Mode
	}
	work, err := r.work(p.In)
	if err != nil {
		return err
	}
	return by(source, was, work)
}

// stageContent writes what a content gives into the work folder of its place, and reads it
// back.
func (r *run) stageContent(p *passage, by filler) error {
	work, err := r.work(p.In)
	if err != nil {
		return err
	}
	if p.sum, err = r.writeContent(by, work, p.part, p.Content, p.As); err != nil {
		return err
	}
	proven, proves := p.Content.(change.Proven)
	if !proves {
		return readsAs(work, p.part, p.sum)
	}
	written, err := work.Open(p.part)
	if err != nil {
		return err
	}
	defer written.Close()
	return proven.Prove(halting{written, r})
}

// writeContent writes what a content gives, nil for nothing, under a hidden name, and gives it
// what it is to bear. It stops where the run is stopped.
func (r *run) writeContent(by filler, in folder.Folder, part string, content tree.Content, as change.Dress) (sum string, err error) {
	err = by(in, part, 0o666, func(f folder.File) error {
		w := digest.NewWriter(f)
		if content != nil {
			source, err := content.Open()
			if err != nil {
				return &journal.ContentError{Source: content.Source(), Err: err}
			}
			defer source.Close()
			if _, err := io.Copy(w, halting{source, r}); err != nil {
				return err
			}
		}
		if sum = w.Sum(); as.Mode != 0 {
			return f.Chmod(as.Mode)
		}
		return nil
	})
	if err == nil && as.Time != 0 {
		err = folder.Date(in, part, as.Time)
	}
	return sum, err
}

// write writes a copy of a file, with its time, permissions and attributes, under a hidden
// name, and reads it back.
func write(by filler, in folder.Folder, part string, source folder.File, was tree.Entry) (sum string, err error) {
	err = by(in, part, 0o600, func(f folder.File) error {
		w := digest.NewWriter(f)
		if _, err := io.Copy(w, source); err != nil {
			return err
		}
		sum = w.Sum()
		return dress(f, was.Mode, source.Attributes())
	})
	if err == nil {
		err = folder.Date(in, part, was.Time)
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
	return sum, readsAs(in, part, sum)
}

var errUnlike = errors.New("the copy does not read as it was written")

// readsAs reads a file back that was just written.
func readsAs(in folder.Folder, name, sum string) error {
	back, err := folder.Sum(in, name)
	if err == nil && back != sum {
		err = errUnlike
	}
	return err
}

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

// arrive gives a file in the work folder its name. In a folder of the place that is another
// disk it is made anew, under a hidden name beside that. Made, unless it is nil, becomes what
// has the name then; where it fails, nothing of the file is left.
func (r *run) arrive(p *passage, to folder.Folder, as string, made *tree.Entry) error {
	work, err := r.work(p.In)
	if err != nil {
		return err
	}
	name := func(in folder.Folder, part string) error {
		is := tree.Entry{}
		if made != nil {
			if is, err = in.Look(part); err != nil {
				return err
			}
		}
		err := folder.Move(in, part, to, as)
		if err == nil && made != nil {
			*made = is
		}
		return err
	}
	if err = name(work, p.part); !errors.Is(err, folder.ErrAcross) {
		if err != nil {
			_ = work.Remove(p.part, false)
		}
		return err
	}
	beside := r.plan.Work + "-" + p.part
	if err = again(work, p.part, p.sum, to, beside); err == nil {
		err = name(to, beside)
	}
	if err != nil {
		_ = to.Remove(beside, false)
	}
	_ = work.Remove(p.part, false)
	return err
}

// again writes a file once more, on another disk. It must hold what it held.
func again(from folder.Folder, name, sum string, to folder.Folder, as string) error {
	source, err := from.Open(name)
	if err != nil {
		return err
	}
	defer source.Close()
	was, err := source.Look()
	if err != nil {
		return err
	}
	now, err := write(folder.Write, to, as, source, was)
	if err == nil && now != sum {
		err = ErrChanged
	}
	return err
}

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

// copyAll carries out copies that have to do with no other change, several at a time.
func (r *run) copyAll(first, last int) (at string, err error) {
	list := make([]*passage, last-first)
	for i := range list {
		list[i] = r.copying(first+i, &r.plan.List[first+i])
	}
	by := crew{2 * runtime.GOMAXPROCS(0), 1}
	if list[0].Shared != "" && r.noClones.Load() {
		by = crew{runtime.GOMAXPROCS(0), nextCopies}
	}
	named, at, err := r.carry(list, by)
	if err != nil {
		for i, p := range list {
			if p.linked || i < named {
				r.partly = append(r.partly, *p.Change)
			}
		}
		return at, err
	}
	r.told(len(list))
	return "", nil
}

// copying is the passage of a copy; i is its number in the list, or -1 while things are taken
// back.
func (r *run) copying(i int, c *change.Change) *passage {
	p := &passage{Change: c, line: -1, part: partName + "copy" + r.part + "-" + strconv.Itoa(i)}
	if r.number >= 0 && i >= 0 {
		p.line = r.lines[i]
	}
	return p
}

// copy makes a single file that is a copy.
func (r *run) copy(i int, c *change.Change) error {
	_, _, err := r.carry([]*passage{r.copying(i, c)}, crew{})
	return err
}

// linkCopy makes a copy as another name of its source, where files can have two names and nobody
// may write into that one. What it holds is in the record already. Linked says that it is there now.
func (r *run) linkCopy(c *change.Change) (linked bool, err error) {
	from, name, err := r.folder(c.FromIn, c.From)
	if err != nil {
		return false, err
	}
	was, err := from.Look(name)
	if err == nil && c.Was.Time != 0 && !c.Was.Same(was) {
		err = ErrChanged
	}
	if err != nil || was.Mode&0o222 != 0 { // its rights are not changed: it is copied
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
