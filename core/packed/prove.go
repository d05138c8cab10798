package packed

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"strings"

	"vestibula/core/digest"
	"vestibula/core/tree"
)

// Prove reads a ZIP archive that was written of this one, entry by entry, and reports what
// is not as it was meant: of files whose checksum is known, what they hold is compared.
func (a *Archive) Prove(written io.ReadSeeker) error {
	size, err := written.Seek(0, io.SeekEnd)
	if err != nil {
		return err
	}
	if a.Format != Zip {
		_, err := digest.Of(written)
		return err
	}
	r, err := zip.NewReader(&anywhere{written, size}, size)
	if err != nil {
		return errors.New("the archive does not read as it was written")
	}
	i := 0
	for path, n := range a.Root.All() {
		if i == len(r.File) {
			return fmt.Errorf("%s is missing in the archive", path)
		}
		e := r.File[i]
		i++
		if n.Kind == tree.Folder {
			path += "/"
		}
		if e.Name != path {
			return fmt.Errorf("%s is missing in the archive", path)
		}
		if n.Kind != tree.Folder {
			if err := proveEntry(e, n.Content); err != nil {
				return fmt.Errorf("%s: %w", strings.Clone(path), err)
			}
		}
		if a.Done != nil {
			a.Done(1)
		}
	}
	if i < len(r.File) {
		return fmt.Errorf("%s is in the archive, and should not be", r.File[i].Name)
	}
	return nil
}

func proveEntry(e *zip.File, c tree.Content) error {
	f, err := e.Open()
	if err != nil {
		return err
	}
	defer f.Close()
	sum, err := digest.Of(f) // the archive's own checksum is compared on the way
	if err != nil {
		return err
	}
	if known, is := c.(interface{ Sum() string }); is && known.Sum() != sum {
		return errors.New("it does not read as it was written")
	}
	return nil
}

// An anywhere reader reads at any place of what one reads after the other.
type anywhere struct {
	io.ReadSeeker
	size int64
}

// ReadAt reads at an offset. Only one may read at a time.
func (a *anywhere) ReadAt(b []byte, offset int64) (int, error) {
	if offset >= a.size {
		return 0, io.EOF
	}
	if _, err := a.Seek(offset, io.SeekStart); err != nil {
		return 0, err
	}
	n, err := io.ReadFull(a.ReadSeeker, b)
	if errors.Is(err, io.ErrUnexpectedEOF) {
		err = io.EOF
	}
	return n, err
}
