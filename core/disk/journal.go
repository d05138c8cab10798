package disk

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"vestibula/core/plan"
	"vestibula/core/tree"
)

// A Journal is a folder in which everything that was done to disks is written
// down, so that it can be taken back. Each record is a file of its own, with a
// line of JSON for its head, one for each action, and one for its end:
//
//	{"vestibula":1,"number":3,"what":"build","when":"…","place":"/home/o/Clients","title":"Bookbinding commission"}
//	{"op":"folder","path":"Oriel Pask"}
//	{"op":"file","path":"Oriel Pask/notes.md","sum":"…"}
//	{"op":"note","path":"Oriel Pask/.vestibula.json","sum":"…"}
//	{"end":"done"}
//
// Head and actions are on the disk before the first of them is carried out. A
// record without an end was cut short; until it has one, its file's name says
// so, and such records are found without reading all others. What an undo removes is kept beside the
// records, by its checksum, so that the undo can be undone.
type Journal struct{ dir string }

// OpenJournal opens the journal in a folder, which is made where it is not there.
func OpenJournal(dir string) (*Journal, error) {
	if err := os.MkdirAll(filepath.Join(dir, "kept"), 0o700); err != nil {
		return nil, err
	}
	return &Journal{dir}, nil
}

// A Head says what a record is about.
type Head struct {
	Format int       `json:"vestibula"`
	Number int       `json:"number"`
	What   string    `json:"what"` // "build" or "undo"
	When   time.Time `json:"when"`
	Place  string    `json:"place"`            // the folder that the paths are relative to
	Title  string    `json:"title"`            // of the template
	Undoes int       `json:"undoes,omitempty"` // the record that an undo takes back
}

// An Action is one thing that was done.
type Action struct {
	Op   string `json:"op"` // "folder", "file" or "note"
	Path string `json:"path"`
	Sum  string `json:"sum,omitempty"` // the checksum of what was written
	// Was is what a note held before, by its checksum; empty where there was none.
	Was string `json:"was,omitempty"`
	// Gone says that the action removed what it names, as an undo does.
	Gone bool `json:"gone,omitempty"`
}

// The ends of records.
const (
	Done      = "done"
	TakenBack = "taken back"
	CutShort  = "" // no end was written: see [Journal.CutShort]
)

// A Record is one entry of a journal.
type Record struct {
	Head
	Actions  []Action
	End      string
	UndoneBy int // the record that took it back, or 0
}

// Undone reports whether what the record did has been taken back.
func (r *Record) Undone() bool { return r.UndoneBy > 0 || r.End == TakenBack }

// Begin writes a record down, durably, and returns it with its number.
func (j *Journal) Begin(head Head, actions []Action) (*Record, error) {
	numbers, err := j.numbers()
	if err != nil {
		return nil, err
	}
	head.Format, head.Number = 1, 1
	if len(numbers) > 0 {
		head.Number = numbers[len(numbers)-1] + 1
	}
	var f *os.File
	for ; ; head.Number++ { // another program may take the same number
		if _, taken := os.Lstat(j.file(head.Number)); taken == nil {
			continue
		}
		f, err = os.OpenFile(j.open(head.Number), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
		if !errors.Is(err, fs.ErrExist) {
			break
		}
	}
	if err != nil {
		return nil, err
	}
	w := bufio.NewWriterSize(f, 1<<16)
	err = json.NewEncoder(w).Encode(head)
	var line []byte
	for i := 0; err == nil && i < len(actions); i++ {
		line = actions[i].appendLine(line[:0])
		_, err = w.Write(line)
	}
	for _, step := range []func() error{w.Flush, f.Sync, f.Close} {
		if e := step(); err == nil {
			err = e
		}
	}
	if err != nil {
		os.Remove(f.Name())
		return nil, err
	}
	return &Record{Head: head, Actions: actions}, nil
}

// appendLine writes the action as a line of JSON. Most paths hold nothing that
// has to be escaped, and there may be a great many of them.
func (a *Action) appendLine(dst []byte) []byte {
	plain := a.Sum == "" && a.Was == "" && !a.Gone && utf8.ValidString(a.Path)
	for i := 0; plain && i < len(a.Path); i++ {
		plain = a.Path[i] >= ' ' && a.Path[i] != '"' && a.Path[i] != '\\'
	}
	if plain {
		dst = append(dst, `{"op":"`...)
		dst = append(dst, a.Op...)
		dst = append(dst, `","path":"`...)
		dst = append(dst, a.Path...)
		return append(dst, "\"}\n"...)
	}
	// A struct of texts can always be written.
	line, _ := json.Marshal(a)
	return append(append(dst, line...), '\n')
}

// Finish writes the end of a record.
func (j *Journal) Finish(r *Record, end string) error {
	f, err := os.OpenFile(j.open(r.Number), os.O_WRONLY|os.O_APPEND, 0)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(f, "{\"end\":%q}\n", end)
	for _, step := range []func() error{f.Sync, f.Close} {
		if e := step(); err == nil {
			err = e
		}
	}
	if err == nil {
		err = os.Rename(j.open(r.Number), j.file(r.Number))
	}
	r.End = end
	return err
}

// file is the path of a record that has its end; open, of one that has none.
func (j *Journal) file(number int) string {
	return filepath.Join(j.dir, fmt.Sprintf("%06d.jsonl", number))
}

func (j *Journal) open(number int) string { return j.file(number) + ".open" }

func (j *Journal) numbers() ([]int, error) {
	entries, err := os.ReadDir(j.dir)
	if err != nil {
		return nil, err
	}
	var numbers []int
	for _, e := range entries {
		stem, found := strings.CutSuffix(strings.TrimSuffix(e.Name(), ".open"), ".jsonl")
		if n, err := strconv.Atoi(stem); found && err == nil && n > 0 {
			numbers = append(numbers, n)
		}
	}
	slices.Sort(numbers)
	return numbers, nil
}

// Records returns all records, the oldest first. A record whose last line was
// cut off is read as far as it goes; one that cannot be read at all is left out.
func (j *Journal) Records() ([]*Record, error) {
	numbers, err := j.numbers()
	if err != nil {
		return nil, err
	}
	byNumber := map[int]*Record{}
	var list []*Record
	for _, n := range numbers {
		r, err := j.read(n)
		if err != nil {
			return nil, err
		}
		if r != nil {
			list = append(list, r)
			byNumber[n] = r
			if undone := byNumber[r.Undoes]; undone != nil && r.End == Done {
				undone.UndoneBy = n
				if back := byNumber[undone.Undoes]; back != nil {
					back.UndoneBy = 0 // its undo was undone, so it holds again
				}
			}
		}
	}
	return list, nil
}

// read reads a record, or returns nil where it cannot be understood.
func (j *Journal) read(number int) (*Record, error) {
	data, err := os.ReadFile(j.file(number))
	if errors.Is(err, fs.ErrNotExist) {
		data, err = os.ReadFile(j.open(number))
	}
	if err != nil {
		return nil, err
	}
	if r := parseRecord(data); r != nil && r.Number == number {
		return r, nil
	}
	return nil, nil
}

// CutShort returns the builds in a place that never came to their end.
func (j *Journal) CutShort(place string) ([]*Record, error) {
	entries, err := os.ReadDir(j.dir)
	if err != nil {
		return nil, err
	}
	var list []*Record
	for _, e := range entries {
		stem, open := strings.CutSuffix(e.Name(), ".jsonl.open")
		n, err := strconv.Atoi(stem)
		if !open || err != nil {
			continue
		}
		r, err := j.read(n)
		if err != nil {
			return nil, err
		}
		if r != nil && r.What == "build" && r.Place == place && r.End == CutShort {
			list = append(list, r)
		}
	}
	return list, nil
}

// parseRecord reads the text of a record, or returns nil where it has no head.
func parseRecord(data []byte) *Record {
	r := &Record{}
	first := true
	for line := range bytes.Lines(data) {
		if first {
			if json.Unmarshal(line, &r.Head) != nil || r.Format != 1 {
				return nil
			}
			first = false
			continue
		}
		var row struct {
			Action
			End string `json:"end"`
		}
		if json.Unmarshal(line, &row) != nil {
			break // cut off here
		}
		if row.End != "" {
			r.End = row.End
		} else if row.Op != "" {
			r.Actions = append(r.Actions, row.Action)
		}
	}
	if first {
		return nil
	}
	return r
}

// keep stores bytes by their checksum, which it returns.
func (j *Journal) keep(data []byte) (string, error) {
	sum := checksum(data)
	path := filepath.Join(j.dir, "kept", sum)
	if _, err := os.Stat(path); err == nil {
		return sum, nil
	}
	temporary := path + ".new"
	f, err := os.OpenFile(temporary, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return "", err
	}
	_, err = f.Write(data)
	for _, step := range []func() error{f.Sync, f.Close} {
		if e := step(); err == nil {
			err = e
		}
	}
	if err == nil {
		err = os.Rename(temporary, path)
	}
	return sum, err
}

// kept returns the bytes of a checksum.
func (j *Journal) kept(sum string) ([]byte, error) {
	if len(sum) != 2*sha256.Size || strings.Trim(sum, "0123456789abcdef") != "" {
		return nil, errors.New("the journal is damaged")
	}
	data, err := os.ReadFile(filepath.Join(j.dir, "kept", sum))
	if err == nil && checksum(data) != sum {
		err = errors.New("the journal is damaged")
	}
	return data, err
}

func checksum(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Actions returns what carrying out a plan and writing notes will do.
func (j *Journal) Actions(p *Place, pl *plan.Plan, notes []Note) ([]Action, error) {
	folders, files := pl.Made()
	actions := make([]Action, 0, folders+files+len(notes))
	paths := newPaths(pl)
	for i := range pl.Steps {
		s := &pl.Steps[i]
		if s.State != plan.New {
			continue
		}
		a := Action{Op: "folder", Path: paths.of(int32(i))}
		if s.Node.Kind == tree.File {
			a.Op = "file"
			sum := sha256.New()
			if c := s.Node.Content; c != nil {
				r, err := c.Open()
				if err != nil {
					return nil, fmt.Errorf("%s cannot be read: %s", c.Source(), Reason(err))
				}
				_, err = io.Copy(sum, r)
				r.Close()
				if err != nil {
					return nil, fmt.Errorf("%s cannot be read: %s", c.Source(), Reason(err))
				}
			}
			a.Sum = hex.EncodeToString(sum.Sum(nil))
		}
		actions = append(actions, a)
	}
	for _, n := range notes {
		a := Action{Op: "note", Path: n.Path, Sum: checksum(n.Data)}
		was, err := p.ReadFile(n.Path)
		if err == nil && was != nil {
			a.Was, err = j.keep(was)
		}
		if err != nil {
			return nil, err
		}
		actions = append(actions, a)
	}
	return actions, nil
}

// paths builds the paths of steps from those of their parents, each once.
type paths struct {
	plan  *plan.Plan
	known map[int32]string
}

func newPaths(p *plan.Plan) *paths { return &paths{p, map[int32]string{-1: ""}} }

func (p *paths) of(i int32) string {
	s := &p.plan.Steps[i]
	above, ok := p.known[s.Parent]
	if !ok {
		above = p.of(s.Parent)
		p.known[s.Parent] = above
	}
	if above == "" {
		return s.Node.Name
	}
	return above + "/" + s.Node.Name
}
