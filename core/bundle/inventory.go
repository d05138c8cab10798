package bundle

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"vestibula/core/address"
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

// A Inventory is what a folder held on a day.
type Inventory struct {
	Format  int          `json:"vestibula-backup"`
	ID      string       `json:"id,omitempty"` // of the project
	Project string       `json:"project"`      // its name
	From    address.Text `json:"from"`         // where it lay, absolute
	Made    time.Time    `json:"made"`
	Own     *Entry       `json:"own,omitempty"` // the project's own folder, where it lies in an archive file
	Entries []Entry      `json:"entries"`
}

// An Entry is a folder, a file or a link in a backup.
type Entry struct {
	Path string `json:"path"`           // from the project's own folder; a folder ends in a slash
	Size int64  `json:"size,omitempty"` // of a file, in bytes
	Time int64  `json:"time,omitempty"` // when it was changed last, in nanoseconds since 1970
	Mode uint32 `json:"mode,omitempty"` // its permissions, as Unix counts them
	Sum  string `json:"sum,omitempty"`  // SHA-256 of what a file holds
	To   string `json:"to,omitempty"`   // where a link leads
	// Raw and RawTo are the path and the target as bytes, where these are no UTF-8: names on a
	// disk need not be. They are filled in while the list is written.
	Raw   []byte `json:"raw,omitempty"`
	RawTo []byte `json:"rawTo,omitempty"`

	// Last is the file in the backup before, where this one is taken to be as it was then.
	Last *tree.Entry `json:"-"`
}

// Permissions are those of the entry, as a mode of it; 0 where they are not known.
func (e *Entry) Permissions() fs.FileMode {
	mode := fs.FileMode(e.Mode).Perm()
	if mode != 0 && strings.HasSuffix(e.Path, "/") {
		mode |= fs.ModeDir
	}
	return mode
}

// ParseInventory reads such a list. The error says, for a person, what is wrong with it.
func ParseInventory(data []byte) (*Inventory, error) {
	var b Inventory
	if head, rest, found := bytes.Cut(data, []byte(entriesKey)); found {
		if list, ok := lines(string(rest)); ok && json.Unmarshal(append(slices.Clip(head), entriesKey+"[]}"...), &b) == nil {
			b.Entries = list
			return b.checked()
		}
		b = Inventory{}
	}
	if err := json.Unmarshal(data, &b); err != nil {
		return nil, errDamaged
	}
	return b.checked()
}

var errDamaged = errors.New("the list of the backup is damaged: it was changed or cut off")

// checked is the list, if it is one that can be trusted.
func (b *Inventory) checked() (*Inventory, error) {
	if b.Format < 1 {
		return nil, errDamaged
	}
	if b.Format > 1 {
		return nil, errors.New("the list of the backup was written by a newer version of this program")
	}
	seen := make(map[string]bool, len(b.Entries))
	for i := range b.Entries {
		e := &b.Entries[i]
		if len(e.Raw) > 0 {
			e.Path = string(e.Raw)
		}
		if len(e.RawTo) > 0 {
			e.To = string(e.RawTo)
		}
		e.Raw, e.RawTo = nil, nil
		if at := strings.TrimSuffix(e.Path, "/"); at == "" || path.Clean("/"+at) != "/"+at {
			return nil, fmt.Errorf("the list of the backup is damaged: the path \"%s\" leads out of it", short(e.Path))
		} else if seen[at] || e.Size < 0 {
			return nil, fmt.Errorf("the list of the backup is damaged: it names \"%s\" twice, or with a size that cannot be", short(e.Path))
		} else {
			seen[at] = true
		}
	}
	return b, nil
}

// HeadSize is enough of such a list to read its head, in bytes.
const HeadSize = 16 << 10

// ParseHead reads what such a list says of the backup as a whole, from its begin: all but
// the entries. The error is as that of [ParseInventory].
func ParseHead(data []byte) (*Inventory, error) {
	head, _, found := bytes.Cut(data, []byte(entriesKey))
	if !found {
		return ParseInventory(data)
	}
	return ParseInventory(append(slices.Clip(head), entriesKey+"[]}"...))
}

// entriesKey begins the entries, behind all else: no text in a list holds such quotes.
const entriesKey = `"entries": `

// Encode returns the list as it stands in its file: a line for each entry.
func (b *Inventory) Encode() ([]byte, error) {
	b.Format = 1
	head := *b
	head.Entries = []Entry{}
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", " ")
	if err := enc.Encode(&head); err != nil {
		return nil, err
	}
	out.Truncate(out.Len() - len("[]\n}\n"))
	out.Grow(200 * len(b.Entries))
	enc.SetIndent("", "")
	for i := range b.Entries {
		out.WriteString([]string{"[\n", ",\n"}[min(i, 1)])
		if !b.Entries[i].plain(&out) {
			if err := enc.Encode(b.Entries[i].asBytes()); err != nil {
				return nil, err
			}
			out.Truncate(out.Len() - 1)
		}
	}
	out.WriteString([]string{"[", "\n"}[min(len(b.Entries), 1)] + "]\n}\n")
	return out.Bytes(), nil
}

// asBytes is an entry as it can be written: what is no UTF-8 as bytes as well.
func (e *Entry) asBytes() *Entry {
	out := *e
	if !utf8.ValidString(e.Path) {
		out.Raw = []byte(e.Path)
	}
	if !utf8.ValidString(e.To) {
		out.RawTo = []byte(e.To)
	}
	return &out
}

// plain writes an entry of a file whose path can stand in JSON as it is. There may be a
// great many.
func (e *Entry) plain(out *bytes.Buffer) bool {
	if e.Sum == "" || e.To != "" || !plain(e.Path) || !plain(e.Sum) {
		return false
	}
	dst := append(append(append(out.AvailableBuffer(), plainPath...), e.Path...), plainSize...)
	dst = append(strconv.AppendInt(dst, e.Size, 10), plainTime...)
	dst = append(strconv.AppendInt(dst, e.Time, 10), plainMode...)
	dst = append(strconv.AppendUint(dst, uint64(e.Mode), 10), plainSum...)
	out.Write(append(append(dst, e.Sum...), plainEnd...))
	return true
}

// What stands between the parts of such an entry.
const plainPath, plainSize, plainTime, plainMode, plainSum, plainEnd = `{"path":"`, `","size":`, `,"time":`, `,"mode":`, `,"sum":"`, `"}`

// parsePlain reads an entry as plain writes it.
func parsePlain(line string) (e Entry, ok bool) {
	var size, time, mode string
	parts := []*string{nil, &e.Path, &size, &time, &mode, &e.Sum}
	for i, between := range []string{plainPath, plainSize, plainTime, plainMode, plainSum, plainEnd} {
		before, rest, found := strings.Cut(line, between)
		if line = rest; !found {
			return e, false
		}
		if parts[i] != nil {
			*parts[i] = before
		} else if before != "" {
			return e, false
		}
	}
	var bad [3]error
	e.Size, bad[0] = strconv.ParseInt(size, 10, 64)
	e.Time, bad[1] = strconv.ParseInt(time, 10, 64)
	of, wrong := strconv.ParseUint(mode, 10, 32)
	e.Mode, bad[2] = uint32(of), wrong
	return e, line == "" && bad == [3]error{} && strings.IndexByte(e.Path, '\\') < 0 && strings.IndexByte(e.Sum, '\\') < 0
}

// plain reports whether a text can stand in JSON as it is.
func plain(s string) bool {
	for i := range len(s) {
		if s[i] < ' ' || s[i] > '~' || s[i] == '"' || s[i] == '\\' {
			return false
		}
	}
	return true
}

// lines reads entries of which each stands in a line of its own; false where they stand
// otherwise.
func lines(text string) (list []Entry, ok bool) {
	text, ok = strings.CutPrefix(text, "[\n")
	if !ok {
		return nil, false
	}
	text, ok = strings.CutSuffix(text, "\n]\n}\n")
	if !ok {
		return nil, false
	}
	list = make([]Entry, 0, strings.Count(text, "\n")+1)
	for line := range strings.SplitSeq(text, ",\n") {
		e, ok := parsePlain(line)
		if !ok && json.Unmarshal([]byte(line), &e) != nil {
			return nil, false
		}
		list = append(list, e)
	}
	return list, true
}

// Manifest is that of its files, each below a folder, which may be empty.
func (b *Inventory) Manifest(below string) (m *Manifest, size int64) {
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
func (b *Inventory) Rest(root *tree.Node, target func(path string) (string, error)) (list []Problem) {
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
