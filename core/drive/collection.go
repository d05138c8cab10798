package drive

import (
	"errors"
	"io/fs"
	"net/http"
	"slices"
	"strings"
	"syscall"

	"vestibula/core/folder"
	"vestibula/core/tree"
)

// A collection is an open folder on a server.
type collection struct {
	*Server
	path string
}

// at is the path of a name.
func (c *collection) at(op, name string) (string, error) {
	if !single(name) {
		return "", fail(op, name, errName)
	}
	return below(c.path, name), nil
}

// Hands is how many requests the server bears at a time.
func (c *collection) Hands() int {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	return c.hands
}

// Lacks says what the server does not keep: what it was tried for, else what the standard says.
func (c *collection) Lacks() folder.Lack {
	lack := folder.EmptyOnly | folder.Swapping | folder.Creating | folder.Dating | folder.Linking
	if !c.trial.known().Exclusive {
		lack |= folder.Exclusive
	}
	return lack
}

// Working tries out what the server keeps, in a folder of a run's own.
func (c *collection) Working() error {
	c.known.own(c.path, tree.Folder)
	return c.try(c.path)
}

func (c *collection) Folder(name string) (folder.Folder, error) {
	at, err := c.at("open", name)
	if err != nil {
		return nil, err
	}
	if kind, own := c.known.isOwn(at); !own || kind != tree.Folder {
		e, err := c.look(at)
		if err == nil && e.Kind != tree.Folder {
			err = errKind
		}
		if err != nil {
			return nil, fail("open", name, err)
		}
	}
	return &collection{c.Server, at}, nil
}

// Below opens a collection by its path: on a server nothing leads elsewhere on the way.
func (c *collection) Below(path string) (folder.Folder, error) {
	for name := range strings.SplitSeq(path, "/") {
		if !single(name) {
			return nil, fail("open", path, errName)
		}
	}
	up, name := above(below(c.path, path)), last(path)
	return (&collection{c.Server, up}).Folder(name)
}

func (c *collection) List() ([]tree.Entry, error) {
	l, err := c.list(c.path)
	if err != nil {
		return nil, fail("list", c.path, err)
	}
	entries := make([]tree.Entry, len(l.entries))
	for i := range l.entries {
		entries[i] = c.entry(below(c.path, l.entries[i].Name), &l.entries[i])
	}
	return entries, nil
}

func (c *collection) Look(name string) (tree.Entry, error) {
	if name == "." {
		e, err := c.look(c.path)
		e.Name = "."
		return e, fail("look", name, err)
	}
	at, err := c.at("look", name)
	if err != nil {
		return tree.Entry{}, err
	}
	e, err := c.look(at)
	return e, fail("look", name, err)
}

func (c *collection) Mkdir(name string, _ fs.FileMode) error {
	at, err := c.at("mkdir", name)
	if err != nil {
		return err
	}
	err = c.do(request{method: "MKCOL", path: at, folder: true}, func() (bool, error) {
		e, err := c.lookNow(at)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return false, nil
		case err != nil:
			return false, err
		case e.Kind != tree.Folder:
			return false, refused(http.StatusPreconditionFailed)
		}
		f, err := c.properties(at, "1", stateWanted)
		if err == nil && len(f.entries) > 0 { // somebody else's
			err = refused(http.StatusPreconditionFailed)
		}
		return err == nil, err
	})
	if err = c.taken(err, at); err == nil {
		c.known.own(at, tree.Folder)
	}
	return fail("mkdir", name, err)
}

func (c *collection) Remove(name string, dir bool) error {
	at, err := c.at("remove", name)
	if err != nil {
		return err
	}
	tag := c.known.tag(at)
	e, err := c.lookNow(at)
	switch {
	case err == nil && (e.Kind == tree.Folder) != dir:
		err = errKind
	case err == nil && tag != "" && e.Tag != tag:
		err = errState
	}
	if err == nil {
		err = c.delete(at, dir)
	}
	return fail("remove", name, err)
}

// delete removes what lies at a path, with all that lies in it.
func (s *Server) delete(at string, dir bool) error {
	s.known.left(at)
	r := request{method: http.MethodDelete, path: at, folder: dir, header: map[string]string{}}
	s.when(&r)
	err := s.do(r, func() (bool, error) { return s.gone(at) })
	if err == nil || statusOf(err) == http.StatusPreconditionFailed {
		s.known.tagged(at, nil)
	}
	if statusOf(err) == http.StatusPreconditionFailed {
		err = errState
	}
	return err
}

// when makes a request depend on the file still being what was seen.
func (s *Server) when(r *request) {
	if tag := s.known.tag(r.path); tag != "" && s.trial.known().Conditions {
		r.header["If-Match"] = tag
	}
}

// gone reports whether nothing lies at a path.
func (s *Server) gone(at string) (bool, error) {
	_, err := s.lookNow(at)
	if errors.Is(err, fs.ErrNotExist) {
		return true, nil
	}
	return false, err
}

func (c *collection) Move(name string, to folder.Folder, as string) error {
	there, ok := folder.Behind(to).(*collection)
	if !ok || there.Server != c.Server {
		return folder.ErrAcross
	}
	from, err := c.at("move", name)
	if err != nil {
		return err
	}
	target, err := there.at("move", as)
	if err != nil {
		return err
	}
	held, err := c.holds(from)
	if err == nil {
		err = c.move(from, target, held)
	}
	return fail("move", name, err)
}

// Copy asks the server to copy a file, to a name that nothing has.
func (c *collection) Copy(name string, to folder.Folder, as string) error {
	there, ok := folder.Behind(to).(*collection)
	if !ok || there.Server != c.Server {
		return errors.ErrUnsupported
	}
	from, err := c.at("copy", name)
	if err != nil {
		return err
	}
	target, err := there.at("copy", as)
	if err != nil {
		return err
	}
	r := request{method: "COPY", path: from, header: map[string]string{"Overwrite": "F", "Destination": c.urlOf(target, false).String()}}
	c.when(&r)
	err = c.do(r, func() (bool, error) {
		free, err := c.gone(target)
		return !free, err // it is read back, whatever came about
	})
	if err = c.taken(err, target); err == nil {
		c.known.own(target, tree.File)
	}
	return fail("copy", name, err)
}

// holds are the names in a folder that is to be moved, nil for a file.
func (s *Server) holds(path string) (names map[string]bool, err error) {
	kind, own := s.known.isOwn(path)
	if own && kind == tree.File || s.known.tag(path) != "" {
		return nil, nil
	}
	if !own { // some servers refuse to list a file
		if e, err := s.lookNow(path); err != nil || e.Kind != tree.Folder {
			return nil, err
		}
	}
	f, err := s.properties(path, "1", stateWanted)
	if err != nil {
		return nil, err
	}
	return f.names(), nil
}

// names are those in a folder that was listed.
func (f *found) names() map[string]bool {
	names := make(map[string]bool, len(f.entries))
	for i := range f.entries {
		names[f.entries[i].Name] = true
	}
	return names
}

// move gives something another name, which nothing has. Held are the names in it, nil for a file.
func (s *Server) move(from, to string, held map[string]bool) error {
	dir := held != nil
	r := request{method: "MOVE", path: from, folder: dir, header: map[string]string{"Overwrite": "F", "Destination": s.urlOf(to, dir).String()}}
	if dir {
		r.header["Depth"] = "infinity"
	}
	s.when(&r)
	err := s.do(r, func() (bool, error) { return s.moved(from, to, held) })
	switch statusOf(err) {
	case http.StatusMultiStatus:
		err = s.finish(from, to, held)
	case http.StatusPreconditionFailed:
		if free, wrong := s.gone(to); wrong == nil && free {
			err = errState
			if e, wrong := s.lookNow(from); wrong == nil && r.header["If-Match"] == e.Tag { // it is what it was
				delete(r.header, "If-Match")
				err = s.do(r, func() (bool, error) { return s.moved(from, to, held) })
			}
		}
	case http.StatusBadGateway:
		err = folder.ErrAcross
	}
	if err = s.taken(err, to); err == nil {
		kind, own := s.known.isOwn(from)
		s.known.left(from)
		s.known.left(to)
		if own && kind == tree.Folder { // a file has a name of somebody's by now
			s.known.own(to, kind)
		}
	}
	return err
}

// taken makes a refusal one because of a name that is taken, where that is so: servers have many
// statuses for it.
func (s *Server) taken(err error, at string) error {
	switch statusOf(err) {
	case http.StatusBadRequest, http.StatusMethodNotAllowed, http.StatusConflict, http.StatusForbidden, http.StatusMovedPermanently:
		if _, wrong := s.lookNow(at); wrong == nil {
			return refused(http.StatusPreconditionFailed)
		}
	}
	return err
}

// moved looks at both ends of a move that was not answered.
func (s *Server) moved(from, to string, held map[string]bool) (bool, error) {
	left, err := s.gone(from)
	if err != nil {
		return false, err
	}
	free, err := s.gone(to)
	switch {
	case err != nil:
		return false, err
	case left && !free:
		return true, nil
	case !left && free:
		return false, nil
	case left:
		return false, &Error{Says: "it is neither under its old name nor under the new one: look for it on the drive", cause: syscall.EIO}
	case held != nil:
		return true, s.finish(from, to, held)
	}
	return s.twin(from, to)
}

// twin ends a move of a file that lies under both names: a server copies before it removes. What is
// not the same is somebody else's.
func (s *Server) twin(from, to string) (bool, error) {
	one, err := s.sum(from)
	if err != nil {
		return false, err
	}
	other, err := s.sum(to)
	if err == nil && one != other {
		err = refused(http.StatusPreconditionFailed)
	}
	if err != nil {
		return false, err
	}
	return true, s.delete(from, false)
}

// finish ends the move of a folder of which only a part was moved, from what is there at both
// ends: what is left goes after the rest. Where that cannot be, all of it is brought back. What lies at
// the new one has to come from the old one, and from nowhere else: a folder that somebody has made there
// meanwhile is theirs.
func (s *Server) finish(from, to string, held map[string]bool) error {
	switch ours, err := s.halves(from, to, held); {
	case err != nil:
		return err
	case !ours:
		return refused(http.StatusPreconditionFailed)
	}
	err := s.pour(from, to)
	if err == nil {
		return nil
	}
	if free, wrong := s.gone(to); wrong != nil || free {
		return err
	}
	return errors.Join(err, s.pour(to, from))
}

// halves reports whether two folders together hold what one held, and the second some of it.
func (s *Server) halves(from, to string, held map[string]bool) (bool, error) {
	source, err := s.properties(from, "1", stateWanted)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return false, err
	}
	target, wrong := s.properties(to, "1", stateWanted)
	if errors.Is(wrong, fs.ErrNotExist) {
		return true, nil // nothing of it has gone
	}
	if wrong != nil {
		return false, wrong
	}
	here, there := map[string]bool{}, target.names()
	if err == nil {
		here = source.names()
	}
	for name := range there {
		if !held[name] {
			return false, nil
		}
	}
	for name := range held {
		if !here[name] && !there[name] {
			return false, nil
		}
	}
	return len(there) > 0 || len(held) == 0, nil
}

// pour moves what lies in a folder into another one, which has a part of it, and then that itself.
func (s *Server) pour(from, to string) error {
	source, err := s.properties(from, "1", stateWanted)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	target, err := s.properties(to, "1", stateWanted)
	if errors.Is(err, fs.ErrNotExist) {
		return s.move(from, to, source.names())
	}
	if err != nil {
		return err
	}
	for i := range source.entries {
		e := &source.entries[i]
		at, as := below(from, e.Name), below(to, e.Name)
		there := slices.IndexFunc(target.entries, func(t seen) bool { return t.Name == e.Name })
		switch {
		case there < 0:
			var held map[string]bool
			if held, err = s.holds(at); err == nil {
				err = s.move(at, as, held)
			}
		case e.Kind == tree.Folder && target.entries[there].Kind == tree.Folder:
			err = s.pour(at, as)
		case e.Kind == tree.File && target.entries[there].Kind == tree.File:
			_, err = s.twin(at, as)
		default:
			err = refused(http.StatusPreconditionFailed)
		}
		if err != nil {
			return err
		}
	}
	return s.clear(from)
}

// clear removes a folder in which nothing is left: out of everybody's way first, and back where
// somebody has put something into it.
func (s *Server) clear(at string) error {
	work := s.trial.place()
	if work == "" {
		return &Error{Says: "an empty folder is left of it", cause: syscall.EIO}
	}
	aside := below(work, "empty"+random())
	none := map[string]bool{}
	if err := s.move(at, aside, none); err != nil {
		return err
	}
	left, err := s.properties(aside, "1", stateWanted)
	if err == nil && len(left.entries) == 0 {
		return s.delete(aside, true)
	}
	return errors.Join(errPartly, err, s.move(aside, at, none))
}

func (c *collection) Swap(string, folder.Folder, string) error { return folder.ErrNoSwap }

func (c *collection) SetTime(name string, _ int64) error {
	if name != "." {
		at, err := c.at("settime", name)
		if err != nil {
			return err
		}
		if _, err := c.look(at); err != nil {
			return fail("settime", name, err)
		}
	}
	return fail("settime", name, errors.ErrUnsupported)
}

func (c *collection) Readlink(name string) (string, error) {
	return "", fail("readlink", name, errKind)
}

func (c *collection) Symlink(_, name string) error {
	at, err := c.at("symlink", name)
	if err != nil {
		return err
	}
	if _, err := c.look(at); err == nil {
		return fail("symlink", name, refused(http.StatusPreconditionFailed))
	}
	return fail("symlink", name, errors.ErrUnsupported)
}

// Writable is known only by writing.
func (c *collection) Writable() error { return nil }

// Sync is the server's own business.
func (c *collection) Sync() error     { return nil }
func (c *collection) SyncDisk() error { return nil }
func (c *collection) Close() error    { return nil }
