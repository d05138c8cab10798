package next

import (
	"fmt"
	"os"
	"path"
	"path/filepath"

	"vestibula/core/change"
	"vestibula/core/tree"
)

// A TwiceError says that two files of the old period would get one name in the new one.
type TwiceError struct{ One, Other, To string }

// Error names them.
func (e *TwiceError) Error() string {
	return fmt.Sprintf("%s and %s would both be %s", e.One, e.Other, e.To)
}

// Bring adds to a set what brings steps from one folder to another, and the folders on the
// way. It returns the steps whose place is free; what is begun there stays, and is counted. The
// error is a [TwiceError], or that of a link that cannot be read.
func Bring(set *change.Set, way *change.Way, steps []*Step, from, to change.At) (goes []*Step, begun int, err error) {
	onDisk := func(at change.At) string { return filepath.Join(set.Places[at.In], filepath.FromSlash(at.Path)) }
	taken := map[string]string{}
	for _, s := range steps {
		old, new := from.Below(s.From), to.Below(s.To)
		if s.Kind == tree.Folder {
			way.To(new, "carry")
			continue
		}
		if other, twice := taken[tree.Folded(new.Path)]; twice {
			return nil, 0, &TwiceError{other, s.From, s.To}
		}
		taken[tree.Folded(new.Path)] = s.From
		if _, err := os.Lstat(onDisk(new)); err == nil {
			begun++
			continue
		}
		way.To(change.At{In: new.In, Path: path.Dir(new.Path)}, "carry")
		switch {
		case s.Moves:
			set.Move(old, new, change.Is(s.Kind), s.Why)
		case s.Kind == tree.Symlink:
			target, err := os.Readlink(onDisk(old))
			if err != nil {
				return nil, 0, err
			}
			set.MakeLink(new, target, s.Why)
		default:
			set.Copy(old, new, change.Is(s.Kind), s.Why)
		}
		goes = append(goes, s)
	}
	return goes, begun, nil
}
