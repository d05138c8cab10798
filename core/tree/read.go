package tree

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"syscall"
)

// Link marks a link to somewhere else. It is never followed, so that circles of
// links do no harm; its kind is that of a file.
const Link Marks = 1 << 6

// An Unread is something on a disk that could not be read.
type Unread struct {
	Path string // with slashes, from the folder that was read
	Err  error
}

// A Lister lists the folders of a store, by slashed paths from one of them, "" for that itself. It
// follows no links, and is safe for several goroutines.
type Lister interface {
	List(at string) ([]Entry, error)
}

// A Far lister lists folders on a drive, where nothing is a link.
type Far interface {
	// Hands is how many folders are listed at a time.
	Hands() int
}

// local lists folders of this disk.
type local string

// List does not join paths as package filepath does: a name from a disk is taken as it is.
func (l local) List(at string) ([]Entry, error) {
	if at == "" {
		return list(string(l))
	}
	return list(string(l) + string(filepath.Separator) + filepath.FromSlash(at))
}

// Read reads the folders and files below a folder of this disk into a tree: see [ReadFrom].
func Read[P ~string](dir P, skip func(path string, folder bool) bool, done func(n int)) (*Node, []Unread, error) {
	info, err := os.Stat(string(dir))
	if err != nil {
		return nil, nil, err
	}
	if !info.IsDir() {
		return nil, nil, &fs.PathError{Op: "read", Path: string(dir), Err: syscall.ENOTDIR}
	}
	root, unread := ReadFrom(local(dir), skip, done)
	return root, unread, nil
}

// ReadFrom reads all folders and files that a lister lists into a tree. Links
// are named, not followed. Skip says which paths to pass by; it must be safe
// for use by several goroutines, and may be nil. What cannot be read is
// returned, and the rest is read all the same. Done is told how many entries were
// just read, from any goroutine; it may be nil too.
func ReadFrom(from Lister, skip func(path string, folder bool) bool, done func(n int)) (*Node, []Unread) {
	r := &reader{from: from, skip: skip, done: done, free: make(chan struct{}, 2*runtime.GOMAXPROCS(0))}
	root := &Node{}
	if far, ok := from.(Far); ok {
		r.free = make(chan struct{}, far.Hands())
		r.marks = Linkless
	}
	root.Marks = r.marks
	r.folder(root, "")
	r.wait.Wait()
	slices.SortFunc(r.unread, func(a, b Unread) int { return strings.Compare(a.Path, b.Path) })
	return root, r.unread
}

// A reader reads several folders at a time: as many as free has room for, and
// the others in turn.
type reader struct {
	from   Lister
	skip   func(string, bool) bool
	done   func(n int)
	free   chan struct{}
	marks  Marks // of each folder
	wait   sync.WaitGroup
	lock   sync.Mutex
	unread []Unread
}

func (r *reader) folder(n *Node, at string) {
	entries, err := r.from.List(at)
	if err != nil {
		r.missed(at, err)
	}
	if r.done != nil {
		r.done(len(entries))
	}
	nodes := make([]Node, len(entries))
	n.Children = make([]*Node, 0, len(entries))
	for i, e := range entries {
		child := &nodes[i]
		child.Name = e.Name
		if e.Kind == Folder {
			child.Marks = r.marks
		} else {
			child.Kind = File
			if e.Kind == Symlink {
				child.Marks = Link
			}
		}
		if r.skip != nil && r.skip(path.Join(at, child.Name), e.Kind == Folder) {
			continue
		}
		n.Children = append(n.Children, child)
	}
	slices.SortFunc(n.Children, func(a, b *Node) int { return strings.Compare(a.Name, b.Name) })
	for _, c := range n.Children {
		if c.Kind != Folder {
			continue
		}
		below := c.Name
		if at != "" {
			below = at + "/" + c.Name
		}
		select {
		case r.free <- struct{}{}:
			r.wait.Go(func() {
				r.folder(c, below)
				<-r.free
			})
		default:
			r.folder(c, below)
		}
	}
}

func (r *reader) missed(at string, err error) {
	var pathErr *fs.PathError
	if errors.As(err, &pathErr) {
		err = pathErr.Err
	}
	r.lock.Lock()
	r.unread = append(r.unread, Unread{at, err})
	r.lock.Unlock()
}

// kindOf returns the kind of a mode.
func kindOf(m fs.FileMode) Kind {
	switch {
	case m.IsDir():
		return Folder
	case m.IsRegular():
		return File
	case m&fs.ModeSymlink != 0:
		return Symlink
	}
	return Other
}
