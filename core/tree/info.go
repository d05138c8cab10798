package tree

import (
	"io/fs"
	"time"
)

// Info is an entry that was looked at, as package io/fs tells it.
func (e Entry) Info() fs.FileInfo { return entry{e} }

type entry struct{ e Entry }

func (i entry) Name() string       { return i.e.Name }
func (i entry) Size() int64        { return i.e.Size }
func (i entry) ModTime() time.Time { return time.Unix(0, i.e.Time) }
func (i entry) IsDir() bool        { return i.e.Kind == Folder }
func (i entry) Sys() any           { return nil }

// Mode is the kind, with the rights.
func (i entry) Mode() fs.FileMode {
	switch i.e.Kind {
	case Folder:
		return i.e.Mode | fs.ModeDir
	case Symlink:
		return i.e.Mode | fs.ModeSymlink
	case Other:
		return i.e.Mode | fs.ModeIrregular
	}
	return i.e.Mode
}
