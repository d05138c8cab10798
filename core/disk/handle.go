package disk

import (
	"errors"
	"io"
	"io/fs"
	"strings"

	"vestibula/core/tree"
)

// A handle is an open folder: all that this package asks of a file system. Every
// name is that of something directly in it, and none is followed where it is a
// link, so that nothing leads out. Tests put one in between that fails, or that
// lets somebody else be quicker.
type handle interface {
	Folder(name string) (handle, error)
	List() ([]tree.Entry, error)
	Look(name string) (tree.Entry, error)
	// Open opens an ordinary file for reading.
	Open(name string) (file, error)
	// Create makes a file that is not there yet, and opens it for writing.
	Create(name string, perm fs.FileMode) (file, error)
	// Append opens an ordinary file for writing at its end.
	Append(name string) (file, error)
	Mkdir(name string, perm fs.FileMode) error
	// Remove removes a file, a link or an empty folder.
	Remove(name string, folder bool) error
	// Move gives something another name, here or in another folder. It is refused
	// where that name is taken.
	Move(name string, to handle, as string) error
	// Swap gives two files each other's names.
	Swap(name string, with handle, other string) error
	SetTime(name string, nanoseconds int64) error
	Readlink(name string) (string, error)
	Symlink(target, name string) error
	Writable() error
	// Sync has the names in the folder on the disk as well.
	Sync() error
	Close() error
}

// A file is an open file.
type file interface {
	io.ReadWriteCloser
	io.Seeker
	Look() (tree.Entry, error)
	Chmod(mode fs.FileMode) error
	// Attributes returns the extended attributes, as far as they can be read.
	Attributes() map[string][]byte
	SetAttribute(name string, value []byte) error
	Sync() error
}

// openFolder opens a folder by its path.
var openFolder = openSystem

var (
	errNotOrdinary = errors.New("it is no ordinary file")
	errName        = errors.New("this cannot be a name")
	errAcross      = errors.New("it lies on another disk")
	errNoSwap      = errors.New("this disk cannot exchange two files")
)

// single reports whether a name is that of something in a folder.
func single(name string) bool {
	return name != "" && name != "." && name != ".." && !strings.ContainsAny(name, "/\x00")
}

// below opens a folder by its path from another one.
func below(h handle, path string) (handle, error) {
	if path == "." {
		return noClose{h}, nil
	}
	at := handle(noClose{h})
	for name := range strings.SplitSeq(path, "/") {
		next, err := at.Folder(name)
		at.Close()
		if err != nil {
			return nil, err
		}
		at = next
	}
	return at, nil
}

// unwrap returns the handle of the system behind others.
func unwrap(h handle) handle {
	for {
		outer, ok := h.(interface{ unwrap() handle })
		if !ok {
			return h
		}
		h = outer.unwrap()
	}
}

// noClose is a handle that somebody else closes.
type noClose struct{ handle }

func (noClose) Close() error     { return nil }
func (h noClose) unwrap() handle { return h.handle }

// write makes a file and returns when what fill writes is on the disk.
func write(h handle, name string, perm fs.FileMode, fill func(f file) error) error {
	f, err := h.Create(name, perm)
	if err != nil {
		return err
	}
	err = fill(f)
	for _, step := range []func() error{f.Sync, f.Close} {
		if e := step(); err == nil {
			err = e
		}
	}
	return err
}

// read returns what a file holds, up to a number of bytes.
func read(h handle, name string, most int64) ([]byte, error) {
	f, err := h.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	if err == nil && int64(len(data)) > most {
		err = &TooLargeError{Most: most}
	}
	return data, err
}
