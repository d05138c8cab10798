package journal

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/change"
)

// A Head says what a record is about.
type Head struct {
	Format  int               `json:"vestibula"`
	Number  int               `json:"number"`
	What    string            `json:"what"` // "build", "undo", "add", …
	When    time.Time         `json:"when"`
	Title   string            `json:"title"`             // of the template, or of what was written
	Project string            `json:"project,omitempty"` // the names of what came about or was changed
	Places  []address.Address `json:"places"`            // the folders that paths are relative to, absolute
	Roots   []Root            `json:"roots"`             // what was changed, at most a few
	Mounts  []address.Text    `json:"mounts,omitempty"`  // the folders in which their disks begin, where that is not the top
	Work    string            `json:"work"`              // the hidden folder of the run, in each place
	Undoes  int               `json:"undoes,omitempty"`  // the record that an undo takes back
	Part    address.Text      `json:"part,omitempty"`    // of an undo: the folder of which alone it was taken back, absolute
	// Continues are records that were cut short, and of which this one does what
	// was left: who takes it back takes them back as well.
	Continues []int         `json:"continues,omitempty"`
	Count     change.Counts `json:"count"`
	// Call are the words with which the program was called, in the folder Here: the same
	// call again finishes what was cut short.
	Call []address.Text `json:"call,omitempty"`
	Here address.Text   `json:"here,omitempty"`
	// Named says that the call named all that it made, so that nobody was to be asked.
	Named bool  `json:"named,omitempty"`
	Kept  int64 `json:"kept,omitempty"` // bytes of what it removed and keeps
}

// Kept counts the bytes that a list keeps in the work folder.
func Kept(list []change.Change) (n int64) {
	for i := range list {
		if c := &list[i]; c.Keeps() || c.Op == change.Replace && !c.HasOld {
			n += c.Was.Size
		}
	}
	return n
}

// A Root is a project, or a file or folder, that a record is about.
type Root struct {
	In   int          `json:"in,omitempty"` // its place
	Path address.Text `json:"path"`         // "." for all of the place
	Dev  uint64       `json:"dev,omitempty"`
	Ino  uint64       `json:"ino,omitempty"`
	ID   string       `json:"id,omitempty"` // of the project's label
}

// The ends of records.
const (
	Done      = "done"
	TakenBack = "taken back"
	Continued = "continued later" // a later record holds the rest of it
	Forgotten = "forgotten"       // what it did can no longer be taken back
	CutShort  = ""                // no end was written
)

// A Record is one entry of a journal. Its changes are read when they are needed:
// see [Journal.Changes].
type Record struct {
	Head
	End      string
	UndoneBy int  // the record that took it back, or 0
	Busy     bool // it is without an end because it is still at work
}

// Undone reports whether what the record did has been taken back, or stands in
// a later one.
func (r *Record) Undone() bool {
	return r.UndoneBy > 0 || r.End == TakenBack || r.End == Continued
}

// An ending is the last line of a record.
type ending struct {
	End   string `json:"end"`
	Roots []Root `json:"roots,omitempty"` // with their identities, which were not known at the head
}

// A sum line says, while a copy is made, what it holds: before it gets its name.
type sumLine struct {
	Copied *int   `json:"copied"` // the change, by its number among the lines
	Sum    string `json:"sum"`
}

// An Identity is what a folder is known by: its disk, and its number there.
type Identity [2]uint64

// Times are those of folders before a run changed something in them, in nanoseconds
// since 1970, and when that was noted, at the end of the run.
type Times struct {
	Folders map[Identity]int64
	Noted   int64
}

// A timesLine holds disks, numbers and times of folders.
type timesLine struct {
	Times [][3]uint64 `json:"times"`
}

// parseHead reads the first line of a record and, where the last is there as
// well, the end. It returns nil where there is no head.
func parseHead(first, last []byte) *Record {
	r := &Record{}
	if json.Unmarshal(first, &r.Head) != nil || r.Format != format || r.Number < 1 {
		return nil
	}
	var e ending
	if json.Unmarshal(last, &e) == nil && e.End != "" {
		r.End = e.End
		if e.Roots != nil {
			r.Roots = e.Roots
		}
	}
	if !r.sound() {
		return nil
	}
	return r
}

// sound reports whether a head is one that this program can have written; what of its roots
// lies in no place is taken out.
func (r *Record) sound() bool {
	for _, p := range r.Places {
		if !filepath.IsAbs(string(p)) {
			return false
		}
	}
	r.Roots = slices.DeleteFunc(r.Roots, func(root Root) bool { return root.In < 0 || root.In >= len(r.Places) })
	later := func(n int) bool { return n < 1 || n >= r.Number }
	return len(r.Places) > 0 && r.Kept >= 0 && (r.Work == "" || r.Work == filepath.Base(r.Work) && strings.HasPrefix(r.Work, change.WorkName)) &&
		(r.Undoes == 0 || !later(r.Undoes)) && !slices.ContainsFunc(r.Continues, later)
}

// errDamaged says that a record was changed, or cut off.
var errDamaged = errors.New("the record is damaged: it was changed or cut off")

// placed returns an error where changes are in places that their record does not have.
func placed(list []change.Change, places int) error {
	for i := range list {
		if c := &list[i]; c.In < 0 || c.In >= places || c.FromIn < 0 || c.FromIn >= places {
			return errDamaged
		}
	}
	return nil
}

// An allLine ends the changes of a record, and says how many they are.
type allLine struct {
	All *int `json:"all"`
}

// parseChanges reads the changes of a record, and whether these are all.
func parseChanges(data []byte) (list []change.Change, whole bool) {
	s := bufio.NewScanner(bytes.NewReader(data))
	s.Buffer(nil, 1<<30)
	s.Scan() // the head
	for s.Scan() {
		c, err := change.ParseLine(s.Bytes())
		if err == nil {
			list = append(list, c...)
			continue
		}
		var all allLine
		if json.Unmarshal(s.Bytes(), &all) == nil && all.All != nil {
			whole = *all.All == len(list)
		}
		var sum sumLine
		if json.Unmarshal(s.Bytes(), &sum) == nil && sum.Copied != nil && *sum.Copied >= 0 && *sum.Copied < len(list) {
			list[*sum.Copied].Sum = sum.Sum
		}
	}
	return list, whole
}

// format is the number of the format of records.
const format = 3

// Name names what a record is about.
func (r *Record) Name() string {
	if r.Project != "" {
		return r.Project
	}
	return r.Title
}

// Paths returns the absolute paths of the roots of a record.
func (r *Record) Paths() []address.Address {
	paths := make([]address.Address, 0, len(r.Roots))
	for _, root := range r.Roots {
		paths = append(paths, r.Places[root.In].Join(string(root.Path)))
	}
	return paths
}

// Under reports whether all that a record is about lies at or below a folder.
func (r *Record) Under(dir address.Address) bool {
	paths := r.Paths()
	return len(paths) > 0 && !slices.ContainsFunc(paths, func(p address.Address) bool { return !p.Within(dir) })
}
