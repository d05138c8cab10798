package tree

import (
	"io"
	"io/fs"
)

// An Entry is what lies under a name in a folder of a disk, looked at without
// following links.
type Entry struct {
	Name string
	Kind Kind
	// What follows is known of an entry that was looked at, not of one that was
	// only listed.
	Mode     fs.FileMode // the permissions
	Size     int64       // of a file, in bytes
	Time     int64       // when it was changed last, in nanoseconds since 1970
	Dev, Ino uint64      // its identity, as long as it exists; 0 where a system has none
	Tag      string      // of a store that has such: another one whenever a file holds something else
}

// A Place is a folder that can be looked at. Paths are relative to it, with
// slashes; the place itself is ".". No method follows a link, neither at the end
// of a path nor on the way. Errors are such that errors.Is tells
// [fs.ErrNotExist] and [fs.ErrPermission].
type Place interface {
	// List returns the names in a folder, and their kinds.
	List(path string) ([]Entry, error)
	// Look returns what lies at a path.
	Look(path string) (Entry, error)
	// Open opens an ordinary file, or what a link says; anything else is an error.
	Open(path string) (io.ReadCloser, error)
	// Writable returns an error where nothing can be made in a folder.
	Writable(path string) error
	// Far reports whether it lies on a drive, where nothing is a link and nothing keeps its time.
	Far() bool
	// MaxPath is how long a path, measured in [Place.PathLength], may become.
	MaxPath() int
	// PathLength is how long the path of something is, from the top of its disk.
	PathLength(path string) int
}
