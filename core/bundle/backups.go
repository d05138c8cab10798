// Package bundle is what a folder or a file holds that has a list of what lies in it: a backup,
// a bag, a project in an archive file. It makes such lists, with checksums, finds what has one,
// and says what is otherwise since.
package bundle

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"vestibula/core/bag"
	"vestibula/core/pack"
	"vestibula/core/packed"
	"vestibula/core/place"
)

// A Backup is one that is there.
type Backup struct {
	Dir  string      // absolute; of one in a file, that
	Head *bag.Backup // what its list says of it as a whole
}

// Payload is the folder in which a backup has what it holds, absolute.
func (b *Backup) Payload() string {
	if place.Exists(filepath.Join(b.Dir, bag.BackupName)) {
		return b.Dir
	}
	return filepath.Join(b.Dir, bag.Payload)
}

// Backups are those of a project in a folder, the newest first; of all projects where the
// identity is empty.
func Backups(dir, id string) (list []Backup) {
	entries, _ := os.ReadDir(dir)
	for _, e := range entries {
		if head := Head(filepath.Join(dir, e.Name())); head != nil && (id == "" || head.ID == id) {
			list = append(list, Backup{filepath.Join(dir, e.Name()), head})
		}
	}
	slices.SortStableFunc(list, func(a, b Backup) int { return b.Head.Made.Compare(a.Head.Made) })
	return list
}

// Head is what the list of a backup says of it as a whole; nil where a folder or a file is
// none.
func Head(dir string) *bag.Backup {
	for _, name := range []string{bag.BackupName, bag.BagName} {
		if at := filepath.Join(dir, name); IsFile(at) {
			f, err := place.OpenFile(at)
			if err != nil {
				return nil
			}
			defer f.Close()
			data, err := io.ReadAll(io.LimitReader(f, bag.HeadSize))
			if err != nil {
				return nil
			}
			head, _ := bag.ParseHead(data) // what is no list is no backup
			return head
		}
	}
	if !IsFile(dir) {
		return nil
	}
	note, _ := Note(dir)
	return note
}

// Note is the list that a backup has of itself; nil where a folder or a file is none. The
// error says that it cannot be read.
func Note(dir string) (*bag.Backup, error) {
	if packed.FormatOf(dir) == packed.Zip && IsFile(dir) {
		f, err := pack.Open(dir)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		if f.Top() == nil {
			return nil, nil
		}
		note, _, err := f.Note(f.Top().Name)
		return note, err
	}
	for _, name := range []string{bag.BackupName, bag.BagName} {
		at := filepath.Join(dir, name)
		if !place.Exists(at) {
			continue
		}
		data, err := place.ReadFile(at, bag.MaxBackup)
		if err != nil {
			return nil, fmt.Errorf("its list, %s, cannot be read: %s", name, place.Reason(err))
		}
		return bag.ParseBackup(data)
	}
	return nil, nil
}

// IsFile reports whether an ordinary file lies at a path.
func IsFile(at string) bool {
	info, err := os.Lstat(at)
	return err == nil && info.Mode().IsRegular()
}
