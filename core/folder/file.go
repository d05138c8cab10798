package folder

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
)

// OpenFile opens an ordinary file to be read, by its path, which may be or hold links: who
// names a file means what is behind them. Anything else is refused, and never waited for,
// as a pipe is that nobody writes to. It may lie in any store.
func OpenFile(path string) (Reading, error) {
	if store := StoreOf(path); store != nil {
		return openIn(store, path)
	}
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if err := ordinary(info); err != nil {
		return nil, err
	}
	if isOnline(info) {
		return nil, ErrOnline
	}
	f, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	if info, err = f.Stat(); err == nil { // it may be another thing by now
		err = ordinary(info)
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

func ordinary(info fs.FileInfo) error {
	switch {
	case info.IsDir():
		return errors.New("it is a folder; name a file")
	case !info.Mode().IsRegular():
		return errNotOrdinary
	}
	return nil
}

// A Reading is an open file that is read.
type Reading interface {
	io.ReadCloser
	io.ReaderAt
	io.Seeker
	Stat() (fs.FileInfo, error)
}

// openIn opens a file of a store.
func openIn(store Store, path string) (Reading, error) {
	up, name := filepath.Split(path)
	h, err := store.Open(filepath.Clean(up))
	if err != nil {
		return nil, err
	}
	defer h.Close()
	f, err := h.Open(name)
	if err != nil {
		return nil, err
	}
	r, ok := f.(Reading)
	if !ok {
		f.Close()
		return nil, errors.ErrUnsupported
	}
	return r, nil
}
