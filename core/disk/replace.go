package disk

import (
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// A Revision is a person's own file with something written into it, such as a
// roster with its marks. Its path is absolute.
type Revision struct {
	Path string
	Data []byte
}

// Real returns the absolute path of a file, the one behind it where it is a link.
func Real(path string) (string, error) {
	path, err := filepath.EvalSymlinks(path)
	if err != nil {
		return "", err
	}
	return filepath.Abs(path)
}

// Possible says why the file could not be replaced, as far as that can be known
// before.
func (r Revision) Possible() error {
	folder, _, err := r.open()
	if err != nil {
		return err
	}
	defer folder.Close()
	// That a file can be made beside it is only known by making one.
	temporary := filepath.Base(r.Path) + partName
	_, err = write(folder, temporary, os.O_CREATE|os.O_TRUNC, 0o600, func(w io.Writer) error {
		_, err := w.Write(r.Data)
		return err
	})
	if e := folder.Remove(temporary); err == nil {
		err = e
	}
	return err
}

// Replace gives the file its new contents: it has the old ones or the new ones,
// whatever happens. Who may read and write it stays as it is.
func (r Revision) Replace() error {
	folder, mode, err := r.open()
	if err != nil {
		return err
	}
	defer folder.Close()
	name := filepath.Base(r.Path)
	return replace(folder, name, name+partName, mode, r.Data)
}

// open opens the folder of a file that may be written, and returns its
// permissions.
func (r Revision) open() (handle, fs.FileMode, error) {
	folder, err := openFolder(filepath.Dir(r.Path))
	if err != nil {
		return nil, 0, err
	}
	name := filepath.Base(r.Path)
	info, err := folder.Lstat(name)
	if err == nil && !info.Mode().IsRegular() {
		err = fs.ErrInvalid
	}
	var f file
	if err == nil {
		f, err = folder.OpenFile(name, os.O_WRONLY, 0)
	}
	if err == nil {
		err = f.Close()
	}
	if err != nil {
		folder.Close()
		return nil, 0, err
	}
	return folder, info.Mode().Perm(), nil
}
