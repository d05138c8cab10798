package disk

import (
	"errors"
	"path/filepath"

	"vestibula/core/change"
	"vestibula/core/folder"
)

// A Scaffold is a new folder that something is planned for: it stands empty while the plan is made, and is dropped before that is
// held against the disk, since the plan itself makes it. Nothing of it is written down: an empty folder is all that a
// power cut can leave.
type Scaffold struct{ made []string } // the paths of folders, the outermost first

// Raise makes the folders in each other below a folder that is there. The error is that of the system.
func Raise(base string, names []string) (*Scaffold, error) {
	s := &Scaffold{}
	for _, name := range names {
		if err := in(base, func(f folder.Folder) error { return f.Mkdir(name, 0o777) }); err != nil {
			s.Drop()
			return nil, err
		}
		base = filepath.Join(base, name)
		s.made = append(s.made, base)
	}
	return s, nil
}

// Drop takes away what was raised, and nothing that holds anything by then.
func (s *Scaffold) Drop() {
	for n := len(s.made); n > 0; n-- {
		dir, name := filepath.Split(s.made[n-1])
		if in(dir, func(f folder.Folder) error { return dropEmpty(f, name) }) != nil {
			return
		}
		s.made = s.made[:n-1]
	}
}

// dropEmpty removes an empty folder. Where the store would take what somebody has put into it, it is
// looked at under a name that nobody knows, and gets its own back where it is not empty.
func dropEmpty(f folder.Folder, name string) error {
	if folder.Lacks(f)&folder.EmptyOnly == 0 {
		return f.Remove(name, true)
	}
	aside := change.NewWork()
	if err := folder.Move(f, name, f, aside); err != nil {
		return err
	}
	if err := folder.RemoveEmpty(f, aside); err != nil {
		return errors.Join(err, folder.Move(f, aside, f, name))
	}
	return nil
}

// in does something in an open folder.
func in(dir string, do func(f folder.Folder) error) error {
	f, err := folder.Open(dir)
	if err != nil {
		return err
	}
	defer f.Close()
	return do(f)
}
