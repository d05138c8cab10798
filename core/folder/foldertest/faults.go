package foldertest

import (
	"errors"
	"io/fs"
	"sync"

	"vestibula/core/folder"
	"vestibula/core/tree"
)

// A Fault stands between the program and all file systems: from its k-th
// operation on, or only then, an operation fails; or somebody else is quicker.
type Fault struct {
	mutex    sync.Mutex
	At, Done int // the number of the operation, from 1, and how many there were
	Err      error
	Once     bool
	Rival    func() // is called before the k-th operation
	Poor     bool   // the store lacks all that one may lack
	Writes   bool   // only operations that change something count
}

// now counts an operation and returns its error.
func (f *Fault) now() error {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if f.Done++; f.Done == f.At && f.Rival != nil {
		f.Rival()
	}
	if f.Err != nil && (f.Done == f.At || f.Done > f.At && !f.Once) {
		return f.Err
	}
	return nil
}

// or does something, unless it is to fail.
func (f *Fault) or(do func() error) error {
	if err := f.now(); err != nil {
		return err
	}
	return do()
}

// Inject puts the fault in front of all file systems that are opened, until it is taken away.
func (f *Fault) Inject() (away func()) {
	folder.Between = func(open func() (folder.Folder, error)) (folder.Folder, error) {
		if err := f.reads(); err != nil {
			return nil, err
		}
		h, err := open()
		if err != nil {
			return nil, err
		}
		if h = (faulty{h, f}); f.Poor {
			h = Poor(h)
		}
		return h, nil
	}
	return func() { folder.Between = nil }
}

// Reset ends all faults.
func (f *Fault) Reset() { f.At, f.Done, f.Err, f.Rival = 0, 0, nil, nil }

// reads counts an operation that changes nothing.
func (f *Fault) reads() error {
	if f.Writes {
		return nil
	}
	return f.now()
}

type sound = folder.Folder

type faulty struct {
	sound
	fault *Fault
}

func (h faulty) Behind() folder.Folder { return h.sound }

func (h faulty) Folder(name string) (folder.Folder, error) {
	if err := h.fault.reads(); err != nil {
		return nil, err
	}
	in, err := h.sound.Folder(name)
	if err != nil {
		return nil, err
	}
	return faulty{in, h.fault}, nil
}

func (h faulty) List() (list []tree.Entry, err error) {
	if err := h.fault.reads(); err != nil {
		return nil, err
	}
	return h.sound.List()
}

func (h faulty) Look(name string) (e tree.Entry, err error) {
	if err := h.fault.reads(); err != nil {
		return tree.Entry{}, err
	}
	return h.sound.Look(name)
}

func (h faulty) file(count func() error, open func() (folder.File, error)) (folder.File, error) {
	if err := count(); err != nil {
		return nil, err
	}
	f, err := open()
	if err != nil {
		return nil, err
	}
	return faultyFile{f, h.fault}, nil
}

func (h faulty) Open(name string) (folder.File, error) {
	return h.file(h.fault.reads, func() (folder.File, error) { return h.sound.Open(name) })
}

func (h faulty) Create(name string, perm fs.FileMode) (folder.File, error) {
	return h.file(h.fault.now, func() (folder.File, error) { return h.sound.Create(name, perm) })
}

func (h faulty) Append(name string) (folder.File, error) {
	return h.file(h.fault.now, func() (folder.File, error) { return h.sound.Append(name) })
}

func (h faulty) Mkdir(name string, perm fs.FileMode) error {
	return h.fault.or(func() error { return h.sound.Mkdir(name, perm) })
}

func (h faulty) Remove(name string, dir bool) error {
	return h.fault.or(func() error { return h.sound.Remove(name, dir) })
}

func (h faulty) Move(name string, to folder.Folder, as string) error {
	return h.fault.or(func() error { return h.sound.Move(name, to, as) })
}

func (h faulty) Swap(name string, with folder.Folder, other string) error {
	return h.fault.or(func() error { return h.sound.Swap(name, with, other) })
}

func (h faulty) SetTime(name string, ns int64) error {
	return h.fault.or(func() error { return h.sound.SetTime(name, ns) })
}

// Symlink makes a link.
func (h faulty) Symlink(target, name string) error {
	return h.fault.or(func() error { return h.sound.Symlink(target, name) })
}

// Sync does not wait for a real disk: what is synced is not what is tested here.
func (h faulty) Sync() error { return h.fault.now() }

// SyncDisk does not wait either.
func (h faulty) SyncDisk() error { return h.fault.now() }

type faultyFile struct {
	folder.File
	fault *Fault
}

func (f faultyFile) Write(b []byte) (n int, err error) {
	if err := f.fault.now(); err != nil {
		n, _ = f.File.Write(b[:len(b)/2]) // as far as there was room
		return n, err
	}
	return f.File.Write(b)
}

func (f faultyFile) Read(b []byte) (int, error) {
	if err := f.fault.reads(); err != nil {
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
	return errors.Join(f.fault.reads(), err)
}
