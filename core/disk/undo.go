package disk

import (
	"bytes"
	"errors"
	"io"
	"io/fs"
	"iter"
	"os"
	"path"
	"path/filepath"
	"strings"

	"vestibula/core/tree"
)

// A Stay is something that an undo leaves where it is, and why.
type Stay struct {
	Path string
	Why  string
}

// An Undo is a plan to take a record back: what will be done, and what stays
// because somebody has changed it or put something into it since.
type Undo struct {
	Record  *Record
	Actions []Action
	Stays   []Stay

	earlier []*Record // undos of the same record that were cut short
}

// undoing plans an undo.
type undoing struct {
	*Undo
	place *Place
	going map[string]bool   // what will be gone
	gone  map[string]Action // what an undo that was cut short has removed
}

// PlanUndo looks at what a record did and is still as it was made. The place is
// that of the record.
func (j *Journal) PlanUndo(p *Place, r *Record) (*Undo, error) {
	u := &undoing{Undo: &Undo{Record: r}, place: p, going: map[string]bool{}, gone: map[string]Action{}}
	open, err := j.CutShort(r.Place)
	if err != nil {
		return nil, err
	}
	for _, o := range open {
		if o.Undoes == r.Number {
			u.earlier = append(u.earlier, o)
			for _, a := range o.Actions {
				u.gone[a.Path] = a
			}
		}
	}
	for i := len(r.Actions) - 1; i >= 0; i-- {
		a := r.Actions[i]
		switch {
		case a.Gone:
			err = u.planBack(a)
		case a.Op == "folder":
			err = u.planFolder(a)
		default:
			err = u.planFile(a)
		}
		if err != nil {
			return nil, &BuildError{Path: a.Path, Err: err}
		}
	}
	return u.Undo, nil
}

func (u *undoing) stays(a Action, why string) { u.Stays = append(u.Stays, Stay{a.Path, why}) }

// planGone notes what is gone already: if an undo that was cut short took it,
// this one does as well, so that both can be undone at once.
func (u *undoing) planGone(a Action) {
	if was, ours := u.gone[a.Path]; ours {
		u.going[a.Path] = true
		u.Actions = append(u.Actions, was)
	}
}

// planFolder plans to remove a folder that holds nothing, or only what goes too.
func (u *undoing) planFolder(a Action) error {
	info, err := u.place.root.Lstat(a.Path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		u.planGone(a)
		return nil
	case err != nil:
		return err
	case !info.IsDir():
		u.stays(a, "it is no longer a folder")
		return nil
	}
	entries, err := list(u.place.root, a.Path)
	if err != nil {
		return err
	}
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), partName) {
			// What a build that was cut short was just writing.
			u.Actions = append(u.Actions, Action{Op: "part", Path: a.Path + "/" + e.Name(), Gone: true})
			continue
		}
		if !u.going[a.Path+"/"+e.Name()] {
			u.stays(a, "it holds “"+e.Name()+"”")
			return nil
		}
	}
	u.going[a.Path] = true
	a.Gone = true
	u.Actions = append(u.Actions, a)
	return nil
}

// planFile plans to remove a file that is as it was written, or to give one back
// what it held before.
func (u *undoing) planFile(a Action) error {
	sum, err := a.sum(u.place)
	switch {
	case err != nil:
		return err
	case sum == "":
		u.planGone(a)
	case sum == a.Sum:
		u.going[a.Path] = a.Was == ""
		a.Gone = true
		u.Actions = append(u.Actions, a)
	case sum == a.Was:
		u.planGone(a) // as it was before
	default:
		u.stays(a, "it has been changed since")
	}
	return nil
}

// planBack plans to bring back what an undo removed.
func (u *undoing) planBack(a Action) error {
	if a.Op == "part" {
		return nil
	}
	there := false
	if a.Was != "" {
		sum, err := a.sum(u.place)
		if err != nil {
			return err
		}
		if sum == a.Sum {
			return nil // the undo was cut short before it came here
		}
		there = sum != a.Was
	} else {
		_, err := u.place.root.Lstat(a.Path)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		if there = err == nil; there && u.Record.End == CutShort {
			return nil
		}
	}
	if there {
		u.stays(a, "something of that name is there now")
		return nil
	}
	a.Gone = false
	u.Actions = append(u.Actions, a)
	return nil
}

// content is the file of an action as it lies on the disk, or nil where there is
// none.
func (a *Action) content(p *Place) (tree.Content, error) {
	var c tree.Content = stored{p.root, a.Path}
	root, name := p.root, a.Path
	if a.Op == "revision" {
		folder, err := openFolder(filepath.Dir(a.Path))
		if err != nil {
			return nil, err
		}
		defer folder.Close()
		c, root, name = byPath(a.Path), folder, filepath.Base(a.Path)
	}
	info, err := root.Lstat(name)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, nil
	case err != nil:
		return nil, err
	case !info.Mode().IsRegular():
		return tree.Bytes("something else by now"), nil
	}
	return c, nil
}

// byPath is a file with an absolute path as a content.
type byPath string

func (p byPath) Open() (io.ReadCloser, error) {
	folder, err := openFolder(filepath.Dir(string(p)))
	if err != nil {
		return nil, err
	}
	defer folder.Close()
	return folder.OpenFile(filepath.Base(string(p)), os.O_RDONLY, 0)
}

func (p byPath) Source() string { return string(p) }

// sum is the checksum of the file of an action as it lies on the disk, or empty
// where there is none.
func (a *Action) sum(p *Place) (string, error) {
	c, err := a.content(p)
	if c == nil || err != nil {
		return "", err
	}
	return contentSum(c)
}

// Undo carries a planned undo out. What it removes is kept in the journal first,
// and the undo itself is written down, so that it can be undone. It stops at
// the first failure; what it had done by then is in the record. The error is a
// [JournalError] or a [BuildError].
func (j *Journal) Undo(p *Place, u *Undo, head Head) (*Record, error) {
	for _, a := range u.Actions {
		if !a.Gone || a.Op == "folder" || a.Op == "part" {
			continue
		}
		c, err := a.content(p)
		if err == nil && c != nil {
			_, err = j.keep(c)
		}
		if err != nil {
			return nil, &JournalError{Err: err}
		}
	}
	head.What, head.Undoes = "undo", u.Record.Number
	record, err := j.begin(head, each(u.Actions))
	if err != nil {
		return nil, err
	}
	record.Actions = u.Actions
	for _, a := range u.Actions {
		if err := j.carry(p, a); err != nil {
			return record, &BuildError{Path: a.Path, Err: err}
		}
	}
	ended := u.earlier
	if u.Record.End == CutShort {
		p.Tidy(u.Record)
	}
	for _, r := range ended {
		if err == nil {
			err = j.finish(r, Continued)
		}
	}
	if err == nil {
		err = j.finish(record, Done)
	}
	if err == nil && u.Record.End == CutShort {
		err = j.finish(u.Record, Done)
	}
	if err != nil {
		err = &JournalError{Done: true, Err: err}
	}
	return record, err
}

// each returns actions one by one.
func each(actions []Action) iter.Seq2[Action, error] {
	return func(yield func(Action, error) bool) {
		for _, a := range actions {
			if !yield(a, nil) {
				return
			}
		}
	}
}

// carry does what one action of an undo says. What is so already stays so: an
// undo may continue another one.
func (j *Journal) carry(p *Place, a Action) error {
	switch {
	case a.Gone && a.Was != "":
		return j.restore(p, a, a.Was)
	case a.Gone:
		err := p.root.Remove(a.Path)
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return err
	case a.Op == "folder":
		return p.root.Mkdir(a.Path, 0o777)
	case a.Op != "file":
		return j.restore(p, a, a.Sum)
	}
	c, err := j.kept(a.Sum)
	if err != nil {
		return err
	}
	parent, err := p.root.Folder(path.Dir(a.Path))
	if err != nil {
		return err
	}
	defer parent.Close()
	_, err = writeFile(parent, path.Base(a.Path), partOf(0), c)
	return err
}

// restore gives a note or a revision what it held, by its checksum.
func (j *Journal) restore(p *Place, a Action, sum string) error {
	c, err := j.kept(sum)
	if err != nil {
		return err
	}
	var data bytes.Buffer
	if err := tree.Copy(&data, c); err != nil {
		return err
	}
	if a.Op == "revision" {
		return Revision{Path: a.Path, Data: data.Bytes()}.Replace()
	}
	return p.writeNote(a.Path, data.Bytes())
}

// Tidy removes what a build that was cut short was just writing.
func (p *Place) Tidy(r *Record) {
	for _, a := range r.Actions {
		switch a.Op {
		case "file", "note":
			for n := range maxBuilders {
				_ = p.root.Remove(path.Join(path.Dir(a.Path), partOf(n)))
			}
		case "revision":
			if filepath.IsAbs(a.Path) {
				_ = os.Remove(a.Path + partName)
			}
		}
	}
}
