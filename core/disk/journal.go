package disk

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"iter"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

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
//	{"op":"revision","path":"/home/o/clients.csv","sum":"…","was":"…"}
//	{"end":"done"}
//
// Head and actions are on the disk before the first of them is carried out. A
// record without an end was cut short; until it has one, its file's name says
// so, and such records are found without reading all others. What an undo
// removes is kept beside the records, by its checksum, so that the undo can be
// undone.
type Journal struct{ root handle }

// MakeJournal opens the journal in a folder, which is made where it is not there.
func MakeJournal(dir string) (*Journal, error) {
	if err := os.MkdirAll(filepath.Join(dir, "kept"), 0o700); err != nil {
		return nil, err
	}
	return OpenJournal(dir)
}

// OpenJournal opens the journal in a folder. Where it is not there, nothing was
// ever written down.
func OpenJournal(dir string) (*Journal, error) {
	root, err := openFolder(dir)
	if err != nil {
		return nil, err
	}
	return &Journal{root}, nil
}

// Close gives the handle on the journal's folder back.
func (j *Journal) Close() error { return j.root.Close() }

// A JournalError says that something could not be written down. Where nothing
// was Done yet, nothing was changed; else all of it was done, and only the end
// of the record is missing.
type JournalError struct {
	Done bool
	Err  error
}

// Error returns why it could not be written down.
func (e *JournalError) Error() string { return "the journal: " + Reason(e.Err) }

// Unwrap returns what the file system said.
func (e *JournalError) Unwrap() error { return e.Err }

// Build writes a job down, carries it out in a place, and writes its end down.
// Head is without number and kind. An earlier record that was cut short and of
// which all is in this job is continued: an undo of this record takes back what
// both have made. The error is a [JournalError], a [BuildError] or a
// [RevisionError].
func (j *Journal) Build(p *Place, job Job, head Head) error {
	earlier, err := j.continued(head.Place, job)
	if err != nil {
		return &JournalError{Err: err}
	}
	folders, files := job.Plan.Made()
	if folders+files+len(job.Notes)+len(earlier) == 0 && job.Revision == nil {
		return nil
	}
	actions := j.actions(job)
	for _, r := range slices.Backward(earlier) {
		actions = joined(r.Actions, actions)
	}
	head.What = "build"
	record, err := j.begin(head, actions)
	if err != nil {
		return err
	}
	for _, r := range earlier {
		p.Tidy(r)
	}
	built := p.Build(job)
	var failed *BuildError
	var unrevised *RevisionError
	switch {
	case errors.As(built, &failed) && len(failed.Left) > 0:
		return built
	case failed != nil, errors.As(built, &unrevised) && !unrevised.Built:
		_ = j.finish(record, TakenBack) // without its end it is cut short, which does no harm
		return built
	}
	for _, r := range earlier {
		if err == nil {
			err = j.finish(r, Continued)
		}
	}
	if err == nil {
		err = j.finish(record, Done)
	}
	if err != nil && built == nil {
		return &JournalError{Done: true, Err: err}
	}
	return built
}

// actions returns, one by one, what carrying out a job will do: of a large job
// they are too many to be held at a time. What notes and a revision replace is
// kept before.
func (j *Journal) actions(job Job) iter.Seq2[Action, error] {
	return func(yield func(Action, error) bool) {
		paths := newPaths(job.Plan)
		for i := range job.Plan.Steps {
			s := &job.Plan.Steps[i]
			if s.State != plan.New {
				continue
			}
			a := Action{Op: "folder", Path: paths.of(int32(i))}
			var err error
			if s.Node.Kind == tree.File {
				a.Op = "file"
				if a.Sum, err = contentSum(s.Node.Content); err != nil {
					err = &BuildError{Path: s.Node.Content.Source(), Err: err}
				}
			}
			if !yield(a, err) {
				return
			}
		}
		for _, n := range job.Notes {
			data, err := n.Data()
			a := Action{Op: "note", Path: n.Path, Sum: checksum(data)}
			if err == nil && n.Was != nil {
				a.Was, err = j.keep(tree.Bytes(n.Was))
			}
			if !yield(a, err) {
				return
			}
		}
		if r := job.Revision; r != nil {
			a := Action{Op: "revision", Path: r.Path, Sum: checksum(r.Data)}
			var err error
			a.Was, err = j.keep(byPath(r.Path))
			yield(a, err)
		}
	}
}

// continued returns the builds in a place that were cut short and of which all
// folders and files belong to the job as well.
func (j *Journal) continued(place string, job Job) ([]*Record, error) {
	open, err := j.CutShort(place)
	if err != nil || len(open) == 0 {
		return nil, err
	}
	known := map[string]bool{}
	paths := newPaths(job.Plan)
	for i := range job.Plan.Steps {
		known[paths.of(int32(i))] = true
	}
	return slices.DeleteFunc(open, func(r *Record) bool {
		return r.What != "build" || slices.ContainsFunc(r.Actions, func(a Action) bool {
			return (a.Op == "folder" || a.Op == "file") && !known[a.Path]
		})
	}), nil
}

// joined returns the actions of a record that was cut short, and those of the
// one that continues it. Where both write one file, it is written as the second
// one says, and was before what the first one found.
func joined(first []Action, second iter.Seq2[Action, error]) iter.Seq2[Action, error] {
	return func(yield func(Action, error) bool) {
		at := map[string]int{}
		all := slices.Clone(first)
		for i, a := range all {
			at[a.Path] = i
		}
		for a, err := range second {
			if err != nil {
				yield(a, err)
				return
			}
			i, both := at[a.Path]
			if !both {
				all = append(all, a)
				continue
			}
			if a.Was != "" && all[i].Sum == a.Was {
				a.Was = all[i].Was
			}
			all[i] = a
		}
		for _, a := range all {
			if !yield(a, nil) {
				return
			}
		}
	}
}

// begin writes a record down, durably, and returns it with its number. The error
// is that of an action, or a [JournalError].
func (j *Journal) begin(head Head, actions iter.Seq2[Action, error]) (*Record, error) {
	numbers, err := j.numbers()
	if err != nil {
		return nil, &JournalError{Err: err}
	}
	head.Format, head.Number = 1, 1
	if len(numbers) > 0 {
		head.Number = numbers[len(numbers)-1] + 1
	}
	for ; ; head.Number++ { // another program may take the same number
		opened, err := write(j.root, openName(head.Number), os.O_CREATE|os.O_EXCL, 0o600, func(f file) error { return writeRecord(f, head, actions) })
		switch {
		case opened && err != nil:
			_ = j.root.Remove(openName(head.Number))
		case errors.Is(err, fs.ErrExist):
			continue
		}
		var failed *BuildError
		switch {
		case errors.As(err, &failed):
			return nil, err
		case err != nil:
			return nil, &JournalError{Err: err}
		}
		j.syncFolder()
		return &Record{Head: head}, nil
	}
}

// writeRecord writes the head and the actions.
func writeRecord(to io.Writer, head Head, actions iter.Seq2[Action, error]) error {
	w := bufio.NewWriterSize(to, 1<<16)
	if err := json.NewEncoder(w).Encode(head); err != nil {
		return err
	}
	var line []byte
	for a, err := range actions {
		if err != nil {
			return err
		}
		line = a.appendLine(line[:0])
		if _, err := w.Write(line); err != nil {
			return err
		}
	}
	return w.Flush()
}

// syncFolder has the names in the journal's folder on the disk as well. Some
// systems cannot and need not be asked.
func (j *Journal) syncFolder() {
	if f, err := j.root.OpenFile(".", os.O_RDONLY, 0); err == nil {
		_ = f.Sync()
		_ = f.Close()
	}
}

// finish writes the end of a record.
func (j *Journal) finish(r *Record, end string) error {
	_, err := write(j.root, openName(r.Number), os.O_APPEND, 0, func(f file) error {
		line := fmt.Sprintf("{\"end\":%q}\n", end)
		if r.torn {
			line = "\n" + line
		}
		_, err := io.WriteString(f, line)
		return err
	})
	if err == nil {
		err = j.root.Rename(openName(r.Number), fileName(r.Number))
	}
	if err == nil {
		r.End = end
	}
	return err
}

// fileName is the name of a record that has its end; openName, of one that has
// none.
func fileName(number int) string { return fmt.Sprintf("%06d.jsonl", number) }

func openName(number int) string { return fileName(number) + ".open" }

// numberOf returns the number of a record by the name of its file, or 0.
func numberOf(name string) (number int, open bool) {
	name, open = strings.CutSuffix(name, ".open")
	stem, found := strings.CutSuffix(name, ".jsonl")
	if n, err := strconv.Atoi(stem); found && err == nil && n > 0 {
		return n, open
	}
	return 0, false
}

func (j *Journal) numbers() ([]int, error) {
	entries, err := list(j.root, ".")
	if err != nil {
		return nil, err
	}
	var numbers []int
	for _, e := range entries {
		if n, _ := numberOf(e.Name()); n > 0 {
			numbers = append(numbers, n)
		}
	}
	slices.Sort(numbers)
	return slices.Compact(numbers), nil
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
	data, err := read(j.root, fileName(number))
	if errors.Is(err, fs.ErrNotExist) {
		data, err = read(j.root, openName(number))
	}
	if err != nil {
		return nil, err
	}
	if r := parseRecord(data); r != nil && r.Number == number {
		return r, nil
	}
	return nil, nil
}

// CutShort returns what was begun in a place, or in any if place is empty, and
// never came to its end.
func (j *Journal) CutShort(place string) ([]*Record, error) {
	entries, err := list(j.root, ".")
	if err != nil {
		return nil, err
	}
	var records []*Record
	for _, e := range entries {
		n, open := numberOf(e.Name())
		if !open {
			continue
		}
		r, err := j.read(n)
		if err != nil {
			return nil, err
		}
		if r != nil && (place == "" || r.Place == place) && r.End == CutShort {
			records = append(records, r)
		}
	}
	slices.SortFunc(records, func(a, b *Record) int { return a.Number - b.Number })
	return records, nil
}

// keep stores a content by its checksum, which it returns.
func (j *Journal) keep(c tree.Content) (string, error) {
	sum, err := contentSum(c)
	if err != nil {
		return "", err
	}
	at := path.Join("kept", sum)
	if _, err := j.root.Lstat(at); err == nil {
		return sum, nil
	}
	_, err = write(j.root, at+".new", os.O_CREATE|os.O_TRUNC, 0o600, func(f file) error { return tree.Copy(f, c) })
	if err == nil {
		err = j.root.Rename(at+".new", at)
	}
	if err != nil {
		_ = j.root.Remove(at + ".new")
	}
	return sum, err
}

// kept returns the content of a checksum.
func (j *Journal) kept(sum string) (tree.Content, error) {
	if len(sum) != 2*sha256.Size || strings.Trim(sum, "0123456789abcdef") != "" {
		return nil, errDamaged
	}
	c := stored{j.root, path.Join("kept", sum)}
	got, err := contentSum(c)
	if err == nil && got != sum {
		err = errDamaged
	}
	return c, err
}

var errDamaged = errors.New("the journal is damaged")

// stored is a file as a content.
type stored struct {
	folder handle
	name   string
}

func (s stored) Open() (io.ReadCloser, error) { return s.folder.OpenFile(s.name, os.O_RDONLY, 0) }
func (s stored) Source() string               { return s.name }

func checksum(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// contentSum returns the checksum of what a file begins with.
func contentSum(c tree.Content) (string, error) {
	sum := sha256.New()
	if err := tree.Copy(sum, c); err != nil {
		return "", err
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
}

// paths builds the paths of steps from those of their parents.
type paths struct {
	plan  *plan.Plan
	known map[int32]string
	last  int32 // whose path was asked for last
	above string
}

func newPaths(p *plan.Plan) *paths { return &paths{p, map[int32]string{-1: ""}, -1, ""} }

func (p *paths) of(i int32) string {
	s := &p.plan.Steps[i]
	if s.Parent != p.last {
		above, ok := p.known[s.Parent]
		if !ok {
			above = p.of(s.Parent)
			p.known[s.Parent] = above
		}
		p.last, p.above = s.Parent, above
	}
	if p.above == "" {
		return s.Node.Name
	}
	return p.above + "/" + s.Node.Name
}
