package bundle

import (
	"errors"
	"io"
	"iter"
	"path"
	"strings"

	"vestibula/core/address"
	"vestibula/core/compare"
	"vestibula/core/digest"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/tree"
)

// List sums up all that lies in a folder, several files at a time: root is its tree. Of files
// that are as in the last backup it takes what the list of that one says, where they lie in
// its payload. Done, which may be nil, is told how many things were looked at, from several
// goroutines. The error
// is an [UnreadError].
func List(dir address.Address, root *tree.Node, last []Entry, payload address.Address, done func(n int)) ([]Entry, error) {
	l := &lister{known: make(map[string]*Entry, len(last))}
	for i := range last {
		l.known[last[i].Path] = &last[i]
	}
	var list []Entry
	for at, n := range root.All() {
		e := Entry{Path: strings.Clone(at)}
		if n.Kind == tree.Folder {
			e.Path += "/"
		}
		list = append(list, e)
	}
	places := []string{string(dir)}
	if len(l.known) > 0 {
		places = append(places, string(payload))
	}
	for _, at := range places {
		p, err := place.Open(at)
		if err != nil {
			return nil, err
		}
		defer p.Close()
		l.places = append(l.places, p)
	}
	errs := make([]error, len(list))
	pool.Each(len(list), 64, func(numbers iter.Seq[int]) {
		var eyes []tree.Place
		for _, p := range l.places {
			c := p.Clone()
			defer c.(io.Closer).Close()
			eyes = append(eyes, c)
		}
		for i := range numbers {
			errs[i] = l.sum(eyes, &list[i])
			if done != nil {
				done(1)
			}
		}
	})
	for i, err := range errs {
		if err != nil {
			return nil, &UnreadError{list[i].Path, err}
		}
	}
	return list, nil
}

// An UnreadError is something that cannot be read.
type UnreadError struct {
	Path string
	Err  error
}

// Error says what it is, and why.
func (u *UnreadError) Error() string { return u.Path + " cannot be read: " + place.Reason(u.Err) }

// Unwrap returns the cause.
func (u *UnreadError) Unwrap() error { return u.Err }

// A lister sums up what lies in a place, with what is known of the last backup.
type lister struct {
	known  map[string]*Entry
	places []*place.Place // the folder, and the payload of the last backup
}

// sum sums up an entry, with eyes for each of the places.
func (l *lister) sum(eyes []tree.Place, e *Entry) error {
	return Look(eyes[0], e, func(living tree.Entry) bool {
		was := l.known[e.Path]
		if was == nil || was.Sum == "" || was.Size != e.Size || was.Time != e.Time {
			return false
		}
		there, err := eyes[1].Look(e.Path)
		if err != nil || there.Kind != tree.File || there.Size != e.Size || there.Time != e.Time || there.Ino == living.Ino && there.Dev == living.Dev {
			return false
		}
		e.Sum, e.Last = was.Sum, &there
		return true
	})
}

// Look looks at one entry of a place. A file is summed up, where known, which may be nil, does
// not tell what it holds.
func Look(in tree.Place, e *Entry, known func(living tree.Entry) bool) error {
	at := strings.TrimSuffix(e.Path, "/")
	is, err := in.Look(at)
	if err != nil {
		return err
	}
	e.Time, e.Mode = is.Time, uint32(is.Mode.Perm())
	switch is.Kind {
	case tree.Folder:
		return nil
	case tree.Other:
		return errors.New("it is no ordinary file")
	case tree.File:
		if e.Size = is.Size; known != nil && known(is) {
			return nil
		}
	}
	f, err := in.Open(at)
	if err != nil {
		return err
	}
	defer f.Close()
	if is.Kind == tree.Symlink {
		to, err := io.ReadAll(f)
		e.To = string(to)
		return err
	}
	e.Sum, err = digest.Of(f)
	return err
}

// Tree returns what a list holds as a tree, and the checksums of its files and of what its links say, by
// paths.
func (b *Inventory) Tree() (root *tree.Node, sums map[string]string) {
	grown, sums := tree.NewGrower(), map[string]string{}
	for i := range b.Entries {
		e := &b.Entries[i]
		at := path.Clean(e.Path)
		n := &tree.Node{Name: path.Base(at), Kind: tree.File}
		switch {
		case strings.HasSuffix(e.Path, "/"):
			n.Kind = tree.Folder
		case e.Sum == "":
			n.Kind = tree.Symlink
			sums[at] = digest.Bytes([]byte(e.To))
		default:
			sums[at] = e.Sum
		}
		grown.Put(at, n)
	}
	return grown.Root, sums
}

// Differences are those of a backup and of the project now, which lies in a folder. What has the size
// and time that it had is not read.
func Differences(b *Inventory, dir address.Address, now *tree.Node) []compare.Difference {
	in, err := place.Open(dir)
	if err != nil {
		return nil
	}
	defer in.Close()
	root, sums := b.Tree()
	known := map[string]*Entry{}
	for i := range b.Entries {
		known[b.Entries[i].Path] = &b.Entries[i]
	}
	sum := func(side int, at string) string {
		if side == 0 {
			return sums[at]
		}
		e, was := Entry{Path: at}, known[at]
		err := Look(in, &e, func(is tree.Entry) bool { return was != nil && is.Size == was.Size && is.Time == was.Time })
		switch {
		case err != nil:
			return ""
		case e.To != "":
			return digest.Bytes([]byte(e.To))
		case e.Sum == "":
			return was.Sum
		}
		return e.Sum
	}
	return compare.Differences(root, now, compare.Contents{Sum: sum, Same: func(x, y string) bool { return sum(0, x) == sum(1, y) }}, nil)
}
