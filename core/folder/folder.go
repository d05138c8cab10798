// Package folder opens folders and does to what lies directly in them the few things
// that all changes of a disk are made of. Every name is single, and none is
// followed where it is a link, so that nothing leads out; nothing takes the place
// of anything else. Which things are done, and in which order, is decided by
// those above, of which only package disk and package journal may use this one.
package folder

import (
	"errors"
	"io"
	"io/fs"
	"strings"

	"vestibula/core/digest"
	"vestibula/core/tree"
)

// A Folder is an open folder: all that is asked of a file system.
//
// A name is that of something directly in it; any other, and one that is no name at all, is an
// error, and nothing is done. No call follows a link. Where a name is not there, the error
// matches [fs.ErrNotExist]; where one that is to be given is taken, [fs.ErrExist], and what has
// it stays as it is: nothing ever takes the place of anything. Errors keep the cause inside, so
// that [errors.Is] works. Some things a store may lack, and says so: see [Lack]. An
// implementation is held to this by package foldertest.
type Folder interface {
	// Folder opens a folder in it. The error is another one where that is none.
	Folder(name string) (Folder, error)
	// List returns the names in it with their kinds, in no order; what else an entry says need
	// not be filled in.
	List() ([]tree.Entry, error)
	// Look returns what lies under a name; under ".", the folder itself. Two things have two
	// identities, and what is moved keeps its own, where the store has such.
	Look(name string) (tree.Entry, error)
	// Open opens an ordinary file for reading; it waits for nobody.
	Open(name string) (File, error)
	// Create makes a file that is not there yet, and opens it for writing.
	Create(name string, perm fs.FileMode) (File, error)
	// Append opens an ordinary file for writing at its end, or is [errors.ErrUnsupported].
	Append(name string) (File, error)
	Mkdir(name string, perm fs.FileMode) error
	// Remove removes a file or a link, or, where folder says so, an empty folder; anything else
	// is an error. See [RemoveEmpty].
	Remove(name string, folder bool) error
	// Move gives something, with all that lies in it, another name, here or in another folder
	// of the same kind. On another disk it is [ErrAcross]. See the function [Move].
	Move(name string, to Folder, as string) error
	// Swap gives two files or links each other's names at once, or is [ErrNoSwap].
	Swap(name string, with Folder, other string) error
	// SetTime says when something was changed last; under ".", the folder itself. Of a link it
	// is the link's own. See the function [Date].
	SetTime(name string, nanoseconds int64) error
	Readlink(name string) (string, error)
	// Symlink makes a link, or is [errors.ErrUnsupported].
	Symlink(target, name string) error
	// Writable says why nothing can be made in it.
	Writable() error
	// Sync brings the names in the folder to the disk.
	Sync() error
	// SyncDisk brings all that was written to the disk to it; only where [SyncsDisks].
	SyncDisk() error
	Close() error
}

// A File is an open file.
type File interface {
	io.ReadWriteCloser
	io.Seeker
	Look() (tree.Entry, error)
	Chmod(mode fs.FileMode) error
	// Attributes returns the extended attributes, as far as they can be read.
	Attributes() map[string][]byte
	SetAttribute(name string, value []byte) error
	Sync() error
}

// Open opens a folder by its path, which may hold links.
func Open(path string) (Folder, error) {
	open := openSystem
	if store := StoreOf(path); store != nil {
		open = store.Open
	}
	if Between != nil {
		return Between(func() (Folder, error) { return open(path) })
	}
	return open(path)
}

// Between, if it is not nil, stands between this package and those above: tests
// put one there that fails, or that lets somebody else be quicker. A folder that
// stands in front of another one has a method Behind that returns it.
var Between func(open func() (Folder, error)) (Folder, error)

// What can happen beside what a system says.
var (
	ErrAcross = errors.New("it lies on another disk")
	ErrNoSwap = errors.New("this disk cannot exchange two files")
	// ErrOnline is why a file is not opened that a drive's own program would fetch first.
	ErrOnline      = errors.New("it is only online, and would be fetched: have it kept on this computer first")
	errNotOrdinary = errors.New("it is no ordinary file")
	errName        = errors.New("this cannot be a name")
)

// single reports whether a name is that of something in a folder.
func single(name string) bool {
	return name != "" && name != "." && name != ".." && !strings.ContainsAny(name, "/\x00")
}

// Below opens a folder by its path from another one.
func Below(h Folder, path string) (Folder, error) {
	if path == "." {
		return noClose{h}, nil
	}
	if deep, ok := h.(interface {
		Below(path string) (Folder, error)
	}); ok {
		return deep.Below(path)
	}
	at := Folder(noClose{h})
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

// Behind returns the folder of a store that others stand in front of.
func Behind(h Folder) Folder {
	for {
		outer, ok := h.(interface{ Behind() Folder })
		if !ok {
			return h
		}
		h = outer.Behind()
	}
}

// Clone gives an empty file what another one holds, on disks where both can share it. The
// error matches [errors.ErrUnsupported] where they cannot.
func Clone(to, from File) error {
	dst, ok := to.(interface{ Fd() uintptr })
	src, also := from.(interface{ Fd() uintptr })
	if !ok || !also {
		return errors.ErrUnsupported
	}
	return clone(dst.Fd(), src.Fd())
}

// Link gives a file another name, in the same folder or another one of the same disk. The
// error matches [errors.ErrUnsupported] where a file cannot have two.
func Link(from Folder, name string, to Folder, as string) error {
	one, ok := Behind(from).(*system)
	two, also := Behind(to).(*system)
	if !ok || !also || !single(name) || !single(as) {
		return errors.ErrUnsupported
	}
	return one.link(name, two, as)
}

// noClose is a Folder that somebody else closes.
type noClose struct{ inner }

type inner = Folder

func (noClose) Close() error     { return nil }
func (h noClose) Behind() Folder { return h.inner }

// Write makes a file and returns when what fill writes is on the disk.
func Write(h Folder, name string, perm fs.FileMode, fill func(f File) error) error {
	return Fill(h, name, perm, func(f File) error {
		err := fill(f)
		if e := f.Sync(); err == nil {
			err = e
		}
		return err
	})
}

// Fill makes a file, as [Write] does; what fill writes is on the disk only later: see
// [Folder.SyncDisk].
func Fill(h Folder, name string, perm fs.FileMode, fill func(f File) error) error {
	f, err := h.Create(name, perm)
	if err != nil {
		return err
	}
	err = fill(f)
	if e := f.Close(); err == nil {
		err = e
	}
	return err
}

// Read returns what a file holds, up to a number of bytes.
func Read(h Folder, name string, most int64) ([]byte, error) {
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

// KindOf returns the kind of a mode.
func KindOf(m fs.FileMode) tree.Kind {
	switch {
	case m.IsDir():
		return tree.Folder
	case m.IsRegular():
		return tree.File
	case m&fs.ModeSymlink != 0:
		return tree.Symlink
	}
	return tree.Other
}

// Sum returns the checksum of a file, or of what a link says.
func Sum(h Folder, name string) (string, error) {
	f, err := h.Open(name)
	if err != nil {
		if target, linked := h.Readlink(name); linked == nil {
			return digest.Bytes([]byte(target)), nil
		}
		return "", err
	}
	defer f.Close()
	return digest.Of(f)
}
