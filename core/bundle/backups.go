// Package bundle is what a folder or a file holds that has a list of what lies in it: a backup,
// a bag (RFC 8493), a project in an archive file; and the hidden list of the projects that went
// from a folder to such places. It makes and reads these lists, with checksums, has folders become
// one ZIP file and come back out of it, and says what is otherwise since. It plans and reads;
// what is written is written by package disk.
package bundle

import (
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/packed"
	"vestibula/core/place"
)

// A Backup is one that is there.
type Backup struct {
	Dir  address.Address // of one in a file, that
	Head *Inventory      // what its list says of it as a whole
}

// Payload is the folder in which a backup has what it holds, absolute.
func (b *Backup) Payload() address.Address {
	if place.Exists(b.Dir.Join(BackupName)) {
		return b.Dir
	}
	return b.Dir.Join(Payload)
}

// Backups are those of a project in a folder, the newest first; of all projects where the
// identity is empty.
func Backups(dir address.Address, id string) (list []Backup) {
	entries, _ := place.ReadDir(dir)
	for _, e := range entries {
		if head := Head(dir.Join(e.Name())); head != nil && (id == "" || head.ID == id) {
			list = append(list, Backup{dir.Join(e.Name()), head})
		}
	}
	slices.SortStableFunc(list, func(a, b Backup) int { return b.Head.Made.Compare(a.Head.Made) })
	return list
}

// Damaged are the names of backups in a folder whose lists cannot be read, of a project that is called so.
func Damaged(dir address.Address, project string) (names []string) {
	entries, _ := place.ReadDir(dir)
	for _, e := range entries {
		if at := dir.Join(e.Name()); strings.HasPrefix(e.Name(), project+" ") && place.Exists(at.Join(BackupName)) && Head(at) == nil {
			names = append(names, e.Name())
		}
	}
	return names
}

// Unfinished are the names of what lies in a folder of backups and never became whole, of a project
// that is called so.
func Unfinished(dir address.Address, project string) (names []string) {
	entries, _ := place.ReadDir(dir)
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), project+" ") && strings.HasSuffix(e.Name(), change.Unfinished) {
			names = append(names, e.Name())
		}
	}
	return names
}

// Head is what the list of a backup says of it as a whole; nil where a folder or a file is
// none.
func Head[P ~string](dir P) *Inventory {
	if strings.HasSuffix(string(dir), change.Unfinished) {
		return nil // it never became whole
	}
	for _, name := range []string{BackupName, BagName} {
		if at := filepath.Join(string(dir), name); IsFile(at) {
			f, err := place.OpenFile(at)
			if err != nil {
				return nil
			}
			defer f.Close()
			data, err := io.ReadAll(io.LimitReader(f, HeadSize))
			if err != nil {
				return nil
			}
			head, _ := ParseHead(data) // what is no list is no backup
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
func Note[P ~string](dir P) (*Inventory, error) {
	if packed.FormatOf(string(dir)) == packed.Zip && IsFile(dir) {
		f, err := OpenFile(dir)
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
	for _, name := range []string{BackupName, BagName} {
		at := filepath.Join(string(dir), name)
		if !place.Exists(at) {
			continue
		}
		data, err := place.ReadFile(at, MaxBackup)
		if err != nil {
			return nil, fmt.Errorf("its list, %s, cannot be read: %s", name, place.Reason(err))
		}
		return ParseInventory(data)
	}
	return nil, nil
}

// IsFile reports whether an ordinary file lies at a path.
func IsFile[P ~string](at P) bool {
	info, err := place.Lstat(at)
	return err == nil && info.Mode().IsRegular()
}
