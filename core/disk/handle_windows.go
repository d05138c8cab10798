package disk

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"golang.org/x/sys/windows"

	"vestibula/core/tree"
)

// A folder is a handle of the system. An [os.Root] keeps names from leading out.
type folder struct{ root *os.Root }

func openSystem(path string) (handle, error) {
	root, err := os.OpenRoot(path)
	if err != nil {
		return nil, err
	}
	return &folder{root}, nil
}

func (f *folder) Folder(name string) (handle, error) {
	if e, err := f.Look(name); err != nil || e.Kind != tree.Folder {
		return nil, errors.Join(err, windows.ERROR_DIRECTORY)
	}
	root, err := f.root.OpenRoot(name)
	if err != nil {
		return nil, err
	}
	return &folder{root}, nil
}

func (f *folder) List() ([]tree.Entry, error) {
	dir, err := f.root.Open(".")
	if err != nil {
		return nil, err
	}
	defer dir.Close()
	found, err := dir.ReadDir(-1)
	entries := make([]tree.Entry, len(found))
	for i, e := range found {
		entries[i] = tree.Entry{Name: e.Name(), Kind: kindOf(e.Type())}
	}
	return entries, err
}

func (f *folder) Look(name string) (tree.Entry, error) {
	info, err := f.root.Lstat(name)
	if err != nil {
		return tree.Entry{}, err
	}
	return entryOf(info), nil
}

func entryOf(info fs.FileInfo) tree.Entry {
	return tree.Entry{Name: info.Name(), Kind: kindOf(info.Mode().Type()), Mode: info.Mode().Perm(), Size: info.Size(), Time: info.ModTime().UnixNano()}
}

func (f *folder) Open(name string) (file, error) { return f.file(name, os.O_RDONLY, 0) }

func (f *folder) Create(name string, perm fs.FileMode) (file, error) {
	return f.file(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, perm)
}

func (f *folder) Append(name string) (file, error) { return f.file(name, os.O_WRONLY|os.O_APPEND, 0) }

func (f *folder) file(name string, flag int, perm fs.FileMode) (file, error) {
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

func (f *folder) Mkdir(name string, perm fs.FileMode) error { return f.root.Mkdir(name, perm) }

func (f *folder) Remove(name string, dir bool) error {
	if e, err := f.Look(name); err != nil || (e.Kind == tree.Folder) != dir {
		return errors.Join(err, errName)
	}
	return f.root.Remove(name)
}

// Move uses the system's call that refuses a taken name, which takes paths.
func (f *folder) Move(name string, to handle, as string) error {
	other, ok := unwrap(to).(*folder)
	if !ok || !single(name) || !single(as) {
		return errName
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
		return errAcross
	}
	return err
}

func (f *folder) Swap(string, handle, string) error { return errNoSwap }

func (f *folder) SetTime(name string, nanoseconds int64) error {
	t := time.Unix(0, nanoseconds)
	return f.root.Chtimes(name, t, t)
}

func (f *folder) Readlink(name string) (string, error) { return f.root.Readlink(name) }
func (f *folder) Symlink(target, name string) error    { return f.root.Symlink(target, name) }

func (f *folder) Writable() error { return nil } // told when it is tried
func (f *folder) Sync() error     { return nil } // cannot and need not be asked
func (f *folder) Close() error    { return f.root.Close() }

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

// identity returns what a folder is known by on its disk, by its path.
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
