package folder

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"golang.org/x/sys/windows"

	"vestibula/core/tree"
)

// A system folder is a Folder of the system. An [os.Root] keeps names from leading out.
type system struct{ root *os.Root }

func openSystem(path string) (Folder, error) {
	root, err := os.OpenRoot(path)
	if err != nil {
		return nil, err
	}
	return &system{root}, nil
}

func (f *system) Folder(name string) (Folder, error) {
	if e, err := f.Look(name); err != nil || e.Kind != tree.Folder {
		return nil, errors.Join(err, windows.ERROR_DIRECTORY)
	}
	root, err := f.root.OpenRoot(name)
	if err != nil {
		return nil, err
	}
	return &system{root}, nil
}

func (f *system) List() ([]tree.Entry, error) {
	dir, err := f.root.Open(".")
	if err != nil {
		return nil, err
	}
	defer dir.Close()
	found, err := dir.ReadDir(-1)
	entries := make([]tree.Entry, len(found))
	for i, e := range found {
		entries[i] = tree.Entry{Name: e.Name(), Kind: KindOf(e.Type())}
	}
	return entries, err
}

func (f *system) Look(name string) (tree.Entry, error) {
	info, err := f.root.Lstat(name)
	if err != nil {
		return tree.Entry{}, err
	}
	return entryOf(info), nil
}

func entryOf(info fs.FileInfo) tree.Entry {
	return tree.Entry{Name: info.Name(), Kind: KindOf(info.Mode().Type()), Mode: info.Mode().Perm(), Size: info.Size(), Time: info.ModTime().UnixNano()}
}

func (f *system) Open(name string) (File, error) {
	if info, err := f.root.Lstat(name); err == nil && isOnline(info) {
		return nil, ErrOnline
	}
	return f.file(name, os.O_RDONLY, 0)
}

// isOnline reports whether what a file holds is not on this disk, and comes when it is opened:
// FILE_ATTRIBUTE_RECALL_ON_DATA_ACCESS, _RECALL_ON_OPEN and _OFFLINE of the system.
func isOnline(info fs.FileInfo) bool {
	is, ok := info.Sys().(*syscall.Win32FileAttributeData)
	return ok && is.FileAttributes&(0x400000|0x40000|windows.FILE_ATTRIBUTE_OFFLINE) != 0
}

func (f *system) Create(name string, perm fs.FileMode) (File, error) {
	return f.file(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, perm)
}

func (f *system) Append(name string) (File, error) { return f.file(name, os.O_WRONLY|os.O_APPEND, 0) }

func (f *system) file(name string, flag int, perm fs.FileMode) (File, error) {
	if !single(name) {
		return nil, errName
	}
	if e, err := f.Look(name); err == nil && e.Kind != tree.File {
		return nil, errNotOrdinary
	}
	opened, err := f.root.OpenFile(name, flag, perm)
	if err != nil {
		return nil, err
	}
	return systemFile{opened}, nil
}

func (f *system) Mkdir(name string, perm fs.FileMode) error { return f.root.Mkdir(name, perm) }

func (f *system) Remove(name string, dir bool) error {
	if e, err := f.Look(name); err != nil || (e.Kind == tree.Folder) != dir {
		return errors.Join(err, errName)
	}
	return f.root.Remove(name)
}

// Move uses the system's call that refuses a taken name, which takes paths.
func (f *system) Move(name string, to Folder, as string) error {
	other, ok := Behind(to).(*system)
	switch {
	case !single(name) || !single(as):
		return errName
	case !ok:
		return ErrAcross
	}
	from, err := windows.UTF16PtrFromString(filepath.Join(f.root.Name(), name))
	if err != nil {
		return err
	}
	target, err := windows.UTF16PtrFromString(filepath.Join(other.root.Name(), as))
	if err != nil {
		return err
	}
	if err = windows.MoveFileEx(from, target, 0); errors.Is(err, windows.ERROR_NOT_SAME_DEVICE) {
		return ErrAcross
	}
	return err
}

func (f *system) Swap(string, Folder, string) error { return ErrNoSwap }

func (f *system) SetTime(name string, nanoseconds int64) error {
	if e, err := f.Look(name); err != nil || e.Kind == tree.Symlink {
		return err // the call would follow it
	}
	t := time.Unix(0, nanoseconds)
	return f.root.Chtimes(name, t, t)
}

// link needs no other folder than its own: Windows links by paths, which others can change.
func (f *system) link(string, *system, string) error { return errors.ErrUnsupported }

func (f *system) Readlink(name string) (string, error) { return f.root.Readlink(name) }
func (f *system) Symlink(target, name string) error    { return f.root.Symlink(target, name) }

func (f *system) Writable() error { return nil } // told when it is tried
func (f *system) Sync() error     { return nil } // cannot and need not be asked
func (f *system) Close() error    { return f.root.Close() }

// A systemFile is an open file of the system.
type systemFile struct{ *os.File }

func (f systemFile) Look() (tree.Entry, error) {
	info, err := f.Stat()
	if err != nil {
		return tree.Entry{}, err
	}
	return entryOf(info), nil
}

func (systemFile) Attributes() map[string][]byte     { return nil }
func (systemFile) SetAttribute(string, []byte) error { return nil }

// identity is [Identity] of this disk.
func identity(path string) (dev, ino uint64, err error) {
	p, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return 0, 0, err
	}
	h, err := windows.CreateFile(p, 0, windows.FILE_SHARE_READ|windows.FILE_SHARE_WRITE|windows.FILE_SHARE_DELETE, nil, windows.OPEN_EXISTING, windows.FILE_FLAG_BACKUP_SEMANTICS, 0)
	if err != nil {
		return 0, 0, err
	}
	defer windows.CloseHandle(h)
	var info windows.ByHandleFileInformation
	if err := windows.GetFileInformationByHandle(h, &info); err != nil {
		return 0, 0, err
	}
	return uint64(info.VolumeSerialNumber), uint64(info.FileIndexHigh)<<32 | uint64(info.FileIndexLow), nil
}
