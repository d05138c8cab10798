package disk

import (
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// copiesTogether is how many files are copied before what they hold is written down, and
// they get their names; tests have less.
var copiesTogether = 1024

// nextCopies is how many copies one takes at a time that only get another name: mostly
// those of one folder, so that several do not wait for each other there.
const nextCopies = 256

// clone makes a copy that shares what it holds with its source, under a hidden name. What it
// made is gone where it fails.
func clone(by filler, source folder.File, was tree.Entry, work folder.Folder, part string) error {
	err := by(work, part, 0o600, func(f folder.File) error {
		if err := folder.Clone(f, source); err != nil {
			return err
		}
		return dress(f, was.Mode, source.Attributes())
	})
	if err == nil {
		err = folder.Date(work, part, was.Time)
	}
	if err != nil {
		_ = work.Remove(part, false)
	}
	return err
}
