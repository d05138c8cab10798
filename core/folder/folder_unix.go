//go:build unix

package folder

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"

	"vestibula/core/tree"
)

// A system folder is a Folder of the system: all calls are relative to its descriptor.
type system struct{ fd int }

func openSystem(path string) (Folder, error) {
	fd, err := open(unix.AT_FDCWD, path, unix.O_RDONLY|unix.O_DIRECTORY, 0)
	if err != nil {
		return nil, err
	}
	return &system{fd}, nil
}

// again calls a system call until it is not interrupted.
func again(call func() error) error {
	for {
		if err := call(); err != unix.EINTR {
			return err
		}
	}
}

func open(at int, name string, flags int, perm fs.FileMode) (fd int, err error) {
	err = again(func() error {
		fd, err = unix.Openat(at, name, flags|unix.O_CLOEXEC, uint32(perm.Perm()))
		return err
	})
	return fd, err
}

// in opens something in the folder, never through a link.
func (f *system) in(name string, flags int, perm fs.FileMode) (int, error) {
	if !single(name) {
		return 0, errName
	}
	return open(f.fd, name, flags|unix.O_NOFOLLOW, perm)
}

func (f *system) Folder(name string) (Folder, error) {
	fd, err := f.in(name, unix.O_RDONLY|unix.O_DIRECTORY, 0)
	if err != nil {
		return nil, err
	}
	return &system{fd}, nil
}

func (f *system) List() ([]tree.Entry, error) {
	fd, err := open(f.fd, ".", unix.O_RDONLY|unix.O_DIRECTORY, 0)
	if err != nil {
		return nil, err
	}
	dir := os.NewFile(uintptr(fd), ".")
	defer dir.Close()
	found, err := dir.ReadDir(-1)
	if err != nil {
		return nil, err
	}
	entries := make([]tree.Entry, len(found))
	for i, e := range found {
		entries[i] = tree.Entry{Name: e.Name(), Kind: KindOf(e.Type())}
	}
	return entries, nil
}

func (f *system) Look(name string) (tree.Entry, error) {
	if !single(name) && name != "." {
		return tree.Entry{}, errName
	}
	var st unix.Stat_t
	if err := again(func() error { return unix.Fstatat(f.fd, name, &st, unix.AT_SYMLINK_NOFOLLOW) }); err != nil {
		return tree.Entry{}, err
	}
	return entryOf(name, &st), nil
}

func entryOf(name string, st *unix.Stat_t) tree.Entry {
	kind := tree.Other
	switch st.Mode & unix.S_IFMT {
	case unix.S_IFDIR:
		kind = tree.Folder
	case unix.S_IFREG:
		kind = tree.File
	case unix.S_IFLNK:
		kind = tree.Symlink
	}
	return tree.Entry{Name: name, Kind: kind, Mode: fs.FileMode(st.Mode & 0o777), Size: st.Size, Time: st.Mtim.Nano(), Dev: uint64(st.Dev), Ino: st.Ino}
}

func (f *system) Open(name string) (File, error) {
	var st unix.Stat_t
	if onlineOnly != nil && single(name) && unix.Fstatat(f.fd, name, &st, unix.AT_SYMLINK_NOFOLLOW) == nil && onlineOnly(&st) {
		return nil, ErrOnline
	}
	// A pipe would wait for somebody at its other end.
	return f.file(name, unix.O_RDONLY|unix.O_NONBLOCK, 0)
}

func (f *system) Create(name string, perm fs.FileMode) (File, error) {
	return f.file(name, unix.O_RDWR|unix.O_CREAT|unix.O_EXCL, perm)
}

func (f *system) Append(name string) (File, error) {
	return f.file(name, unix.O_WRONLY|unix.O_APPEND|unix.O_NONBLOCK, 0)
}

func (f *system) file(name string, flags int, perm fs.FileMode) (File, error) {
	fd, err := f.in(name, flags, perm)
	if err != nil {
		return nil, err
	}
	opened := systemFile{os.NewFile(uintptr(fd), name)}
	e, err := opened.Look()
	if err == nil && e.Kind != tree.File {
		err = errNotOrdinary
	}
	if err != nil {
		opened.Close()
		return nil, err
	}
	return opened, nil
}

func (f *system) Mkdir(name string, perm fs.FileMode) error {
	if !single(name) {
		return errName
	}
	return again(func() error { return unix.Mkdirat(f.fd, name, uint32(perm.Perm())) })
}

func (f *system) Remove(name string, dir bool) error {
	flags := 0
	if dir {
		flags = unix.AT_REMOVEDIR
	}
	if !single(name) {
		return errName
	}
	return again(func() error { return unix.Unlinkat(f.fd, name, flags) })
}

func (f *system) Move(name string, to Folder, as string) error {
	other, ok := Behind(to).(*system)
	switch {
	case !single(name) || !single(as):
		return errName
	case !ok:
		return ErrAcross
	}
	err := again(func() error { return renameNew(f.fd, name, other.fd, as) })
	if errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOTSUP) {
		err = f.moveOld(name, other, as)
	}
	if errors.Is(err, unix.EXDEV) {
		return ErrAcross
	}
	return err
}

// moveOld is Move where the system has no call that refuses a taken name. A link
// to a file is refused there; for a folder it is looked immediately before.
func (f *system) moveOld(name string, to *system, as string) error {
	err := f.link(name, to, as)
	if err == nil {
		return f.Remove(name, false)
	}
	if !errors.Is(err, unix.EPERM) && !errors.Is(err, unix.ENOTSUP) && !errors.Is(err, unix.EMLINK) {
		return err // of a folder it is EPERM: nothing links one
	}
	if _, err := to.Look(as); err == nil {
		return unix.EEXIST
	} else if !errors.Is(err, unix.ENOENT) {
		return err
	}
	return again(func() error { return unix.Renameat(f.fd, name, to.fd, as) })
}

func (f *system) link(name string, to *system, as string) error {
	return again(func() error { return unix.Linkat(f.fd, name, to.fd, as, 0) })
}

func (f *system) Swap(name string, with Folder, other string) error {
	second, ok := Behind(with).(*system)
	switch {
	case !single(name) || !single(other):
		return errName
	case !ok:
		return ErrAcross
	}
	err := again(func() error { return renameSwap(f.fd, name, second.fd, other) })
	if errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOTSUP) {
		return ErrNoSwap
	}
	if errors.Is(err, unix.EXDEV) {
		return ErrAcross
	}
	return err
}

func (f *system) SetTime(name string, nanoseconds int64) error {
	if !single(name) && name != "." {
		return errName
	}
	t := unix.NsecToTimespec(nanoseconds)
	return again(func() error {
		return unix.UtimesNanoAt(f.fd, name, []unix.Timespec{t, t}, unix.AT_SYMLINK_NOFOLLOW)
	})
}

func (f *system) Readlink(name string) (string, error) {
	if !single(name) {
		return "", errName
	}
	buf := make([]byte, 4096)
	n, err := unix.Readlinkat(f.fd, name, buf)
	return string(buf[:max(n, 0)]), err
}

func (f *system) Symlink(target, name string) error {
	if !single(name) {
		return errName
	}
	return unix.Symlinkat(target, f.fd, name)
}

func (f *system) Writable() error { return unix.Faccessat(f.fd, ".", unix.W_OK|unix.X_OK, 0) }
func (f *system) Sync() error     { return again(func() error { return unix.Fsync(f.fd) }) }

// Close forgets the number as well: another folder may have it at once.
func (f *system) Close() error {
	err := unix.Close(f.fd)
	f.fd = -1
	return err
}

// A systemFile is an open file of the system.
type systemFile struct{ *os.File }

func (f systemFile) Look() (tree.Entry, error) {
	var st unix.Stat_t
	if err := unix.Fstat(int(f.Fd()), &st); err != nil {
		return tree.Entry{}, err
	}
	return entryOf(filepath.Base(f.Name()), &st), nil
}

func (f systemFile) Attributes() map[string][]byte {
	list := make([]byte, 4096)
	n, err := unix.Flistxattr(int(f.Fd()), list)
	if err != nil || n == 0 {
		return nil
	}
	all := map[string][]byte{}
	for name := range strings.SplitSeq(strings.TrimSuffix(string(list[:n]), "\x00"), "\x00") {
		value := make([]byte, 64<<10)
		if n, err := unix.Fgetxattr(int(f.Fd()), name, value); err == nil {
			all[name] = value[:n]
		}
	}
	return all
}

func (f systemFile) SetAttribute(name string, value []byte) error {
	return unix.Fsetxattr(int(f.Fd()), name, value, 0)
}

// identity is [Identity] of this disk.
func identity(path string) (dev, ino uint64, err error) {
	var st unix.Stat_t
	err = again(func() error { return unix.Stat(path, &st) })
	return uint64(st.Dev), st.Ino, err
}
