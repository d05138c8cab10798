// Package disk carries plans out on a real file system. All work goes through a
// handle on the destination, so that no name and no link can lead outside it,
// and nothing that exists is ever overwritten or removed.
package disk

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"unicode/utf8"

	"vestibula/core/plan"
	"vestibula/core/tree"
)

// A Place is a folder on a disk in which trees are built. It is a [plan.Place].
type Place struct {
	Path string
	root handle
}

// Open opens an existing folder as a place to build in. The error says, for a
// person, why it cannot be one.
func Open(path string) (*Place, error) {
	info, err := os.Lstat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("there is no folder %q: make it first, or name one that exists", path)
	case err != nil:
		return nil, fmt.Errorf("%q cannot be reached: %s", path, Reason(err))
	case info.Mode()&fs.ModeSymlink != 0:
		target, _ := filepath.EvalSymlinks(path)
		return nil, fmt.Errorf("%q is a link to elsewhere: name the folder itself, %s", path, target)
	case !info.IsDir():
		return nil, fmt.Errorf("%q is a file, and a folder is needed", path)
	}
	root, err := openFolder(path)
	if err != nil {
		return nil, fmt.Errorf("%q cannot be opened: %s", path, Reason(err))
	}
	return &Place{path, root}, nil
}

// Close gives the handle on the folder back.
func (p *Place) Close() error { return p.root.Close() }

// List returns the entries of a folder.
func (p *Place) List(path string) ([]plan.Item, error) {
	entries, err := list(p.root, path)
	if err != nil {
		return nil, errors.New(Reason(err))
	}
	items := make([]plan.Item, len(entries))
	for i, e := range entries {
		items[i] = plan.Item{Name: e.Name(), Kind: kindOf(e.Type())}
	}
	return items, nil
}

func kindOf(m fs.FileMode) plan.ItemKind {
	switch {
	case m.IsDir():
		return plan.Folder
	case m.IsRegular():
		return plan.File
	case m&fs.ModeSymlink != 0:
		return plan.Link
	}
	return plan.Other
}

// Same reports whether a file holds what the content says.
func (p *Place) Same(path string, c tree.Content) (bool, error) {
	have, err := p.root.OpenFile(path, os.O_RDONLY, 0)
	if err != nil {
		return false, fmt.Errorf("%s cannot be read: %s", path, Reason(err))
	}
	defer have.Close()
	var want io.Reader = bytes.NewReader(nil)
	if c != nil {
		r, err := c.Open()
		if err != nil {
			return false, fmt.Errorf("%s cannot be read: %s", c.Source(), Reason(err))
		}
		defer r.Close()
		want = r
	}
	return sameBytes(have, want)
}

func sameBytes(a, b io.Reader) (bool, error) {
	x, y := make([]byte, 32<<10), make([]byte, 32<<10)
	for {
		n, errA := io.ReadFull(a, x)
		m, errB := io.ReadFull(b, y)
		if !bytes.Equal(x[:n], y[:m]) {
			return false, nil
		}
		if errA != nil || errB != nil {
			for _, err := range []error{errA, errB} {
				if err != nil && err != io.EOF && err != io.ErrUnexpectedEOF {
					return false, err
				}
			}
			return true, nil
		}
	}
}

// maxRead is the largest file that is read as a whole. Labels and tables are far
// smaller; what a stranger put there may not be.
const maxRead = 128 << 20

// ReadFile returns what a file holds, or nil where there is none.
func (p *Place) ReadFile(path string) ([]byte, error) {
	info, err := p.root.Lstat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, nil
	case err == nil && info.Size() > maxRead:
		return nil, fmt.Errorf("it is larger than %d MB", maxRead>>20)
	}
	return read(p.root, path)
}

// TooLong returns the longest path of a plan, its length, and the most that this
// system takes, so that what is built can also be opened. Lengths are in bytes,
// on Windows in characters.
func (p *Place) TooLong(pl *plan.Plan) (path string, length, most int) {
	base, err := filepath.Abs(p.Path)
	if err != nil {
		base = p.Path
	}
	most = 4095 // PATH_MAX of Linux without the final zero
	measure := func(s string) int { return len(s) }
	switch runtime.GOOS {
	case "darwin":
		most = 1023
	case "windows":
		most, measure = 259, utf8.RuneCountInString
	}
	lengths := make([]int32, len(pl.Steps))
	longest := -1
	for i := range pl.Steps {
		s := &pl.Steps[i]
		n := measure(base)
		if s.Parent >= 0 {
			n = int(lengths[s.Parent])
		}
		n += 1 + measure(s.Node.Name)
		if lengths[i] = int32(n); n > length {
			longest, length = i, n
		}
	}
	if length > most {
		path = pl.Path(longest)
	}
	return path, length, most
}
