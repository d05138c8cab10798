package disk

import (
	"errors"
	"io/fs"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"vestibula/core/folder"
	"vestibula/core/folder/foldertest"
	"vestibula/core/tree"
)

// A fault stands between the program and all file systems: from its k-th
// operation on, or only then, an operation fails; or somebody else is quicker.
type fault struct {
	mutex    sync.Mutex
	at, done int
	err      error
	once     bool
	rival    func() // is called before the k-th operation
	poor     bool   // the store lacks all that one may lack
}

// now counts an operation and returns its error.
func (f *fault) now() error {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if f.done++; f.done == f.at && f.rival != nil {
		f.rival()
	}
	if f.err != nil && (f.done == f.at || f.done > f.at && !f.once) {
		return f.err
	}
	return nil
}

// or does something, unless it is to fail.
func (f *fault) or(do func() error) error {
	if err := f.now(); err != nil {
		return err
	}
	return do()
}

// inject puts the fault in front of all file systems that are opened.
func (f *fault) inject(t *testing.T) {
	folder.Between = func(open func() (folder.Folder, error)) (folder.Folder, error) {
		if err := f.now(); err != nil {
			return nil, err
		}
		h, err := open()
		if err != nil {
			return nil, err
		}
		if h = (faulty{h, f}); f.poor {
			h = foldertest.Poor(h)
		}
		return h, nil
	}
	t.Cleanup(func() { folder.Between = nil })
}

// reset has nothing fail.
func (f *fault) reset() { f.at, f.done, f.err, f.rival = 0, 0, nil, nil }

type inner = folder.Folder

type faulty struct {
	inner
	fault *fault
}

func (h faulty) Behind() folder.Folder { return h.inner }

func (h faulty) Folder(name string) (folder.Folder, error) {
	if err := h.fault.now(); err != nil {
		return nil, err
	}
	below, err := h.inner.Folder(name)
	if err != nil {
		return nil, err
	}
	return faulty{below, h.fault}, nil
}

func (h faulty) List() (list []tree.Entry, err error) {
	err = h.fault.or(func() error { list, err = h.inner.List(); return err })
	return list, err
}

func (h faulty) Look(name string) (e tree.Entry, err error) {
	err = h.fault.or(func() error { e, err = h.inner.Look(name); return err })
	return e, err
}

func (h faulty) file(open func() (folder.File, error)) (folder.File, error) {
	if err := h.fault.now(); err != nil {
		return nil, err
	}
	f, err := open()
	if err != nil {
		return nil, err
	}
	return faultyFile{f, h.fault}, nil
}

func (h faulty) Open(name string) (folder.File, error) {
	return h.file(func() (folder.File, error) { return h.inner.Open(name) })
}

func (h faulty) Create(name string, perm fs.FileMode) (folder.File, error) {
	return h.file(func() (folder.File, error) { return h.inner.Create(name, perm) })
}

func (h faulty) Append(name string) (folder.File, error) {
	return h.file(func() (folder.File, error) { return h.inner.Append(name) })
}

func (h faulty) Mkdir(name string, perm fs.FileMode) error {
	return h.fault.or(func() error { return h.inner.Mkdir(name, perm) })
}

func (h faulty) Remove(name string, dir bool) error {
	return h.fault.or(func() error { return h.inner.Remove(name, dir) })
}

func (h faulty) Move(name string, to folder.Folder, as string) error {
	return h.fault.or(func() error { return h.inner.Move(name, to, as) })
}

func (h faulty) Swap(name string, with folder.Folder, other string) error {
	return h.fault.or(func() error { return h.inner.Swap(name, with, other) })
}

func (h faulty) SetTime(name string, ns int64) error {
	return h.fault.or(func() error { return h.inner.SetTime(name, ns) })
}

// SyncDisk does not wait either.
func (h faulty) SyncDisk() error { return h.fault.now() }

// What stands in front of a disk in these tests is like one as long as nothing fails.
func TestWithoutAFaultTheContractIsKept(t *testing.T) {
	f := &fault{}
	f.inject(t)
	foldertest.Run(t, func(t *testing.T) folder.Folder {
		h, err := folder.Open(t.TempDir())
		require.NoError(t, err)
		return h
	})
}

type faultyFile struct {
	folder.File
	fault *fault
}

func (f faultyFile) Write(b []byte) (n int, err error) {
	if err := f.fault.now(); err != nil {
		n, _ = f.File.Write(b[:len(b)/2]) // as far as there was room
		return n, err
	}
	return f.File.Write(b)
}

func (f faultyFile) Read(b []byte) (int, error) {
	if err := f.fault.now(); err != nil {
		return 0, err
	}
	return f.File.Read(b)
}

// Sync does not wait for a real disk: what is synced is not what is tested here.
func (f faultyFile) Sync() error { return f.fault.now() }

func (f faultyFile) Chmod(mode fs.FileMode) error {
	return f.fault.or(func() error { return f.File.Chmod(mode) })
}

func (f faultyFile) Close() error {
	err := f.File.Close()
	return errors.Join(f.fault.now(), err)
}
