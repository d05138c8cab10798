package folder

import (
	"errors"

	"vestibula/core/tree"
)

// A Store holds folders that do not lie on this disk. Paths are as they are kept: see
// [vestibula/core/address.OfURL].
type Store interface {
	Open(path string) (Folder, error)
	Look(path string) (tree.Entry, error)
	// Identity is what something at a path is known by, whether it is there or not.
	Identity(path string) (dev, ino uint64)
	// Room is how many bytes are free there, as far as it tells.
	Room(path string) (free int64, known bool)
	// Take keeps other computers out of the folder while a run is at work there, as far as the
	// store can.
	Take(path string) (release func(), err error)
	// Begin and End enclose what changes something: between them, nothing is answered from
	// memory.
	Begin()
	End()
	// Came are the names in a folder that were not there when it was listed before [Store.Begin];
	// none where it was not.
	Came(path string) ([]string, error)
}

// StoreOf returns the store of a path, nil for one of this disk.
var StoreOf = func(path string) Store { return nil }

// Busy is why [Store.Take] fails where somebody else holds a folder.
type Busy struct{ By string }

// Error says who, where that is known.
func (b *Busy) Error() string { return "another run is at work there" + b.By }

// CopyWithin asks a store to copy a file by itself, under a name that nothing has, here or in another of
// its folders. The error matches [errors.ErrUnsupported] where it cannot.
func CopyWithin(from Folder, name string, to Folder, as string) error {
	if copies, ok := Behind(from).(interface {
		Copy(name string, to Folder, as string) error
	}); ok {
		return copies.Copy(name, to, as)
	}
	return errors.ErrUnsupported
}

// Hands is how many may work in a folder at a time: as many as its store says, else none more
// than there are processors.
func Hands(h Folder, most int) int {
	if says, ok := Behind(h).(interface{ Hands() int }); ok {
		return max(says.Hands(), most)
	}
	return most
}

// Working tells a store which folder is a run's own, where it may try things out.
func Working(work Folder) error {
	if says, ok := Behind(work).(interface{ Working() error }); ok {
		return says.Working()
	}
	return nil
}

// Identity is what a folder is known by in its store, by its path.
func Identity(path string) (dev, ino uint64, err error) {
	if s := StoreOf(path); s != nil {
		dev, ino = s.Identity(path)
		return dev, ino, nil
	}
	return identity(path)
}

// Room is how many bytes a person may still write to the store that a folder lies in, as far as
// that is known.
func Room(path string) (free int64, known bool) {
	if s := StoreOf(path); s != nil {
		return s.Room(path)
	}
	return room(path)
}
