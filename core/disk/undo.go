package disk

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"slices"
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
}

// PlanUndo looks at what a record did and is still as it was made. The place is
// that of the record.
func (j *Journal) PlanUndo(p *Place, r *Record) (*Undo, error) {
	u := &Undo{Record: r}
	going := map[string]bool{}
	for _, a := range slices.Backward(r.Actions) {
		var err error
		switch {
		case a.Gone:
			err = j.planBack(p, u, a)
		case a.Op == "folder":
			err = planFolder(p, u, a, going)
		default:
			err = planFile(p, u, a, going)
		}
		if err != nil {
			return nil, err
		}
	}
	return u, nil
}

// planFolder plans to remove a folder that holds nothing, or only what goes too.
func planFolder(p *Place, u *Undo, a Action, going map[string]bool) error {
	items, err := p.List(a.Path)
	if _, statErr := p.root.Lstat(a.Path); errors.Is(statErr, fs.ErrNotExist) {
		return nil // gone already
	}
	if err != nil {
		u.Stays = append(u.Stays, Stay{a.Path, "it is no longer a folder, or cannot be read"})
		return nil
	}
	for _, it := range items {
		if it.Name == partName {
			// What a build that was cut short was just writing.
			u.Actions = append(u.Actions, Action{Op: "part", Path: a.Path + "/" + partName, Gone: true})
			continue
		}
		if !going[a.Path+"/"+it.Name] {
			u.Stays = append(u.Stays, Stay{a.Path, "it holds “" + it.Name + "”"})
			return nil
		}
	}
	going[a.Path] = true
	a.Gone = true
	u.Actions = append(u.Actions, a)
	return nil
}

// planFile plans to remove a file that is as it was written, or to give a note
// back what it held before.
func planFile(p *Place, u *Undo, a Action, going map[string]bool) error {
	data, err := p.ReadFile(a.Path)
	switch {
	case err != nil:
		u.Stays = append(u.Stays, Stay{a.Path, "it cannot be read: " + Reason(err)})
		return nil
	case data == nil:
		return nil // gone already
	case checksum(data) != a.Sum:
		u.Stays = append(u.Stays, Stay{a.Path, "it has been changed since"})
		return nil
	}
	going[a.Path] = a.Was == ""
	a.Gone = true
	u.Actions = append(u.Actions, a)
	return nil
}

// planBack plans to bring back what an undo removed.
func (j *Journal) planBack(p *Place, u *Undo, a Action) error {
	if a.Op == "part" {
		return nil
	}
	_, err := p.root.Lstat(a.Path)
	there := err == nil
	if a.Op == "note" && a.Was != "" {
		data, err := p.ReadFile(a.Path)
		there = err != nil || data == nil || checksum(data) != a.Was
	}
	if there {
		u.Stays = append(u.Stays, Stay{a.Path, "something of that name is there now"})
		return nil
	}
	a.Gone = false
	u.Actions = append(u.Actions, a)
	return nil
}

// Undo carries a planned undo out. What it removes is kept in the journal first,
// and the undo itself is written down, so that it can be undone. It stops at
// the first failure; what it had done by then is in the record.
func (j *Journal) Undo(p *Place, u *Undo, head Head) (*Record, error) {
	for _, a := range u.Actions {
		if !a.Gone || a.Op == "folder" || a.Op == "part" {
			continue
		}
		data, err := p.ReadFile(a.Path)
		if err == nil {
			_, err = j.keep(data)
		}
		if err != nil {
			return nil, err
		}
	}
	head.What, head.Undoes = "undo", u.Record.Number
	record, err := j.Begin(head, u.Actions)
	if err != nil {
		return nil, err
	}
	for _, a := range u.Actions {
		if err := j.carry(p, a); err != nil {
			return record, &BuildError{Path: a.Path, Err: err}
		}
	}
	return record, j.Finish(record, Done)
}

func (j *Journal) carry(p *Place, a Action) error {
	switch {
	case a.Gone && a.Was != "":
		was, err := j.kept(a.Was)
		if err != nil {
			return err
		}
		return p.writeNote(Note{a.Path, was})
	case a.Gone:
		return p.root.Remove(a.Path)
	case a.Op == "folder":
		return p.root.Mkdir(a.Path, 0o777)
	}
	data, err := j.kept(a.Sum)
	if err != nil {
		return err
	}
	if a.Op == "note" {
		return p.writeNote(Note{a.Path, data})
	}
	f, err := p.root.OpenFile(a.Path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if e := f.Close(); err == nil {
		err = e
	}
	return err
}

// Tidy removes what a build that was cut short was just writing.
func (p *Place) Tidy(r *Record) {
	for _, a := range r.Actions {
		if a.Op != "folder" {
			_ = p.root.Remove(path.Join(path.Dir(a.Path), partName))
		}
	}
}
