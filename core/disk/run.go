package disk

import (
	"errors"
	"io/fs"
	"maps"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"vestibula/core/change"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// A run carries one plan out.
type run struct {
	writer  *Writer
	plan    *Plan
	places  []*place.Place
	journal *journal.Journal
	number  int   // of the record; -1 where there is none
	lines   []int // of the record, by the numbers of changes
	folders openFolders
	upto    int             // so many changes of the plan are done
	partly  []change.Change // what was made of those after it

	times    *folderTimes
	noClones *atomic.Bool // a disk cannot have files share what they hold
	cloned   bool         // that was tried
	part     string       // tells the half-written files of several movers apart
	works    *workFolders
}

// The workFolders are the hidden folders of a run that are open, by the numbers of
// their places.
type workFolders struct {
	mutex sync.Mutex
	open  map[int]folder.Folder
}

type folderKey struct {
	in   int
	path string
}

func (r *run) halted() bool {
	select {
	case <-r.writer.Stop:
		return true
	default:
		return false
	}
}

func (r *run) told(n int) {
	if r.writer.Done != nil {
		r.writer.Done(n)
	}
}

// carryOut does what the plan says, or takes back what of it was done.
func (r *run) carryOut(roots []journal.Root) error {
	r.works = &workFolders{open: map[int]folder.Folder{}}
	r.folders = openFolders{times: r.times}
	for _, p := range r.places {
		r.times.note(p.Root()) // work folders come and go in it
	}
	defer r.settle()
	if r.plan.finishes != nil {
		r.leftOver()
	}
	unfinished := r.unfinished()
	r.under(unfinished)
	at, err := r.all()
	if err == nil && r.halted() {
		at, err = string(r.plan.Places[0]), ErrStopped
	}
	if err == nil {
		at, err = r.whole(unfinished)
	}
	if err == nil {
		r.plan.Untidy = !r.tidy(true)
		return nil
	}
	failed, alone := &ApplyError{Path: at, Err: err}, true
	if (r.writer.Keep || r.plan.finishes != nil) && r.number >= 0 {
		r.tidy(false)
		failed.Kept = true
		return failed
	}
	r.times.allAgain()
	for _, c := range change.Invert(append(r.plan.List[:r.upto:r.upto], r.partly...)) {
		// What cannot be taken back stays, and what was done before it: the disk is
		// as it was at some moment of the run, and can be taken back from there. A
		// folder that somebody has put something into harms nobody.
		if len(failed.Left) > 0 && !alone {
			failed.Left = append(failed.Left, c.Path)
			continue
		}
		err := r.one(-1, &c)
		if err != nil && !(errors.Is(err, fs.ErrNotExist) && r.present(c.In)) {
			alone = c.Op == change.Remove
			failed.Left = append(failed.Left, c.Path)
		}
	}
	failed.untidy = !r.tidy(false)
	return failed
}

// far reports whether a place lies where more can be done at a time than there are processors.
func (r *run) far(in int) bool { return folder.Hands(r.places[in].Root(), 1) > 1 }

// hands is how many work in a place at a time.
func (r *run) hands(in int) int {
	return folder.Hands(r.places[in].Root(), min(maxBuilders, runtime.GOMAXPROCS(0)))
}

// present reports whether a place is still there: where its disk has gone, nothing in it is found, and
// yet nothing was taken back.
func (r *run) present(in int) bool {
	dev, ino, err := place.Identity(r.plan.Places[in])
	if _, wrong := r.places[in].Root().Look("."); err != nil || wrong != nil {
		return false
	}
	return r.plan.identities == nil || r.plan.identities[in] == [2]uint64{dev, ino}
}

// unfinished are the names that folders bear until the run has ended, by their places.
func (r *run) unfinished() map[int]map[string]string {
	names := map[int]map[string]string{}
	for in, known := range r.plan.meanwhile {
		if r.plan.finishes != nil && len(known) > 0 {
			names[in] = known
		}
	}
	leaves := map[folderKey]bool{} // what bears a name that it loses
	for i := range r.plan.List {
		switch c := &r.plan.List[i]; c.Op {
		case change.Move:
			leaves[folderKey{c.FromIn, c.From}] = true
		case change.Remove:
			leaves[folderKey{c.In, c.Path}] = true
		}
	}
	for i := range r.plan.List {
		c := &r.plan.List[i]
		if !c.Whole || c.Op != change.Make || leaves[folderKey{c.In, c.Path}] {
			continue
		}
		if _, err := r.places[c.In].Look(c.Path); err != nil { // else what is there has to go first, by its name
			if names[c.In] == nil {
				names[c.In] = map[string]string{}
			}
			names[c.In][c.Path] = c.Meanwhile()
		}
	}
	return names
}

// under gives folders these names from now on.
func (r *run) under(unfinished map[int]map[string]string) {
	for in, names := range unfinished {
		r.places[in].Under(names)
	}
}

// whole gives the folders that are whole by now their own names.
func (r *run) whole(unfinished map[int]map[string]string) (at string, err error) {
	if len(unfinished) == 0 {
		return "", nil
	}
	r.closeFolders()
	for in, names := range unfinished {
		r.places[in].Under(nil)
		for _, at := range slices.Sorted(maps.Keys(names)) {
			parent, name, err := r.folder(in, at)
			if err == nil {
				err = folder.Move(parent, names[at], parent, name)
			}
			if err != nil {
				r.closeFolders()
				r.under(unfinished)
				return at, err
			}
		}
	}
	return "", nil
}

// all carries out the changes. New contents of files are staged first: that they
// can be written is only known by writing them.
func (r *run) all() (at string, err error) {
	list := r.plan.List
	for i := range list {
		if c := &list[i]; c.Op == change.Replace && c.Content != nil {
			if r.halted() {
				return c.Path, ErrStopped
			}
			if err := r.stage(c); err != nil {
				return c.Path, err
			}
		}
	}
	for i := 0; i < len(list); {
		if r.halted() {
			return list[i].Path, ErrStopped
		}
		n := change.Together(list, i)
		switch c := &list[i]; {
		case c.Op == change.Make:
			at, err = r.makeAll(list[i:n])
		case c.Op == change.Copy && c.Loose:
			n = i + r.copiesFrom(list[i:n])
			at, err = r.copyAll(i, n)
		case n-i > enough || n-i > 1 && (c.In != c.FromIn || r.far(c.In)):
			at, err = r.moveAll(i, n)
		default:
			n = i + 1
			at, err = c.Path, r.one(i, c)
			r.told(1)
		}
		if err != nil {
			return at, err
		}
		i, r.upto = n, n
	}
	return "", nil
}

// one carries a change out; i is its number in the list, or -1 while things are
// taken back.
func (r *run) one(i int, c *change.Change) error {
	if c.Equal && i >= 0 {
		if err := r.equal(c); err != nil {
			return err
		}
	}
	parent, name, err := r.folder(c.In, c.Path)
	if err != nil {
		return err
	}
	switch c.Op {
	case change.Make:
		return r.makeAgain(parent, name, c)
	case change.Replace:
		return r.replace(parent, name, c)
	case change.Remove:
		return r.remove(i, parent, name, c)
	case change.Copy:
		return r.copy(i, c)
	}
	return r.move(i, parent, name, c)
}

// folder returns the folder that a path lies in, open. Those that were opened
// last stay so: changes to one folder mostly follow each other.
func (r *run) folder(in int, path string) (folder.Folder, string, error) {
	dir, name := place.Split(path)
	if dir == r.plan.Work {
		h, err := r.work(in)
		return h, name, err
	}
	key := folderKey{in, dir}
	if h := r.folders.get(key); h != nil {
		return h, name, nil
	}
	h, err := folder.Below(r.places[in].Root(), dir)
	if err != nil {
		return nil, "", err
	}
	r.times.note(h)
	r.folders.put(key, h)
	return h, name, nil
}

func (r *run) closeFolders() { r.folders.close(func(folderKey) bool { return true }) }

// settle closes all folders, each with the time that it is to have.
func (r *run) settle() {
	r.closeFolders()
	for _, p := range r.places {
		r.times.settle(p.Root())
	}
}

// work returns the hidden folder of the run in a place, which is made when it is
// needed, and by nobody else.
func (r *run) work(in int) (folder.Folder, error) {
	r.works.mutex.Lock()
	defer r.works.mutex.Unlock()
	if h := r.works.open[in]; h != nil {
		return h, nil
	}
	root := r.places[in].Root()
	if err := root.Mkdir(r.plan.Work, 0o700); err != nil && (r.plan.finishes == nil || !errors.Is(err, fs.ErrExist)) {
		return nil, err
	}
	h, err := root.Folder(r.plan.Work)
	if err != nil {
		return nil, errors.Join(err, folder.RemoveEmpty(root, r.plan.Work))
	}
	if err := folder.Working(h); err != nil {
		return nil, errors.Join(err, folder.RemoveEmpty(root, r.plan.Work))
	}
	r.works.open[in] = h
	return h, nil
}

// tidy removes what the run has put aside and is in its record, or everything
// that it has staged, and the work folders if nothing is kept in them. It is clean where no work
// folder is left, or only for what is kept.
func (r *run) tidy(done bool) (clean bool) {
	clean = true
	for i := range r.plan.List[:r.upto] {
		c := &r.plan.List[i]
		if h := r.works.open[c.In]; h != nil && c.HasOld && done {
			_, name := place.Split(c.From)
			if h.Remove(name, false) != nil {
				_ = h.Remove(name, false) // a disk far away may fail once
			}
		}
	}
	for in, h := range r.works.open {
		if !done {
			discardStaged(h, r.plan.List, in, r.plan.Work)
		}
		h.Close()
		if root := r.places[in].Root(); folder.RemoveEmpty(root, r.plan.Work) != nil {
			err := folder.RemoveEmpty(root, r.plan.Work) // where nothing is kept in it
			clean = clean && (err == nil || onlyKept(root, r.plan.Work))
		}
	}
	clear(r.works.open)
	if !done || r.journal == nil {
		return clean
	}
	for _, o := range append(slices.Clone(r.plan.Continues), r.plan.undoes, r.plan.finishes) {
		if o != nil {
			tidy(r.journal, o, r.places)
		}
	}
	return clean
}

// onlyKept reports whether a work folder is gone, or holds only what is kept for an undo.
func onlyKept(root folder.Folder, work string) bool {
	h, err := root.Folder(work)
	if err != nil {
		return errors.Is(err, fs.ErrNotExist)
	}
	defer h.Close()
	list, err := h.List()
	return err == nil && len(list) > 0 && !slices.ContainsFunc(list, func(e tree.Entry) bool { return !strings.HasPrefix(e.Name, "kept-") })
}

// leftOver removes what was half written, and staged, when the run was cut short that is finished now.
func (r *run) leftOver() {
	for in, p := range r.places {
		h, err := p.Root().Folder(r.plan.Work)
		if err != nil {
			continue
		}
		discardParts(h)
		for i := range r.plan.List {
			c := &r.plan.List[i]
			if dir, name := place.Split(c.From); c.In == in && c.Op == change.Replace && dir == r.plan.Work {
				if sum, err := folder.Sum(h, name); err == nil && sum == c.Sum {
					_ = h.Remove(name, false)
				}
			}
		}
		h.Close()
	}
}

// tidy cleans up after a record that this run has finished: what was half written
// when it was cut short, and its work folder where nothing is kept in it any more.
func tidy(j *journal.Journal, r *journal.Record, places []*place.Place) {
	for _, place := range places {
		h, err := place.Root().Folder(r.Work)
		if err != nil {
			continue
		}
		if changes, paths, err := j.Changes(r); err == nil && r.End == journal.CutShort {
			discardStaged(h, changes, slices.Index(paths, place.Real), r.Work)
		}
		h.Close()
		_ = folder.RemoveEmpty(place.Root(), r.Work)
	}
}
