package disk

import (
	"io"
	"io/fs"
	"os"
)

// A handle is an open folder: all that this package asks of a file system. Names
// are relative to it and cannot lead out of it. Tests put one in between that
// fails.
type handle interface {
	Folder(name string) (handle, error)
	OpenFile(name string, flag int, perm fs.FileMode) (file, error)
	Mkdir(name string, perm fs.FileMode) error
	Remove(name string) error
	Rename(from, to string) error
	Link(from, to string) error
	Lstat(name string) (fs.FileInfo, error)
	Close() error
}

// A file is an open file, or a folder that is read.
type file interface {
	io.ReadWriteCloser
	ReadDir(n int) ([]fs.DirEntry, error)
	Chmod(mode fs.FileMode) error
	Sync() error
	Fd() uintptr
}

// openFolder opens a folder by its path.
var openFolder = func(path string) (handle, error) {
	root, err := os.OpenRoot(path)
	if err != nil {
		return nil, err
	}
	return rooted{root}, nil
}

// rooted is a handle of the system.
type rooted struct{ *os.Root }

func (r rooted) Folder(name string) (handle, error) {
	root, err := r.OpenRoot(name)
	if err != nil {
		return nil, err
	}
	return rooted{root}, nil
}

func (r rooted) OpenFile(name string, flag int, perm fs.FileMode) (file, error) {
	return r.Root.OpenFile(name, flag, perm)
}

// list returns the entries of a folder.
func list(h handle, name string) ([]fs.DirEntry, error) {
	f, err := h.OpenFile(name, os.O_RDONLY, 0)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return f.ReadDir(-1)
}

// read returns what a file holds.
func read(h handle, name string) ([]byte, error) {
	f, err := h.OpenFile(name, os.O_RDONLY, 0)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(f)
}

// write opens a file, with the flags for making it or going on with it, and
// returns when what fill writes is on the disk. Opened says whether it came so
// far.
func write(h handle, name string, flag int, perm fs.FileMode, fill func(f file) error) (opened bool, err error) {
	f, err := h.OpenFile(name, os.O_WRONLY|flag, perm)
	if err != nil {
		return false, err
	}
	err = fill(f)
	for _, step := range []func() error{f.Sync, f.Close} {
		if e := step(); err == nil {
			err = e
		}
	}
	return true, err
}

// replace gives a file new contents and permissions, by way of a temporary file
// beside it: it has the old ones or the new ones, whatever happens.
func replace(h handle, name, temporary string, perm fs.FileMode, data []byte) error {
	_, err := write(h, temporary, os.O_CREATE|os.O_TRUNC, perm, func(f file) error {
		_, err := f.Write(data)
		return err
	})
	if err == nil {
		err = h.Rename(temporary, name)
	}
	if err != nil {
		_ = h.Remove(temporary)
	}
	return err
}
