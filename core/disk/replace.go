package disk

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// A Revision is a person's own file with something written into it, such as a
// table with its marks. Its path is absolute.
type Revision struct {
	Path string
	Data []byte
	Was  []byte // what it must still hold to be replaced; nil for anything
}

// ErrChanged is why a file is not replaced that is no longer what it was.
var ErrChanged = errors.New("somebody has changed it meanwhile")

// unchanged says whether the file is still what it was.
func (r Revision) unchanged() error {
	if r.Was == nil {
		return nil
	}
	sum, err := contentSum(byPath(r.Path))
	if err == nil && sum != checksum(r.Was) {
		err = ErrChanged
	}
	return err
}

// Real returns the absolute path of a file, the one behind it where it is a link.
func Real(path string) (string, error) {
	path, err := filepath.EvalSymlinks(path)
	if err != nil {
		return "", err
	}
	return filepath.Abs(path)
}

// Replace gives the file its new contents: it has the old ones or the new ones,
// whatever happens. Who may read and write it stays as it is.
func (r Revision) Replace() error {
	err := r.stage()
	if err == nil {
		err = r.commit()
	}
	if err != nil {
		_ = r.discard()
	}
	return err
}

// stage writes the new contents beside the file.
func (r Revision) stage() error {
	if err := r.unchanged(); err != nil {
		return err
	}
	folder, mode, err := r.open()
	if err != nil {
		return err
	}
	defer folder.Close()
	_, err = write(folder, filepath.Base(r.Path)+partName, os.O_CREATE|os.O_TRUNC, 0o600, func(f file) error {
		if err := f.Chmod(mode); err != nil { // the mask does not matter here
			return err
		}
		_, err := f.Write(r.Data)
		return err
	})
	return err
}

// commit puts what was staged into the place of the file.
func (r Revision) commit() error {
	if err := r.unchanged(); err != nil {
		return err
	}
	folder, err := openFolder(filepath.Dir(r.Path))
	if err != nil {
		return err
	}
	defer folder.Close()
	name := filepath.Base(r.Path)
	return folder.Rename(name+partName, name)
}

// discard removes what was staged.
func (r Revision) discard() error {
	folder, err := openFolder(filepath.Dir(r.Path))
	if err != nil {
		return err
	}
	defer folder.Close()
	if err := folder.Remove(filepath.Base(r.Path) + partName); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
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
