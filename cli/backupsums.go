package cli

import (
	"errors"
	"io"
	"os"
	"strings"
	"sync"

	"vestibula/core/bag"
	"vestibula/core/digest"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// entries sums up all that lies in a project, several files at a time. Of files that are as
// in the last backup it takes what the list of that one says, where they lie in its payload.
func (a *app) entries(dir string, root *tree.Node, last []bag.Entry, payload string) ([]bag.Entry, error) {
	known := make(map[string]*bag.Entry, len(last))
	for i := range last {
		known[last[i].Path] = &last[i]
	}
	var list []bag.Entry
	for at, n := range root.All() {
		e := bag.Entry{Path: strings.Clone(at)}
		if n.Kind == tree.Folder {
			e.Path += "/"
		}
		list = append(list, e)
	}
	places := []string{dir}
	if len(known) > 0 {
		places = append(places, payload)
	}
	var open []*place.Place
	for _, at := range places {
		p, err := place.Open(at)
		if err != nil {
			return nil, refused("", "%v", err)
		}
		defer p.Close()
		open = append(open, p)
	}
	done, end := a.progress("reading", len(list))
	defer end()
	errs := make([]error, len(list))
	const together = 64
	var mutex sync.Mutex
	var clones []tree.Place
	defer func() {
		for _, c := range clones {
			c.(io.Closer).Close()
		}
	}()
	several((len(list)+together-1)/together, func() func(i int) {
		eyes := make([]tree.Place, len(open))
		for i, p := range open {
			eyes[i] = p.Clone()
		}
		mutex.Lock()
		clones = append(clones, eyes...)
		mutex.Unlock()
		return func(part int) {
			for i := part * together; i < min((part+1)*together, len(list)); i++ {
				e := &list[i]
				errs[i] = lookAt(eyes[0], e, func(living tree.Entry) bool {
					was := known[e.Path]
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
			done(together)
		}
	})
	for i, err := range errs {
		if err != nil {
			return nil, refused("", "%s cannot be read: %s", list[i].Path, place.Reason(err))
		}
	}
	return list, nil
}

// lookAt looks at one entry of a place. A file is summed up, where known does not tell what
// it holds.
func lookAt(in tree.Place, e *bag.Entry, known func(living tree.Entry) bool) error {
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

// isFile reports whether an ordinary file lies at a path.
func isFile(at string) bool {
	info, err := os.Lstat(at)
	return err == nil && info.Mode().IsRegular()
}
