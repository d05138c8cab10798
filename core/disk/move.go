package disk

import (
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"

	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/tree"
)

// partName begins the names under which files are written, in the work folder of
// a run, before they get their own: a file is there as a whole or not at all,
// whenever the power goes.
const partName = "part-"

// token is a name that nobody else thinks of.
func token() string { return strings.ToLower(rand.Text()[:12]) }

// stage writes what a file is to hold beside it, with its permissions and
// attributes.
func (r *run) stage(c *change.Change) error {
	parent, name, err := r.folder(c.In, c.Path)
	if err != nil {
		return err
	}
	old, err := parent.Open(name)
	if err != nil {
		return err
	}
	defer old.Close()
	was, err := old.Look()
	if err != nil {
		return err
	}
	work, err := r.work(c.In)
	if err != nil {
		return err
	}
	_, staged := split(c.From)
	return folder.Write(work, staged, 0o600, func(f folder.File) error {
		content, err := c.Content.Open()
		if err != nil {
			return &journal.ContentError{Source: c.Content.Source(), Err: err}
		}
		defer content.Close()
		sum := digest.NewWriter(f)
		if _, err := io.Copy(sum, content); err != nil {
			return err
		}
		if c.Sum == "" {
			c.Sum = sum.Sum()
		}
		return dress(f, was.Mode, old.Attributes())
	})
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
		_, aside = split(c.From)
	}
	work, err := r.work(c.In)
	if err != nil {
		return err
	}
	if err := parent.Move(name, work, aside); err != nil {
		return err
	}
	sum, err := folder.Sum(work, aside)
	if err == nil && c.Was.Sum != "" && sum != c.Was.Sum {
		err = ErrChanged
	}
	if err != nil {
		return errors.Join(err, work.Move(aside, parent, name))
	}
	if i < 0 { // what this run has made itself
		return work.Remove(aside, false)
	}
	return nil
}

// forgetFolder closes the folders at and below a path.
func (r *run) forgetFolder(in int, path string) {
	for key, h := range r.folders {
		if key.in == in && (key.path == path || strings.HasPrefix(key.path, path+"/")) {
			h.Close()
			delete(r.folders, key)
		}
	}
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
	err = from.Move(name, to, as)
	if errors.Is(err, folder.ErrAcross) {
		return r.moveAcross(from, name, to, as, c)
	}
	if err != nil {
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
		return errors.Join(err, to.Move(as, from, name))
	}
	return nil
}

// moveAcross moves a file or a link to another disk: it is copied, read back, and
// only then removed, if nobody has changed it meanwhile. A folder is moved entry
// by entry: see [across].
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
	now, err := from.Look(name)
	state := change.State{Entry: was}
	if err == nil && !state.Same(now) {
		err = ErrChanged
	}
	if err == nil {
		err = from.Remove(name, false)
	}
	if err != nil {
		return errors.Join(err, to.Remove(as, false))
	}
	return nil
}

// across returns a list in which folders that are moved to another disk go entry
// by entry: the folder is made there, all that lies in it is moved, and the old
// one is removed when it is empty.
func across(list []change.Change, places []*Place) ([]change.Change, error) {
	devices := map[folderKey]uint64{}
	// device is that of a folder which may not be there yet.
	device := func(in int, dir string) uint64 {
		key := folderKey{in, dir}
		if dev, known := devices[key]; known {
			return dev
		}
		var dev uint64
		for at := dir; ; at = path.Dir(at) {
			if e, err := places[in].Look(at); err == nil {
				dev = e.Dev
				break
			}
			if at == "." {
				break
			}
		}
		devices[key] = dev
		return dev
	}
	var out []change.Change
	for i := range list {
		c := &list[i]
		if c.Op == change.Move && c.Was.Kind == tree.Folder && c.Was.Dev != 0 && c.Was.Dev != device(c.In, path.Dir(c.Path)) {
			if out == nil {
				out = append(out, list[:i]...)
			}
			entries, err := unpack(c, places[c.FromIn])
			if err != nil {
				return nil, err
			}
			out = append(out, entries...)
		} else if out != nil {
			out = append(out, *c)
		}
	}
	if out == nil {
		return list, nil
	}
	return out, nil
}

// unpack returns the changes that move a folder entry by entry.
func unpack(c *change.Change, from *Place) (list []change.Change, err error) {
	node := &tree.Node{Name: path.Base(c.Path)}
	list = append(list, change.Change{Op: change.Make, In: c.In, Path: c.Path, Node: node, Was: c.Was})
	entries, err := from.List(c.From)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		one := change.Change{Op: change.Move, In: c.In, FromIn: c.FromIn, Path: c.Path + "/" + e.Name, From: c.From + "/" + e.Name}
		have, err := from.Look(one.From)
		if err != nil {
			return nil, err
		}
		one.Was = change.State{Entry: have}
		switch e.Kind {
		case tree.Folder:
			below, err := unpack(&one, from)
			if err != nil {
				return nil, err
			}
			list = append(list, below...)
		case tree.Other:
			return nil, fmt.Errorf("%s is no ordinary file, and cannot be moved to another disk", one.From)
		default:
			list = append(list, one)
		}
	}
	return append(list, change.Change{Op: change.Remove, In: c.FromIn, Path: c.From, Was: c.Was}), nil
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
	c.Sum, err = r.transfer(from, name, to, as, c.In, func(sum string) error {
		if r.number < 0 || i < 0 {
			return nil
		}
		return r.journal.Copied(r.number, r.lines[i], sum)
	})
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
	part := partName + "copy"
	defer func() {
		if err != nil {
			_ = work.Remove(part, false)
		}
	}()
	err = folder.Write(work, part, 0o600, func(f folder.File) error {
		w := digest.NewWriter(f)
		if _, err := io.Copy(w, source); err != nil {
			return err
		}
		sum = w.Sum()
		return dress(f, was.Mode, source.Attributes())
	})
	if err == nil {
		err = work.SetTime(part, was.Time)
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
	back, err := folder.Sum(work, part)
	if err == nil && back != sum {
		err = errors.New("the copy does not read as it was written")
	}
	if err == nil {
		err = tell(sum)
	}
	if err == nil {
		err = work.Move(part, to, as)
	}
	return sum, err
}
