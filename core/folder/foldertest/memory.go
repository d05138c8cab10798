package foldertest

import (
	"bytes"
	"errors"
	"io"
	"io/fs"
	"strconv"
	"strings"
	"sync"

	"vestibula/core/folder"
	"vestibula/core/tree"
)

// Memory returns a folder that lies in memory, knows no links, has a tag for each file, and lacks
// all that a store may lack: a move takes the place of what is there, what is removed goes with
// all that lies in it, and two names are never exchanged.
func Memory() folder.Folder {
	m := &memory{store: &store{}}
	m.thing = m.store.fresh(tree.Folder, 0o755)
	return m
}

// A store is one file system in memory.
type store struct {
	mutex sync.Mutex
	last  uint64 // identity that was given, and time
}

// A thing is a folder or a file in it.
type thing struct {
	tree.Entry
	data  []byte
	names map[string]*thing // of a folder
}

// A memory is an open folder.
type memory struct {
	*store
	*thing
}

func (s *store) fresh(kind tree.Kind, mode fs.FileMode) *thing {
	s.last++
	n := &thing{Entry: tree.Entry{Kind: kind, Mode: mode, Dev: 1, Ino: s.last}}
	if kind == tree.Folder {
		n.names = map[string]*thing{}
	}
	s.touched(n)
	return n
}

// touched gives what was changed a new time and, of a file, a new tag.
func (s *store) touched(n *thing) {
	s.last++
	n.Time, n.Size = int64(s.last), int64(len(n.data))
	if n.Kind == tree.File {
		n.Tag = strconv.FormatUint(s.last, 16)
	}
}

func fail(op, name string, err error) error { return &fs.PathError{Op: op, Path: name, Err: err} }

var errKind = errors.New("it is of another kind")

// at returns what bears a name, and whether the name can be one.
func (m *memory) at(op, name string) (*thing, error) {
	if name == "" || name == "." || name == ".." || strings.ContainsAny(name, "/\x00") {
		return nil, fail(op, name, fs.ErrInvalid)
	}
	if n := m.names[name]; n != nil {
		return n, nil
	}
	return nil, fail(op, name, fs.ErrNotExist)
}

// make gives something new a name.
func (m *memory) make(op, name string, kind tree.Kind, mode fs.FileMode) (*thing, error) {
	switch _, err := m.at(op, name); {
	case err == nil:
		return nil, fail(op, name, fs.ErrExist)
	case !errors.Is(err, fs.ErrNotExist):
		return nil, err
	}
	n := m.fresh(kind, mode)
	m.names[name] = n
	m.touched(m.thing)
	return n, nil
}

func (m *memory) Lacks() folder.Lack {
	return folder.Exclusive | folder.EmptyOnly | folder.Swapping
}

func (m *memory) Folder(name string) (folder.Folder, error) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	n, err := m.at("open", name)
	if err == nil && n.Kind != tree.Folder {
		err = fail("open", name, errKind)
	}
	return &memory{m.store, n}, err
}

func (m *memory) List() (list []tree.Entry, err error) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	for name, n := range m.names {
		list = append(list, tree.Entry{Name: name, Kind: n.Kind})
	}
	return list, nil
}

func (m *memory) Look(name string) (tree.Entry, error) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if name == "." {
		return m.Entry, nil
	}
	n, err := m.at("look", name)
	if err != nil {
		return tree.Entry{}, err
	}
	e := n.Entry
	e.Name = name
	return e, nil
}

// file opens a file.
func (m *memory) file(op, name string, writes bool) (folder.File, error) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	n, err := m.at(op, name)
	if err == nil && n.Kind != tree.File {
		err = fail(op, name, errKind)
	}
	if err != nil {
		return nil, err
	}
	return &memoryFile{Reader: bytes.NewReader(n.data), in: m, name: name, thing: n, writes: writes}, nil
}

func (m *memory) Open(name string) (folder.File, error)   { return m.file("open", name, false) }
func (m *memory) Append(name string) (folder.File, error) { return m.file("append", name, true) }

func (m *memory) Create(name string, perm fs.FileMode) (folder.File, error) {
	m.mutex.Lock()
	_, err := m.make("create", name, tree.File, perm)
	m.mutex.Unlock()
	if err != nil {
		return nil, err
	}
	return m.file("create", name, true)
}

func (m *memory) Mkdir(name string, perm fs.FileMode) error {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	_, err := m.make("mkdir", name, tree.Folder, perm)
	return err
}

func (m *memory) Remove(name string, dir bool) error {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	n, err := m.at("remove", name)
	if err == nil && (n.Kind == tree.Folder) != dir {
		err = fail("remove", name, errKind)
	}
	if err == nil {
		delete(m.names, name)
		m.touched(m.thing)
	}
	return err
}

func (m *memory) Move(name string, to folder.Folder, as string) error {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	target, ok := folder.Behind(to).(*memory)
	if !ok || target.store != m.store {
		return folder.ErrAcross
	}
	n, err := m.at("move", name)
	if err != nil {
		return err
	}
	if _, err := target.at("move", as); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	delete(m.names, name)
	target.names[as] = n
	m.touched(m.thing)
	m.touched(target.thing)
	return nil
}

func (m *memory) SetTime(name string, nanoseconds int64) error {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	n, err := m.thing, error(nil)
	if name != "." {
		n, err = m.at("settime", name)
	}
	if err == nil {
		n.Time = nanoseconds
	}
	return err
}

func (m *memory) Swap(string, folder.Folder, string) error { return folder.ErrNoSwap }
func (m *memory) Readlink(name string) (string, error)     { return "", fail("readlink", name, errKind) }
func (m *memory) Writable() error                          { return nil }
func (m *memory) Sync() error                              { return nil }
func (m *memory) SyncDisk() error                          { return nil }
func (m *memory) Close() error                             { return nil }

func (m *memory) Symlink(_, name string) error {
	if _, err := m.at("symlink", name); err == nil {
		return fail("symlink", name, fs.ErrExist)
	}
	return errors.ErrUnsupported
}

// A memoryFile is an open file of a store in memory.
type memoryFile struct {
	*bytes.Reader
	in     *memory
	name   string
	thing  *thing
	writes bool
}

func (f *memoryFile) Write(p []byte) (int, error) {
	if !f.writes {
		return 0, fail("write", f.name, fs.ErrPermission)
	}
	f.in.mutex.Lock()
	defer f.in.mutex.Unlock()
	f.thing.data = append(f.thing.data, p...)
	f.in.touched(f.thing)
	return len(p), nil
}

func (f *memoryFile) Look() (tree.Entry, error) {
	f.in.mutex.Lock()
	defer f.in.mutex.Unlock()
	e := f.thing.Entry
	e.Name = f.name
	return e, nil
}

func (f *memoryFile) Chmod(mode fs.FileMode) error {
	f.in.mutex.Lock()
	defer f.in.mutex.Unlock()
	f.thing.Mode = mode
	return nil
}

func (f *memoryFile) Attributes() map[string][]byte     { return nil }
func (f *memoryFile) SetAttribute(string, []byte) error { return nil }
func (f *memoryFile) Sync() error                       { return nil }
func (f *memoryFile) Close() error                      { return nil }

var _ io.Seeker = (*memoryFile)(nil)

// Poor returns a folder that lacks all that a store may lack, in front of one that does not: see
// [Memory].
func Poor(h folder.Folder) folder.Folder { return poor{h} }

type inner = folder.Folder

type poor struct{ inner }

func (p poor) Behind() folder.Folder { return p.inner }

func (p poor) Lacks() folder.Lack { return folder.Exclusive | folder.EmptyOnly | folder.Swapping }

func (p poor) Swap(string, folder.Folder, string) error { return folder.ErrNoSwap }

func (p poor) Folder(name string) (folder.Folder, error) {
	h, err := p.inner.Folder(name)
	if err != nil {
		return nil, err
	}
	return poor{h}, nil
}

// Move takes the place of what bears the name.
func (p poor) Move(name string, to folder.Folder, as string) error {
	err := p.inner.Move(name, to, as)
	if errors.Is(err, fs.ErrExist) {
		e, wrong := to.Look(as)
		if wrong == nil {
			wrong = to.Remove(as, e.Kind == tree.Folder)
		}
		if wrong != nil {
			return wrong
		}
		err = p.inner.Move(name, to, as)
	}
	return err
}

// Remove takes a folder with all that lies in it.
func (p poor) Remove(name string, dir bool) error {
	if in, err := p.Folder(name); dir && err == nil {
		list, _ := in.List()
		for _, e := range list {
			if err := in.Remove(e.Name, e.Kind == tree.Folder); err != nil {
				return err
			}
		}
		in.Close()
	}
	return p.inner.Remove(name, dir)
}
