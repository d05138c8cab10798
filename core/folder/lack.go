package folder

import (
	"errors"
	"io/fs"
	"syscall"
)

// A Lack is what a store cannot do by itself. Those above go round it: see [Move] and
// [RemoveEmpty].
type Lack uint8

// What a store may lack.
const (
	// Exclusive: its Move may take the place of what bears the name.
	Exclusive Lack = 1 << iota
	// EmptyOnly: its Remove takes a folder with all that lies in it.
	EmptyOnly
	// Swapping: its Swap is always [ErrNoSwap].
	Swapping
	// Creating: its Create may take the place of what bears the name, so that only names which
	// nobody else has are made by it.
	Creating
	// Dating: its SetTime is always [errors.ErrUnsupported]; what comes there is as old as that.
	Dating
	// Linking: its Symlink is always [errors.ErrUnsupported].
	Linking
)

// Lacks returns what the store of a folder lacks: what its method Lacks says, if it has one.
func Lacks(h Folder) Lack {
	for {
		if says, ok := h.(interface{ Lacks() Lack }); ok {
			return says.Lacks()
		}
		outer, ok := h.(interface{ Behind() Folder })
		if !ok {
			return 0
		}
		h = outer.Behind()
	}
}

// Move gives something another name, as [Folder.Move] does. Where the store may take the place
// of what bears that name, it is looked for right before: somebody who takes it between that
// look and the move is lost, and only there.
func Move(from Folder, name string, to Folder, as string) error {
	if meanwhile, ok := to.(under); ok {
		as = meanwhile.real(as)
	}
	if Lacks(to)&Exclusive != 0 {
		_, err := to.Look(as)
		if err == nil {
			err = &fs.PathError{Op: "move", Path: as, Err: fs.ErrExist}
		}
		if !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return from.Move(name, to, as)
}

// RemoveEmpty removes a folder in which nothing lies. Where the store would take what does, it is
// looked for right before: whoever does not know that nobody else writes there moves the folder
// out of their way first.
func RemoveEmpty(h Folder, name string) error {
	if Lacks(h)&EmptyOnly != 0 {
		in, err := h.Folder(name)
		if err != nil {
			return err
		}
		list, err := in.List()
		in.Close()
		if err == nil && len(list) > 0 {
			err = &fs.PathError{Op: "remove", Path: name, Err: syscall.ENOTEMPTY}
		}
		if err != nil {
			return err
		}
	}
	return h.Remove(name, true)
}

// Date gives something a time, as [Folder.SetTime] does, where its store has such.
func Date(h Folder, name string, nanoseconds int64) error {
	err := h.SetTime(name, nanoseconds)
	if errors.Is(err, errors.ErrUnsupported) {
		return nil
	}
	return err
}
