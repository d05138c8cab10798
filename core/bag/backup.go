package bag

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"strings"
	"time"

	"vestibula/core/tree"
)

// The names of the list that a backup has of itself: hidden in a plain folder, and a tag
// file of a bag, which has manifests but no place for empty folders, times and links.
const (
	BackupName = ".vestibula-backup.json"
	BagName    = "vestibula-backup.json"
)

// MaxBackup is the most that such a list may hold, in bytes.
const MaxBackup = 512 << 20

// A Backup is what a folder held on a day.
type Backup struct {
	Format  int       `json:"vestibula-backup"`
	ID      string    `json:"id,omitempty"` // of the project
	Project string    `json:"project"`      // its name
	From    string    `json:"from"`         // where it lay, absolute
	Made    time.Time `json:"made"`
	Own     *Entry    `json:"own,omitempty"` // the project's own folder, where it lies in an archive file
	Entries []Entry   `json:"entries"`
}

// An Entry is a folder, a file or a link in a backup.
type Entry struct {
	Path string `json:"path"`           // from the project's own folder; a folder ends in a slash
	Size int64  `json:"size,omitempty"` // of a file, in bytes
	Time int64  `json:"time,omitempty"` // when it was changed last, in nanoseconds since 1970
	Mode uint32 `json:"mode,omitempty"` // its permissions, as Unix counts them
	Sum  string `json:"sum,omitempty"`  // SHA-256 of what a file holds
	To   string `json:"to,omitempty"`   // where a link leads
	Same bool   `json:"-"`              // it is taken to be as it was in the backup before
}

// Permissions are those of the entry, as a mode of it; 0 where they are not known.
func (e *Entry) Permissions() fs.FileMode {
	mode := fs.FileMode(e.Mode).Perm()
	if mode != 0 && strings.HasSuffix(e.Path, "/") {
		mode |= fs.ModeDir
	}
	return mode
}

// ParseBackup reads such a list. The error says, for a person, what is wrong with it.
func ParseBackup(data []byte) (*Backup, error) {
	var b Backup
	if err := json.Unmarshal(data, &b); err != nil || b.Format < 1 {
		return nil, errors.New("the list of the backup is damaged: it was changed or cut off")
	}
	if b.Format > 1 {
		return nil, errors.New("the list of the backup was written by a newer version of this program")
	}
	for _, e := range b.Entries {
		if at := strings.TrimSuffix(e.Path, "/"); at == "" || path.Clean("/"+at) != "/"+at {
			return nil, fmt.Errorf("the list of the backup is damaged: the path %q leads out of it", short(e.Path))
		}
	}
	return &b, nil
}

// Encode returns the list as it stands in its file.
func (b *Backup) Encode() ([]byte, error) {
	b.Format = 1
	if b.Entries == nil {
		b.Entries = []Entry{}
	}
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", " ")
	err := enc.Encode(b)
	return out.Bytes(), err
}

// Manifest is that of its files, each below a folder, which may be empty.
func (b *Backup) Manifest(below string) (m *Manifest, size int64) {
	m = &Manifest{"sha256", map[string]string{}}
	for _, e := range b.Entries {
		if e.Sum != "" {
			m.Sums[path.Join(below, e.Path)] = e.Sum
			size += e.Size
		}
	}
	return m, size
}

// Rest holds against the list what manifests do not know: folders, and links. Root is what
// lies there now; target tells where a link leads, and is nil where links are not kept, as
// in a bag.
func (b *Backup) Rest(root *tree.Node, target func(path string) (string, error)) (list []Problem) {
	known := map[string]*Entry{}
	for i := range b.Entries {
		if e := &b.Entries[i]; e.Sum == "" {
			known[e.Path] = e
		}
	}
	for at, n := range root.All() {
		at = strings.Clone(at)
		link := n.Kind == tree.Symlink || n.Marks&tree.Link != 0
		if n.Kind == tree.Folder && !link {
			if at += "/"; known[at] == nil {
				list = append(list, Problem{Extra, at, "it was not there when the backup was made"})
			}
			delete(known, at)
			continue
		}
		if !link || target == nil {
			continue
		}
		if e := known[at]; e == nil {
			list = append(list, Problem{Extra, at, "it was not there when the backup was made"})
		} else if to, err := target(at); err != nil {
			list = append(list, Problem{Unread, at, err.Error()})
		} else if to != e.To {
			list = append(list, Problem{Altered, at, "it led to " + e.To + ", and leads to " + to})
		}
		delete(known, at)
	}
	for at := range known {
		if strings.HasSuffix(at, "/") || target != nil {
			list = append(list, Problem{Missing, at, "it is not there"})
		}
	}
	return list
}
