//go:build unix

package disk

import (
	"os"

	"golang.org/x/sys/unix"
)

// Writable returns an error where nothing can be made in a folder: the right is
// missing, or the medium can only be read.
func (p *Place) Writable(path string) error {
	f, err := p.root.OpenFile(path, os.O_RDONLY, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	return unix.Faccessat(int(f.Fd()), ".", unix.W_OK|unix.X_OK, unix.AT_EACCESS)
}
