package bundle

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// ErrNoList says that what lies at a path has no list by which it could be held.
var ErrNoList = errors.New("it has no list of what it holds")

// Check holds what lies at a path against the lists that are in it: a folder that is a bag or a
// backup, or an archive file in which such lie, or projects that were archived. What it is, in a
// word, is said with an error as well, which says that it is not whole, or is [ErrNoList]. Done is told
// of each file that was summed up.
func Check[P ~string](at P, done func(n int)) (what string, r *Report, err error) {
	real, err := place.Real(at)
	switch {
	case err != nil:
		return "", nil, ErrNoList
	case strings.HasSuffix(string(real), change.Unfinished):
		return "backup", nil, errors.New("it is left of a run that was cut short")
	case packed.FormatOf(string(real)) == packed.Zip && IsFile(real):
		return checkFile(string(real), done)
	case place.Exists(real.Join(BackupName)):
		what = "backup"
	case place.Exists(real.Join(Declaration)) && !place.Exists(real.Join(label.FileName)):
		what = "bag"
	default:
		return "", nil, ErrNoList
	}
	root, unread, err := place.Read(real, nil, nil)
	if err != nil {
		return what, nil, err
	}
	in, err := place.Open(real)
	if err != nil {
		return what, nil, err
	}
	defer in.Close()
	note, err := Note(real)
	if what == "bag" {
		r, err = checkBag(root, note, func(name string) ([]byte, error) {
			data, err := place.ReadFile(real.Join(name), MaxManifest)
			if err != nil {
				return nil, fmt.Errorf("%s cannot be read: %s", name, place.Reason(err))
			}
			return data, nil
		}, onDisk{in}, done)
	} else if err == nil {
		r = note.check(root, onDisk{in}, onDisk{in}.target, done)
	}
	if err != nil {
		return what, nil, err
	}
	for _, u := range unread {
		r.Add(Problem{Kind: Unread, Path: u.Path, Why: place.Reason(u.Err)})
	}
	return what, r, nil
}

// checkBag holds a folder against the manifests of the bag that it is and, where it is one of
// ours, against the list of what manifests cannot say.
func checkBag(root *tree.Node, note *Inventory, small func(name string) ([]byte, error), in Source, done func(n int)) (*Report, error) {
	r, err := VerifyBag(root, small, in, done)
	if data := root.Child(Payload); err == nil && note != nil && data != nil {
		for _, p := range note.Rest(data, nil) {
			p.Path = path.Join(Payload, p.Path) + "/"
			r.Add(p)
		}
	}
	return r, err
}

// check holds a folder against the list of the backup that it is.
func (b *Inventory) check(root *tree.Node, in Source, target func(path string) (string, error), done func(n int)) *Report {
	m, _ := b.Manifest("")
	r := Verify(m, root, func(p string) bool { return p == BackupName }, in, done)
	r.Add(b.Rest(root, target)...)
	return r
}

// checkFile checks an archive file.
func checkFile(file string, done func(n int)) (what string, all *Report, err error) {
	f, err := OpenFile(file)
	if err != nil {
		return "", nil, ErrNoList // what is wrong with it is told where it is read as any archive
	}
	defer f.Close()
	all = &Report{}
	for _, top := range f.Root.Children {
		note, below, err := f.Note(top.Name)
		in := f.In(top.Name)
		var r *Report
		switch isBag := top.Child(Declaration) != nil && top.Child(label.FileName) == nil; {
		case err != nil:
		case isBag && (note == nil || below != ""):
			what = "bag"
			r, err = checkBag(top, note, in.Read, in, done)
		case note != nil:
			what = "archive"
			r = note.check(top, in, func(p string) (string, error) { return f.Links[path.Join(top.Name, p)], nil }, done)
		default:
			continue
		}
		if err != nil {
			return "archive", nil, fmt.Errorf("%s in it: %w", top.Name, err)
		}
		for i := range r.Problems {
			r.Problems[i].Path = path.Join(top.Name, r.Problems[i].Path)
		}
		all.Files += r.Files
		all.Add(r.Problems...)
		all.Passed = append(all.Passed, r.Passed...)
	}
	if what == "" {
		return "", nil, ErrNoList
	}
	return what, all, nil
}

// onDisk is a folder on a disk, as a [Source].
type onDisk struct{ at *place.Place }

// Open opens an ordinary file in it.
func (d onDisk) Open(name string) (io.ReadCloser, error) {
	eyes := d.at.Clone()
	defer eyes.(io.Closer).Close()
	if e, err := eyes.Look(name); err != nil || e.Kind != tree.File {
		return nil, cmp.Or(err, errNotOrdinary)
	}
	return eyes.Open(name)
}

var errNotOrdinary = errors.New("it is no ordinary file")

// Size is how large a file in it is.
func (d onDisk) Size(name string) (int64, error) {
	eyes := d.at.Clone()
	defer eyes.(io.Closer).Close()
	e, err := eyes.Look(name)
	return e.Size, err
}

// target is where a link in it leads.
func (d onDisk) target(name string) (string, error) {
	r, err := d.at.Open(name)
	if err != nil {
		return "", err
	}
	defer r.Close()
	to, err := io.ReadAll(r)
	return string(to), err
}
