package cli

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"vestibula/core/bag"
	"vestibula/core/digest"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// entries sums up all that lies in a project, several files at a time. Of files that are as
// in the last backup, which may be nil, it takes what that one says.
func (a *app) entries(dir string, root *tree.Node, last *madeBackup) ([]bag.Entry, error) {
	known, payload := map[string]*bag.Entry{}, ""
	if last != nil {
		payload = last.payload()
		for i := range last.note.Entries {
			known[last.note.Entries[i].Path] = &last.note.Entries[i]
		}
	}
	var list []bag.Entry
	for at, n := range root.All() {
		e := bag.Entry{Path: strings.Clone(at)}
		if n.Kind == tree.Folder {
			e.Path += "/"
		}
		list = append(list, e)
	}
	done, end := a.progress("reading", len(list))
	defer end()
	errs := make([]error, len(list))
	several(len(list), func() func(i int) {
		return func(i int) {
			e := &list[i]
			if errs[i] = lookAt(dir, e, func(living os.FileInfo) bool {
				was := known[e.Path]
				if was == nil || was.Sum == "" || was.Size != e.Size || was.Time != e.Time {
					return false
				}
				there, err := os.Lstat(filepath.Join(payload, filepath.FromSlash(e.Path)))
				if err != nil || !there.Mode().IsRegular() || there.Size() != e.Size || there.ModTime().UnixNano() != e.Time || os.SameFile(there, living) {
					return false
				}
				e.Sum, e.Same = was.Sum, true
				return true
			}); errs[i] == nil {
				done(1)
			}
		}
	})
	for i, err := range errs {
		if err != nil {
			return nil, refused("", "%s cannot be read: %s", list[i].Path, place.Reason(err))
		}
	}
	return list, nil
}

// lookAt looks at one entry. A file is summed up, where known does not tell what it holds.
func lookAt(dir string, e *bag.Entry, known func(living os.FileInfo) bool) error {
	full := filepath.Join(dir, filepath.FromSlash(e.Path))
	info, err := os.Lstat(full)
	if err != nil {
		return err
	}
	e.Time, e.Mode = info.ModTime().UnixNano(), uint32(info.Mode().Perm())
	switch {
	case info.IsDir():
		return nil
	case info.Mode()&fs.ModeSymlink != 0:
		e.To, err = os.Readlink(full)
		return err
	case !info.Mode().IsRegular():
		return fmt.Errorf("it is no ordinary file")
	}
	if e.Size = info.Size(); known != nil && known(info) {
		return nil
	}
	f, err := os.Open(full)
	if err != nil {
		return err
	}
	defer f.Close()
	e.Sum, err = digest.Of(f)
	return err
}

// isFile reports whether an ordinary file lies at a path.
func isFile(at string) bool {
	info, err := os.Lstat(at)
	return err == nil && info.Mode().IsRegular()
}
