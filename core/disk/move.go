package disk

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"iter"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"vestibula/core/change"
	"vestibula/core/folder"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/tree"
)

// partName begins the names under which files are written, in the work folder of
// a run, before they get their own: a file is there as a whole or not at all,
// whenever the power goes.
const partName = "part-"

// emptyName begins the names of folders in the work folder that are on their way out.
const emptyName = "empty"

// stage writes what a file is to hold into the work folder. It gets its name there
// when it is whole: so what was cut short is known by its name, and removed.
func (r *run) stage(c *change.Change) error {
	work, err := r.work(c.In)
	if err != nil {
		return err
	}
	_, staged := place.Split(c.From)
	if c.Was.Kind == tree.Symlink { // a link is whole as soon as it is there
		var target bytes.Buffer
		if err := tree.Copy(&target, c.Content); err != nil {
			return err
		}
		if err := work.Symlink(target.String(), staged); err != nil || c.As.Time == 0 {
			return err
		}
		return folder.Date(work, staged, c.As.Time)
	}
	if _, err := r.writeContent(folder.Write, work, partName+staged, c.Content, change.Dress{}); err != nil {
		return err
	}
	return folder.Move(work, partName+staged, work, staged)
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
	if errors.Is(err, errors.ErrUnsupported) { // it knows neither rights nor attributes
		return nil
	}
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
	return folder.Date(other, staged, c.As.Time)
}

// dress gives a file its permissions, whatever the mask, and its attributes, as
// far as its disk has such.
func dress(f folder.File, mode fs.FileMode, attributes map[string][]byte) error {
	for name, value := range attributes {
		_ = f.SetAttribute(name, value)
	}
	return f.Chmod(mode)
}

// replace lets a file and what was staged for it change places, and looks at
// what it held only then: whatever somebody writes into it, until that very
// moment, is found and given back.
func (r *run) replace(parent folder.Folder, name string, c *change.Change) error {
	aside, staged, err := r.folder(c.In, c.From)
	if err != nil {
		return err
	}
	if c.Was.Kind != tree.Symlink {
		if err := like(parent, name, aside, staged, c); err != nil {
			return err
		}
	}
	if err := exchange(parent, name, aside, staged); err != nil {
		return err
	}
	sum, err := folder.Sum(aside, staged)
	if err == nil && sum == c.Was.Sum {
		if c.As.Time != 0 {
			r.times.stays(parent)
		}
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
// once, the first is out of its place for a moment: see [change.Reunite].
func exchange(h folder.Folder, name string, other folder.Folder, second string) error {
	err := h.Swap(name, other, second)
	if !errors.Is(err, folder.ErrNoSwap) {
		return err
	}
	third := second + "-" // as [change.Change.Third] has it
	if err := folder.Move(h, name, other, third); err != nil {
		return err
	}
	if err := folder.Move(other, second, h, name); err != nil {
		return errors.Join(err, folder.Move(other, third, h, name))
	}
	if err = folder.Move(other, third, other, second); err != nil {
		if back := folder.Move(h, name, other, second); back != nil {
			return errors.Join(err, back)
		}
		return errors.Join(err, folder.Move(other, third, h, name))
	}
	return nil
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
		err := r.removeFolder(c.In, parent, name)
		if errors.Is(err, fs.ErrNotExist) && i < 0 && r.present(c.In) {
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
	here := named{parent, name, change.At{In: c.In, Path: c.Path}}
	there := named{work, aside, change.At{In: c.In, Path: r.plan.Work + "/" + aside}}
	if err := r.rename(here, there); err != nil {
		return err
	}
	sum, err := folder.Sum(work, aside)
	if err == nil && c.Was.Sum != "" && sum != c.Was.Sum {
		err = ErrChanged
	}
	if err != nil {
		return errors.Join(err, r.rename(there, here))
	}
	if i < 0 { // what this run has made itself
		return work.Remove(aside, false)
	}
	return nil
}

// removeFolder removes an empty folder. Where the store would take what somebody has put into it,
// it is put aside first, out of their way, and given back where it is not empty.
func (r *run) removeFolder(in int, parent folder.Folder, name string) error {
	if folder.Lacks(parent)&folder.EmptyOnly == 0 {
		return parent.Remove(name, true)
	}
	work, err := r.work(in)
	if err != nil {
		return err
	}
	aside := emptyName + r.part
	if err := folder.Move(parent, name, work, aside); err != nil {
		return err
	}
	if err = folder.RemoveEmpty(work, aside); err != nil {
		return errors.Join(err, folder.Move(work, aside, parent, name))
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
	movers := min(r.hands(r.plan.List[first].In), last-first)
	each := (last - first + movers - 1) / movers
	upto := make([]int, movers) // how far each has come
	for n := range upto {
		upto[n] = min(first+n*each, last)
	}
	var failing sync.Once
	var failed atomic.Bool
	pool.With(movers, movers, 1, func(numbers iter.Seq[int]) {
		for n := range numbers {
			own := *r
			own.folders, own.part = openFolders{times: r.times}, strconv.Itoa(n)
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
					break
				}
			}
			own.closeFolders()
		}
	})
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

// move gives something another name. Nothing takes the place of anything.
func (r *run) move(i int, to folder.Folder, as string, c *change.Change) error {
	from, name, err := r.folder(c.FromIn, c.From)
	if err == nil && i >= 0 {
		err = held(from, name, &c.Was)
	}
	if err != nil {
		return err
	}
	is := named{from, name, change.At{In: c.FromIn, Path: c.From}}
	becomes := named{to, as, change.At{In: c.In, Path: c.Path}}
	if err := r.rename(is, becomes); err != nil {
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
		return errors.Join(err, r.rename(becomes, is))
	}
	return nil
}

// A named thing is, or comes to be, in an open folder under a name, which is at a path.
type named struct {
	folder.Folder
	name string
	at   change.At
}

// rename gives something another name, on whatever disk.
func (r *run) rename(from, to named) error {
	err := folder.Move(from.Folder, from.name, to.Folder, to.name)
	if errors.Is(err, folder.ErrAcross) {
		return r.moveAcross(from.at, to.at)
	}
	return err
}
