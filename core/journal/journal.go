// Package journal remembers what was done to disks, so that it can be taken back: a
// record for each run, written down before the first change is carried out. It
// changes nothing but its own records.
package journal

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/register"
	"vestibula/core/tree"
)

// A Journal is a folder in which everything that was done to disks is written
// down, so that it can be taken back. Each record is a file of its own: a line of
// JSON for its head, one for each change, and one for its end:
//
//	{"vestibula":3,"number":3,"what":"build","places":["/home/o/Clients"],…}
//	{"op":"make","path":"Oriel Pask/","holds":[["notes.md","…"]]}
//	{"all":2}
//	{"times":[[2049,77,1795752000000000000]]}
//	{"end":"done"}
//
// Head and changes are on the disk before the first of them is carried out, and
// their number says that these are all: without it, nothing was begun. A
// record without an end was cut short, or is still at work; until it has one, its
// file's name says so.
type Journal struct {
	root folder.Folder
	dir  string
}

// RegisterDir is where the register of running places is kept, beside the journal.
func RegisterDir(dir string) string { return filepath.Join(dir, "running") }

func recordsDir(dir string) string { return filepath.Join(dir, "journal") }

// Open opens the journal in the folder where the program keeps what it has
// to remember. Where it is not there, nothing was ever written down, and the error
// is [fs.ErrNotExist].
func Open(dir string) (*Journal, error) {
	root, err := folder.Open(recordsDir(dir))
	if err != nil {
		return nil, err
	}
	return &Journal{root, dir}, nil
}

// Make opens the journal, which is made where it is not there.
func Make(dir string) (*Journal, error) {
	if err := os.MkdirAll(recordsDir(dir), 0o700); err != nil {
		return nil, err
	}
	return Open(dir)
}

// Close gives the handle on the journal's folder back.
func (j *Journal) Close() error { return j.root.Close() }

// An Error says that something could not be written down. Where nothing
// was Done yet, nothing was changed; else all of it was done, and only the end
// of the record is missing.
type Error struct {
	Done bool
	Err  error
}

// Error returns why it could not be written down.
func (e *Error) Error() string { return "the journal: " + folder.Reason(e.Err) }

// Unwrap returns what the file system said.
func (e *Error) Unwrap() error { return e.Err }

// Begin writes a record down, durably, and opens it for what is still to be noted
// in it. Lines are the numbers that changes have among those which
// [Journal.Changes] returns. The error is that of a
// content that cannot be read, or a [Error].
func (j *Journal) Begin(head *Head, list []change.Change) (lines []int, err error) {
	numbers, err := j.numbers()
	if err != nil {
		return nil, &Error{Err: err}
	}
	head.Format, head.Number = format, 1
	if len(numbers) > 0 {
		head.Number = numbers[len(numbers)-1] + 1
	}
	for ; ; head.Number++ { // another run may take the same number
		var unread *ContentError
		keeps := &keeper{}
		err := folder.Write(j.root, openName(head.Number), 0o600, func(f folder.File) error {
			lines, err = writeRecord(f, head, list, keeps.sum)
			return err
		})
		if err == nil && head.Undoes == 0 { // an undo is finished by looking anew
			if err = keeps.keep(list); err == nil {
				err = keeps.write(j, head.Number)
			}
		}
		switch {
		case err == nil:
			_ = j.root.Sync()
			return lines, nil
		case errors.Is(err, fs.ErrExist):
			continue
		}
		_ = j.Drop(head.Number)
		if errors.As(err, &unread) {
			return nil, err
		}
		return nil, &Error{Err: err}
	}
}

// Drop removes a record of which nothing was begun.
func (j *Journal) Drop(number int) error {
	_ = j.root.Remove(contentsName(number), false)
	return j.root.Remove(openName(number), false)
}

// A ContentError says that what a file is to begin with cannot be read.
type ContentError struct {
	Source string
	Err    error
}

// Error says what cannot be read, and why.
func (e *ContentError) Error() string {
	return fmt.Sprintf("%s cannot be read: %s", e.Source, folder.Reason(e.Err))
}

// Unwrap returns what the file system said.
func (e *ContentError) Unwrap() error { return e.Err }

// SumOf returns the checksum of what a new file begins with.
func SumOf(n *tree.Node) (string, error) {
	none := keeper{size: maxContents}
	return none.sum(n)
}

// EmptySum is the checksum of an empty file.
var EmptySum = digest.Bytes(nil)

func writeRecord(to io.Writer, head *Head, list []change.Change, sums func(n *tree.Node) (string, error)) (lines []int, err error) {
	w := bufio.NewWriterSize(to, 1<<16)
	if err := json.NewEncoder(w).Encode(head); err != nil {
		return nil, err
	}
	lines = make([]int, len(list))
	line := 0 // the number of a single change, as they are read back
	for i := range list {
		lines[i] = line
		singles, err := list[i].WriteLine(w, sums)
		if err != nil {
			return nil, err
		}
		line += singles
	}
	if err := json.NewEncoder(w).Encode(allLine{&line}); err != nil {
		return nil, err
	}
	return lines, w.Flush()
}

// note appends lines to a record, durably.
func (j *Journal) note(number int, lines ...any) error {
	var data []byte
	for _, line := range lines {
		one, err := json.Marshal(line)
		if err != nil {
			return err
		}
		data = append(append(data, one...), '\n')
	}
	f, err := j.root.Append(openName(number))
	if err != nil {
		return err
	}
	// A line that was cut off stays without a meaning of its own.
	_, err = f.Write(append([]byte("\n"), data...))
	for _, step := range []func() error{f.Sync, f.Close} {
		if e := step(); err == nil {
			err = e
		}
	}
	return err
}

// Finish writes the end of a record, and its roots with their identities.
func (j *Journal) Finish(number int, end string, roots []Root) error {
	if err := j.note(number, ending{end, roots}); err != nil {
		return err
	}
	return j.ended(number)
}

// ended gives a record that has its end the name which says so.
func (j *Journal) ended(number int) error {
	if j.root.Remove(contentsName(number), false) != nil {
		_ = j.root.Remove(contentsName(number), false) // a disk far away may fail once
	}
	err := j.root.Move(openName(number), j.root, fileName(number))
	if errors.Is(err, fs.ErrNotExist) {
		if _, done := j.root.Look(fileName(number)); done == nil { // who reads the records has done it
			return nil
		}
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
	entries, err := j.root.List()
	if err != nil {
		return nil, err
	}
	var numbers []int
	for _, e := range entries {
		if n, _ := numberOf(e.Name); n > 0 {
			numbers = append(numbers, n)
		}
	}
	slices.Sort(numbers)
	return slices.Compact(numbers), nil
}

// AnyOpen reports whether a record has no end: its run is at work, or was cut short.
func (j *Journal) AnyOpen() bool {
	entries, err := j.root.List()
	return err != nil || slices.ContainsFunc(entries, func(e tree.Entry) bool { _, open := numberOf(e.Name); return open })
}

// Records returns all records, the oldest first. One that cannot be read is left
// out.
func (j *Journal) Records() ([]*Record, error) {
	numbers, err := j.numbers()
	if err != nil {
		return nil, err
	}
	byNumber := map[int]*Record{}
	var list []*Record
	for _, n := range numbers {
		f, open, err := j.open(n)
		if errors.Is(err, fs.ErrNotExist) {
			continue // it was forgotten meanwhile
		}
		if err != nil {
			continue // no file, or one that may not be read
		}
		first, last, err := ends(f)
		f.Close()
		if err != nil {
			return nil, err
		}
		r := parseHead(first, last)
		if r == nil || r.Number != n {
			continue
		}
		if open && r.End != CutShort { // it came so far, and no further
			_ = j.ended(n)
		}
		if open && r.End == CutShort && len(r.Places) > 0 {
			r.Busy = register.Register{Dir: RegisterDir(j.dir)}.Busy(r.Places[0])
		}
		if r.End == CutShort {
			if whole, err := j.whole(n); err != nil {
				return nil, err
			} else if !whole { // it was stopped before it was begun
				if r.End = TakenBack; open && !r.Busy {
					_ = j.Drop(n)
				}
			}
		}
		list = append(list, r)
		byNumber[n] = r
		if undone := byNumber[r.Undoes]; undone != nil && r.End == Done && r.Part == "" {
			undone.UndoneBy = n
			if back := byNumber[undone.Undoes]; back != nil {
				back.UndoneBy = 0 // its undo was undone, so it holds again
			}
		}
	}
	for _, r := range list {
		// An undo that was cut short has nothing left to do when its record was
		// taken back, or continued, in another way.
		if o := byNumber[r.Undoes]; r.Undoes > 0 && r.End == CutShort && !r.Busy && (o == nil || o.Undone()) {
			r.End = Continued
		}
	}
	return list, nil
}

// whole reports whether all changes of a record came to be written down.
func (j *Journal) whole(number int) (bool, error) {
	f, _, err := j.open(number)
	if err != nil {
		return false, err
	}
	defer f.Close()
	data, err := io.ReadAll(f)
	if err != nil {
		return false, err
	}
	_, whole := parseChanges(data)
	return whole, nil
}

// open opens the file of a record.
func (j *Journal) open(number int) (f folder.File, open bool, err error) {
	f, err = j.root.Open(fileName(number))
	if errors.Is(err, fs.ErrNotExist) {
		open = true
		f, err = j.root.Open(openName(number))
	}
	return f, open, err
}

// ends returns the first line of a file and the last one.
func ends(f folder.File) (first, last []byte, err error) {
	const most = 1 << 20
	r := bufio.NewReader(io.LimitReader(f, most))
	if first, err = r.ReadBytes('\n'); err != nil && err != io.EOF {
		return nil, nil, err
	}
	size, err := f.Seek(0, io.SeekEnd)
	if err == nil {
		_, err = f.Seek(max(0, size-most), io.SeekStart)
	}
	if err != nil {
		return nil, nil, err
	}
	tail, err := io.ReadAll(io.LimitReader(f, most))
	if err != nil {
		return nil, nil, err
	}
	tail = bytes.TrimRight(tail, "\n")
	return first, tail[bytes.LastIndexByte(tail, '\n')+1:], nil
}

// Changes returns the changes of a record, and before them those of the records
// that it continues; and the places that their numbers mean.
func (j *Journal) Changes(r *Record) (list []change.Change, places []address.Address, err error) {
	places = r.Places
	for _, n := range append(slices.Clone(r.Continues), r.Number) {
		f, _, err := j.open(n)
		if errors.Is(err, fs.ErrNotExist) && n != r.Number {
			continue
		}
		if err != nil {
			return nil, nil, err
		}
		data, err := io.ReadAll(f)
		f.Close()
		if err != nil {
			return nil, nil, err
		}
		first, _, _ := bytes.Cut(data, []byte("\n"))
		if head := parseHead(first, nil); head != nil {
			changes, _ := parseChanges(data)
			if err := placed(changes, len(head.Places)); err != nil {
				return nil, nil, err
			}
			list = append(list, InPlaces(changes, head.Places, &places)...)
		}
	}
	return list, places, nil
}

// InPlaces returns changes with the numbers that their own places have among others,
// which are added where they are not there yet.
func InPlaces(changes []change.Change, own []address.Address, places *[]address.Address) []change.Change {
	number := map[int]int{}
	for i, p := range own {
		at := slices.Index(*places, p)
		if at < 0 {
			*places = append(*places, p)
			at = len(*places) - 1
		}
		number[i] = at
	}
	changes = slices.DeleteFunc(changes, func(c change.Change) bool { return c.In >= len(own) || c.FromIn >= len(own) })
	for i := range changes {
		changes[i].In, changes[i].FromIn = number[changes[i].In], number[changes[i].FromIn]
	}
	return changes
}

// Copied notes, before copies get their names, what they hold: by the numbers of their
// changes among the lines of the record.
func (j *Journal) Copied(number int, sums map[int]string) error {
	lines := make([]any, 0, len(sums))
	for _, line := range slices.Sorted(maps.Keys(sums)) {
		lines = append(lines, sumLine{&line, sums[line]})
	}
	return j.note(number, lines...)
}

// Forget takes the changes out of a record: it can no longer be taken back. Its
// number is not given to another one.
func (j *Journal) Forget(r *Record) error {
	name := "forgotten-" + fileName(r.Number)
	_ = j.root.Remove(name, false)
	err := folder.Write(j.root, name, 0o600, func(f folder.File) error {
		if _, err := writeRecord(f, &r.Head, nil, SumOf); err != nil {
			return err
		}
		return json.NewEncoder(f).Encode(ending{End: Forgotten})
	})
	if err == nil {
		err = j.root.Remove(fileName(r.Number), false)
	}
	if err == nil {
		err = j.root.Move(name, j.root, fileName(r.Number))
	}
	return err
}
