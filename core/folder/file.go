package folder

import (
	"errors"
	"io/fs"
	"os"
	"syscall"
)

// OpenFile opens an ordinary file to be read, by its path, which may be or hold links: who
// names a file means what is behind them. Anything else is refused, and never waited for,
// as a pipe is that nobody writes to.
func OpenFile(path string) (*os.File, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if err := ordinary(info); err != nil {
		return nil, err
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
