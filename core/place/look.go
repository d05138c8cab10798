package place

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// Lstat says what lies at a path of this disk or on a drive, as [os.Lstat] does; it follows no
// link at its end.
func Lstat[P ~string](at P) (fs.FileInfo, error) {
	if s := folder.StoreOf(string(at)); s != nil {
		e, err := s.Look(string(at))
		if err != nil {
			return nil, err
		}
		return e.Info(), nil
	}
	return os.Lstat(string(at))
}

// Stat is as [Lstat], behind all links: who names one means what it leads to.
func Stat[P ~string](at P) (fs.FileInfo, error) {
	if folder.StoreOf(string(at)) != nil {
		return Lstat(at)
	}
	return os.Stat(string(at))
}

// Readlink is what a link of this disk says that it leads to, as [os.Readlink] does; there are none on
// a drive.
func Readlink[P ~string](at P) (string, error) {
	if folder.StoreOf(string(at)) != nil {
		return "", &fs.PathError{Op: "readlink", Path: string(at), Err: fs.ErrInvalid}
	}
	return os.Readlink(string(at))
}

// Weigh sums up the files of a folder that was read into a tree: how many bytes they hold, and when one of
// them was changed last. What cannot be looked at counts nothing.
func Weigh[P ~string](dir P, root *tree.Node) (size int64, touched time.Time) {
	eyes, err := Open(dir)
	if err != nil {
		return 0, touched
	}
	defer eyes.Close()
	for at, n := range root.All() {
		if n.Kind == tree.Folder {
			continue
		}
		if e, err := eyes.Look(at); err == nil {
			size += e.Size
			if t := time.Unix(0, e.Time); t.After(touched) {
				touched = t
			}
		}
	}
	return size, touched
}

// ReadDir lists a folder of this disk or on a drive, in the order of names, as [os.ReadDir] does.
func ReadDir[P ~string](at P) ([]fs.DirEntry, error) {
	s := folder.StoreOf(string(at))
	if s == nil {
		return os.ReadDir(string(at))
	}
	h, err := s.Open(string(at))
	if err != nil {
		return nil, err
	}
	defer h.Close()
	list, err := h.List()
	if err != nil {
		return nil, err
	}
	slices.SortFunc(list, func(a, b tree.Entry) int { return strings.Compare(a.Name, b.Name) })
	out := make([]fs.DirEntry, len(list))
	for i, e := range list {
		out[i] = fs.FileInfoToDirEntry(e.Info())
	}
	return out, nil
}

// Owned reports whether a folder belongs to the person who runs the program. On a drive, all that
// they are shown does.
func Owned(path string) bool {
	if folder.StoreOf(path) == nil {
		return owned(path)
	}
	info, err := Lstat(path)
	return err == nil && info.IsDir()
}

// Read reads a folder of this disk or on a drive into a tree: see [tree.ReadFrom].
func Read[P ~string](dir P, skip func(path string, folder bool) bool, done func(n int)) (*tree.Node, []tree.Unread, error) {
	s := folder.StoreOf(string(dir))
	if s == nil {
		return tree.Read(dir, skip, done)
	}
	h, err := s.Open(string(dir))
	if err != nil {
		return nil, nil, err
	}
	defer h.Close()
	root, unread := tree.ReadFrom(far{h}, skip, done)
	return root, unread, nil
}

// far lists the folders of a drive.
type far struct{ top folder.Folder }

func (f far) List(at string) ([]tree.Entry, error) {
	h, err := folder.Below(f.top, path.Clean(at))
	if err != nil {
		return nil, err
	}
	defer h.Close()
	return h.List()
}

// Hands is how many folders are listed at a time.
func (f far) Hands() int { return folder.Hands(f.top, 1) }

// FS is a folder of this disk or on a drive, to be read from. No link in it leads out.
func FS[P ~string](dir P) (fs.FS, error) {
	if folder.StoreOf(string(dir)) != nil {
		return files(dir), nil
	}
	root, err := os.OpenRoot(string(dir))
	if err != nil {
		return nil, err
	}
	return root.FS(), nil
}

// files are those of a folder on a drive.
type files string

// Open opens a file or a folder below.
func (f files) Open(name string) (fs.File, error) {
	if !fs.ValidPath(name) {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrInvalid}
	}
	at := address.Address(f).Join(name)
	info, err := Lstat(at)
	if err != nil || info.IsDir() {
		return opened{info: info}, err
	}
	file, err := OpenFile(at)
	return opened{file, info}, err
}

// An opened file can be looked at.
type opened struct {
	io.ReadCloser
	info fs.FileInfo
}

func (o opened) Stat() (fs.FileInfo, error) { return o.info, nil }

// Read reads a file; a folder has nothing to be read.
func (o opened) Read(b []byte) (int, error) {
	if o.ReadCloser == nil {
		return 0, errors.New("it is a folder")
	}
	return o.ReadCloser.Read(b)
}

// Close closes a file.
func (o opened) Close() error {
	if o.ReadCloser == nil {
		return nil
	}
	return o.ReadCloser.Close()
}
