package project

import (
	"bytes"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// A LabelError says that there is no label, which is [fs.ErrNotExist], or that it cannot be read.
type LabelError struct{ Err error }

// Error says why.
func (e *LabelError) Error() string {
	return fmt.Sprintf("its %s cannot be read: %s", label.FileName, place.Reason(e.Err))
}

// Unwrap returns what the file system said.
func (e *LabelError) Unwrap() error { return e.Err }

// ReadLabel reads the label of a project as it is now, with what it holds. The error is a
// [LabelError], or says that the label is damaged.
func ReadLabel[P ~string](dir P) (l *label.Label, data []byte, err error) {
	return parse(place.ReadFile(filepath.Join(string(dir), label.FileName), label.MaxBytes))
}

// A Reader reads files of a place, by their paths there: nil for one that is not there.
type Reader interface {
	ReadFile(path string, most int64) ([]byte, error)
}

// LabelIn reads the label in a folder of a place. The error is as that of [ReadLabel].
func LabelIn(in Reader, folder string) (l *label.Label, data []byte, err error) {
	data, err = in.ReadFile(path.Join(folder, label.FileName), label.MaxBytes)
	if data == nil && err == nil {
		err = fs.ErrNotExist
	}
	return parse(data, err)
}

// LabelOf reads the label that a content gives, as in an archive.
func LabelOf(content tree.Content) (l *label.Label, data []byte, err error) {
	var out bytes.Buffer
	err = tree.Copy(&out, content)
	return parse(out.Bytes(), err)
}

// parse reads a label, where its bytes could be read.
func parse(data []byte, err error) (*label.Label, []byte, error) {
	if err != nil {
		return nil, nil, &LabelError{err}
	}
	l, err := label.Parse(data)
	return l, data, err
}

// Relabel adds to a set what changes the label of a project, as it is now. Where the edit
// changes nothing, nothing is added.
func Relabel(set *change.Set, dir address.Address, edit func(l *label.Label) error) error {
	l, was, err := ReadLabel(dir)
	if err != nil {
		return err
	}
	before, err := l.Encode()
	if err == nil {
		err = edit(l)
	}
	if err != nil {
		return err
	}
	is, err := l.Encode()
	if err != nil || bytes.Equal(before, is) {
		return err
	}
	at, err := set.Find(dir.Join(label.FileName))
	if err != nil {
		at = change.At{In: set.Place(dir), Path: label.FileName}
	}
	set.Write(at, was, is, "")
	return nil
}
