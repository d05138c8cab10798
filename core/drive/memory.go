package drive

import (
	"errors"
	"io/fs"
	"net/http"
	"strings"
	"sync"

	"vestibula/core/tree"
)

// A memory is what was seen on a server. While nothing is changed, each folder is asked for once;
// while something is, nothing is believed but what this run has made itself.
type memory struct {
	mutex    sync.Mutex
	changing int
	lists    map[string]*listing
	before   map[string]*listing // what was seen before anything was changed
	spots    spot                // what is known of paths meanwhile
}

// A listing is what a folder holds, as soon as ready is closed.
type listing struct {
	ready chan struct{}
	*found
	err   error
	named map[string]*seen
}

func newMemory() *memory {
	return &memory{lists: map[string]*listing{}}
}

func (m *memory) begin() {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if m.changing++; m.changing == 1 {
		m.before, m.lists = m.lists, map[string]*listing{}
	}
}

func (m *memory) end() {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	m.changing--
	m.before = nil
	m.spots = spot{}
}

// forget drops what was seen: something was changed, and the server is asked again.
func (m *memory) forget() {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	clear(m.lists)
}

// fresh reports whether nothing is believed now.
func (m *memory) fresh() bool {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	return m.changing > 0
}

// A spot is what is known of a path while things are changed.
type spot struct {
	kind  tree.Kind
	own   bool   // this run has made it
	tag   string // under which a file was looked at last
	below map[string]*spot
}

// spot finds a path, or makes it known; nil where it is not.
func (m *memory) spot(path string, fresh bool) *spot {
	at := &m.spots
	for name := range strings.SplitSeq(path, "/") {
		next := at.below[name]
		if next == nil && !fresh {
			return nil
		}
		if next == nil {
			if at.below == nil {
				at.below = map[string]*spot{}
			}
			next = &spot{}
			at.below[name] = next
		}
		at = next
	}
	return at
}

// own notes that this run has made something.
func (m *memory) own(path string, kind tree.Kind) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if m.changing > 0 {
		s := m.spot(path, true)
		s.own, s.kind = true, kind
	}
}

// left notes that something is no longer at a path, with all below it, or another thing.
func (m *memory) left(path string) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	in := &m.spots
	if up := above(path); up != "" {
		if in = m.spot(up, false); in == nil {
			return
		}
	}
	delete(in.below, last(path))
}

// isOwn is what this run has made at a path.
func (m *memory) isOwn(path string) (kind tree.Kind, is bool) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if s := m.spot(path, false); s != nil && s.own {
		return s.kind, true
	}
	return 0, false
}

// tagged notes the tag under which a file was looked at last.
func (m *memory) tagged(path string, e *seen) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	tag := ""
	if e != nil && e.strong && m.changing > 0 {
		tag = e.Tag
	}
	if s := m.spot(path, tag != ""); s != nil {
		s.tag = tag
	}
}

func (m *memory) tag(path string) string {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if s := m.spot(path, false); s != nil {
		return s.tag
	}
	return ""
}

// list lists a folder: at once where that was asked before, and nothing is changed.
func (s *Server) list(path string) (*listing, error) {
	m := s.known
	m.mutex.Lock()
	l := m.lists[path]
	if l != nil && m.changing == 0 {
		m.mutex.Unlock()
		<-l.ready
		return l, l.err
	}
	l = &listing{ready: make(chan struct{})}
	if m.changing == 0 {
		m.lists[path] = l
	}
	m.mutex.Unlock()
	defer close(l.ready)
	l.found, l.err = s.properties(path, "1", stateWanted)
	if l.err == nil && (l.self == nil || l.self.Kind != tree.Folder) {
		l.err = errKind
	}
	if l.err != nil && !errors.Is(l.err, fs.ErrNotExist) { // it may be another one the next time
		m.mutex.Lock()
		if m.lists[path] == l {
			delete(m.lists, path)
		}
		m.mutex.Unlock()
	}
	if l.err == nil {
		l.named = make(map[string]*seen, len(l.entries))
		for i := range l.entries {
			l.named[l.entries[i].Name] = &l.entries[i]
		}
	}
	return l, l.err
}

// listed is what a folder was seen to hold, nil where that was not asked.
func (m *memory) listed(path string) *listing {
	m.mutex.Lock()
	l := m.lists[path]
	fresh := m.changing > 0
	m.mutex.Unlock()
	if l == nil || fresh {
		return nil
	}
	<-l.ready
	return l
}

// Came are the names in a folder that were not there when it was listed before something was begun.
func (s *Server) Came(at string) (names []string, err error) {
	path := s.path(at)
	s.known.mutex.Lock()
	before := s.known.before[path]
	s.known.mutex.Unlock()
	if before == nil {
		return nil, nil
	}
	if <-before.ready; before.err != nil {
		return nil, nil
	}
	now, err := s.list(path)
	if err != nil {
		return nil, fail("list", path, err)
	}
	for i := range now.entries {
		if name := now.entries[i].Name; before.named[name] == nil {
			names = append(names, name)
		}
	}
	return names, nil
}

// look says what lies at a path.
func (s *Server) look(path string) (tree.Entry, error) {
	if s.known.fresh() {
		e, err := s.lookNow(path)
		if err != nil {
			return tree.Entry{}, err
		}
		return e.Entry, nil
	}
	if l := s.known.listed(path); l != nil && l.err == nil {
		return s.entry(path, l.self), nil
	}
	if path != "" {
		var lost *Unreachable
		switch l, err := s.list(above(path)); {
		case err == nil && l.named[last(path)] != nil:
			return s.entry(path, l.named[last(path)]), nil
		case err == nil:
			return tree.Entry{}, refused(http.StatusNotFound)
		case errors.As(err, &lost), errors.Is(err, ErrAccess):
			return tree.Entry{}, err
		}
	}
	// What lies above a drive is not to be seen.
	l, err := s.list(path)
	if err == nil {
		return s.entry(path, l.self), nil
	}
	if !errors.Is(err, errKind) {
		return tree.Entry{}, err
	}
	e, err := s.lookNow(path)
	if err != nil {
		return tree.Entry{}, err
	}
	return e.Entry, nil
}

// lookNow asks what lies at a path.
func (s *Server) lookNow(path string) (*seen, error) {
	f, err := s.properties(path, "0", stateWanted)
	if err != nil {
		s.known.tagged(path, nil)
		return nil, err
	}
	if f.self == nil {
		return nil, errListing("it speaks of something else")
	}
	s.known.tagged(path, f.self)
	f.self.Entry = s.entry(path, f.self)
	return f.self, nil
}

// entry is what is told of something that was seen.
func (s *Server) entry(path string, e *seen) tree.Entry {
	out := e.Entry
	out.Name, out.Dev, out.Mode = last(path), s.dev, 0o644
	if out.Kind == tree.Folder {
		out.Mode = 0o755
	}
	return out
}
