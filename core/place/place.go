// Package place opens folders of a disk or a drive to be looked at, and files that somebody
// names, each with a budget. It follows no link below a place, and opens no device,
// pipe or socket. It changes nothing: that is done by package disk.
package place

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"unicode/utf8"

	"vestibula/core/address"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// A Place is a folder on a disk. It is a [tree.Place].
type Place struct {
	Path string          // as it was given
	Real address.Address // with no link in it
	root folder.Folder
	own  folder.Folder // the same, where names in it are others for the time being
	// The folder that was looked into last stays open: looks mostly follow each
	// other there.
	last    folder.Folder
	lastDir string
}

// Open opens an existing folder as a place. The error says, for a person, why it
// cannot be one.
func Open[P ~string](path P) (*Place, error) {
	clean := filepath.Clean(string(path))
	info, err := Lstat(clean)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("there is no folder \"%s\": make it first, or name one that exists", path)
	case err != nil:
		return nil, fmt.Errorf("\"%s\" cannot be reached: %s", path, folder.Reason(err))
	case info.Mode()&fs.ModeSymlink != 0:
		target, _ := filepath.EvalSymlinks(clean)
		return nil, fmt.Errorf("\"%s\" is a link to elsewhere: name the folder itself, %s", path, target)
	case !info.IsDir():
		return nil, fmt.Errorf("\"%s\" is a file, and a folder is needed", path)
	}
	real, err := Real(clean)
	if err != nil {
		return nil, fmt.Errorf("\"%s\" cannot be reached: %s", path, folder.Reason(err))
	}
	root, err := folder.Open(string(real))
	if err != nil {
		return nil, fmt.Errorf("\"%s\" cannot be opened: %s", path, folder.Reason(err))
	}
	return &Place{Path: string(path), Real: real, root: root}, nil
}

// Clone returns the place for another goroutine, which closes it.
func (p *Place) Clone() tree.Place { return &clone{Place{Path: p.Path, Real: p.Real, root: p.root}} }

// A clone looks through the handle of another place.
type clone struct{ Place }

func (c *clone) Close() error {
	if c.last != nil {
		return c.last.Close()
	}
	return nil
}

// Real returns the absolute path of something that exists, without any link.
func Real[P ~string](path P) (address.Address, error) {
	full, err := filepath.Abs(string(path))
	if err != nil {
		return "", err
	}
	if store := folder.StoreOf(full); store != nil {
		_, err := store.Look(full)
		return address.Address(full), err
	}
	real, err := filepath.EvalSymlinks(full)
	var code syscall.Errno
	if err != nil && !errors.As(err, &code) && !errors.Is(err, fs.ErrNotExist) { // links that lead in a circle have a text of their own
		err = &fs.PathError{Op: "follow", Path: full, Err: syscall.ELOOP}
	}
	return address.Address(real), err
}

// Under gives folders in it other names for the time being: see [folder.Under]. Without names,
// all bear their own again.
func (p *Place) Under(names map[string]string) {
	if p.last != nil {
		p.last.Close()
		p.last = nil
	}
	if p.own == nil {
		p.own = p.root
	}
	if p.root = p.own; len(names) > 0 {
		p.root = folder.Under(p.own, names)
	}
}

// Root is the open folder itself, for who may change it.
func (p *Place) Root() folder.Folder { return p.root }

// Close gives the handle on the folder back.
func (p *Place) Close() error {
	if p.last != nil {
		p.last.Close()
	}
	return p.root.Close()
}

// List returns the entries of a folder.
func (p *Place) List(path string) ([]tree.Entry, error) {
	f, err := folder.Below(p.root, path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return f.List()
}

// Look returns what lies at a path.
func (p *Place) Look(path string) (e tree.Entry, err error) {
	err = p.in(path, func(f folder.Folder, name string) error {
		e, err = f.Look(name)
		return err
	})
	return e, err
}

// in calls do with the folder that a path lies in.
func (p *Place) in(path string, do func(f folder.Folder, name string) error) error {
	dir, name := Split(path)
	if p.last == nil || p.lastDir != dir {
		f, err := folder.Below(p.root, dir)
		if err != nil {
			return err
		}
		if p.last != nil {
			p.last.Close()
		}
		p.last, p.lastDir = f, dir
	}
	return do(p.last, name)
}

// Split returns the folder of a path, and the name in it.
func Split(path string) (dir, name string) {
	for i := len(path) - 1; i >= 0; i-- {
		if path[i] == '/' {
			return path[:i], path[i+1:]
		}
	}
	return ".", path
}

// Open opens an ordinary file, or what a link says.
func (p *Place) Open(path string) (r io.ReadCloser, err error) {
	err = p.in(path, func(f folder.Folder, name string) error {
		if r, err = f.Open(name); err != nil {
			if target, linked := f.Readlink(name); linked == nil {
				r, err = tree.Target(target).Open()
			}
		}
		return err
	})
	return r, err
}

// Sum returns the checksum of a file, of the algorithm of [digest.Of].
func (p *Place) Sum(path string) (string, error) {
	f, err := p.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	return digest.Of(f)
}

// Writable returns an error where nothing can be made in a folder: the right is
// missing, or the medium can only be read.
func (p *Place) Writable(path string) error {
	f, err := folder.Below(p.root, path)
	if err != nil {
		return err
	}
	defer f.Close()
	return f.Writable()
}

// Reaching is what reaches the stores of addresses.
type Reaching interface {
	Of(path string) folder.Store
}

// Drives makes places known that do not lie on this disk: reach returns what reaches them, and is called when
// the first of them is asked for.
func Drives(reach func() Reaching) {
	folder.StoreOf = func(path string) folder.Store {
		if !address.Address(path).OnDrive() {
			return nil
		}
		return reach().Of(path)
	}
}

// Far reports whether it lies on a drive, where nothing is a link and nothing keeps its time.
func (p *Place) Far() bool { return folder.Lacks(p.root)&(folder.Linking|folder.Dating) != 0 }

// MaxPath is how long a path may be so that what is made can also be opened, in
// bytes, on Windows in characters.
func (p *Place) MaxPath() int {
	if p.Real.OnDrive() {
		return 4000 // what servers take of a request, most of the time, without its percent signs
	}
	switch runtime.GOOS {
	case "darwin":
		return 1023
	case "windows":
		return 259
	}
	return 4095 // PATH_MAX of Linux without the final zero
}

// PathLength is how long the whole path of something is.
func (p *Place) PathLength(path string) int {
	if runtime.GOOS == "windows" {
		return utf8.RuneCountInString(string(p.Real)) + 1 + utf8.RuneCountInString(path)
	}
	return len(p.Real) + 1 + len(path)
}

// ReadFile returns what a file holds, or nil where there is none. Of a file with
// more than most bytes, it is a [TooLargeError].
func (p *Place) ReadFile(path string, most int64) (data []byte, err error) {
	err = p.in(path, func(f folder.Folder, name string) error {
		data, err = folder.Read(f, name, most)
		return err
	})
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	return data, err
}

// ReadFile returns what an ordinary file holds, by its path, which may be or hold
// links: who names a file means what is behind them. What opens is looked at, so
// that no device, pipe or folder is read. Of a file with more than most bytes, it
// is a [TooLargeError].
func ReadFile[P ~string](path P, most int64) ([]byte, error) {
	real, err := Real(path)
	if err != nil {
		return nil, err
	}
	f, err := folder.Open(string(real.Parent()))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	e, err := f.Look(real.Name())
	switch {
	case err != nil:
		return nil, err
	case e.Kind == tree.Folder:
		return nil, errors.New("it is a folder; name a file")
	case e.Size > most:
		return nil, &folder.TooLargeError{Most: most}
	}
	return folder.Read(f, real.Name(), most)
}

// A File is an open file that is read, in turn or anywhere.
type File = folder.Reading

// OpenFile opens an ordinary file to be read, as [folder.OpenFile] does.
func OpenFile[P ~string](path P) (File, error) { return folder.OpenFile(string(path)) }

// Reason says, for a person, why a system call failed, without the path that it
// was about.
func Reason(err error) string { return folder.Reason(err) }

// Plain is the text of an error in which what the system said stands in words for people.
func Plain(err error) string {
	text := err.Error()
	var path *fs.PathError
	if errors.As(err, &path) {
		text = strings.Replace(text, path.Error(), Reason(path), 1)
	}
	var code syscall.Errno
	if errors.As(err, &code) {
		text = strings.Replace(text, code.Error(), Reason(code), 1)
	}
	return text
}

// A TooLargeError says that a file holds more than is read of one.
type TooLargeError = folder.TooLargeError

// Exists reports whether anything lies at a path of this disk or on a drive, a link that leads
// nowhere among it.
func Exists[P ~string](path P) bool {
	_, err := Lstat(path)
	return err == nil
}

// Identity is what something at a path is known by, however it is called; it follows no link. On a
// drive, it is the path.
func Identity(at address.Address) (dev, ino uint64, err error) { return folder.Identity(string(at)) }

// Begins is the folder in which the disk begins that an address lies on.
func Begins(at address.Address) address.Address {
	if at.OnDrive() {
		return at.Server()
	}
	dev, _, err := Identity(at)
	for up := at.Parent(); err == nil && up != at; up = at.Parent() {
		above, _, wrong := Identity(up)
		if wrong != nil || above != dev {
			break
		}
		at = up
	}
	return at
}

// Room is how many bytes are free where an address lies, as far as its store tells.
func Room(at address.Address) (free int64, known bool) { return folder.Room(string(at)) }
