package disk

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/tree"
)

// A bad disk takes what is written, and keeps something else; and while a file is read,
// somebody may go on writing into it.
type bad struct {
	inner
	lies  bool   // what copies are written as is not what they hold
	grows string // the file that somebody writes into while it is read
}

func (h bad) Behind() folder.Folder { return h.inner }

func (h bad) Folder(name string) (folder.Folder, error) {
	below, err := h.inner.Folder(name)
	return bad{below, h.lies, h.grows}, err
}

func (h bad) Move(name string, to folder.Folder, as string) error {
	return h.inner.Move(name, to, as)
}

func (h bad) Create(name string, perm fs.FileMode) (folder.File, error) {
	f, err := h.inner.Create(name, perm)
	if err == nil && h.lies && strings.HasPrefix(name, partName) {
		return lying{f}, nil
	}
	return f, err
}

func (h bad) Open(name string) (folder.File, error) {
	f, err := h.inner.Open(name)
	if err == nil && h.grows != "" && name == filepath.Base(h.grows) {
		return growing{f, h.grows, &sync.Once{}}, nil
	}
	return f, err
}

type lying struct{ folder.File }

func (f lying) Write(b []byte) (int, error) {
	wrong := append([]byte{}, b...)
	wrong[0] ^= 1
	return f.File.Write(wrong)
}

type growing struct {
	folder.File
	at   string
	once *sync.Once
}

func (f growing) Read(b []byte) (int, error) {
	f.once.Do(func() {
		more, err := os.OpenFile(f.at, os.O_WRONLY|os.O_APPEND, 0)
		if err == nil {
			_, _ = more.WriteString("and more")
			more.Close()
		}
	})
	return f.File.Read(b)
}

// A copy counts as one only when it reads as it was written, and its source was the same
// all the time: else all stays as it was.
func TestACopyIsReadBackAndItsSourceStays(t *testing.T) {
	content := func(w *world) change.Change {
		return change.Change{Op: change.Copy, Path: "b.txt", Content: tree.Bytes("text")}
	}
	copied := func(w *world) change.Change {
		return change.Change{Op: change.Copy, FromIn: 1, From: "a.txt", Path: "b.txt"}
	}
	for name, tt := range map[string]struct {
		disk  bad
		what  func(w *world) change.Change
		error string
	}{
		"a good disk":                            {what: copied},
		"a good disk, and a content":             {what: content},
		"a copy on a bad disk":                   {bad{lies: true}, copied, errUnlike.Error()},
		"a content on a bad disk":                {bad{lies: true}, content, errUnlike.Error()},
		"a source that somebody goes on writing": {bad{grows: "a.txt"}, copied, ErrChanged.Error()},
	} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t, 1, 0)
			require.NoError(t, os.WriteFile(string(w.places[1].Join("a.txt")), []byte("text"), 0o666))
			if tt.disk.grows != "" {
				tt.disk.grows = string(w.places[1].Join(tt.disk.grows))
			}
			set(w, tt.what(w), change.Change{Op: change.Make, Path: "c", Node: &tree.Node{}})
			p, err := Prepare(w.set)
			require.NoError(t, err)
			require.Empty(t, p.Blocked)
			p.Drop()
			folder.Between = func(open func() (folder.Folder, error)) (folder.Folder, error) {
				h, err := open()
				return bad{h, tt.disk.lies, tt.disk.grows}, err
			}
			t.Cleanup(func() { folder.Between = nil })
			_, err = w.writer().Apply(p, journal.Head{What: "test", Roots: []journal.Root{{Path: "."}}})
			folder.Between = nil
			if tt.error == "" {
				require.NoError(t, err)
				assert.Equal(t, "text", w.now()["0:b.txt"])
				return
			}
			require.ErrorContains(t, err, tt.error)
			now := w.now()
			assert.NotContains(t, now, "0:b.txt")
			assert.NotContains(t, now, "0:c")
			assert.Contains(t, now["1:a.txt"], "text")
		})
	}
}

// A run that cannot open its own hidden folder, or the folder of a source, ends there, and
// changes nothing.
func TestFoldersThatCannotBeOpenedEndARun(t *testing.T) {
	for name, refused := range map[string]string{"its own": "work", "of a source": "from"} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t, 1, 0)
			require.NoError(t, os.MkdirAll(string(w.places[1].Join("from")), 0o777))
			require.NoError(t, os.WriteFile(string(w.places[1].Join("from/a.txt")), []byte("text"), 0o666))
			sum := digest.Bytes([]byte("text"))
			set(w, change.Change{Op: change.Copy, FromIn: 1, From: "from/a.txt", Path: "b.txt", Shared: sum, Sum: sum})
			p, err := Prepare(w.set)
			require.NoError(t, err)
			require.Empty(t, p.Blocked)
			p.Drop()
			armed := &atomic.Bool{}
			folder.Between = func(open func() (folder.Folder, error)) (folder.Folder, error) {
				h, err := open()
				return closed{h, p.Work, refused, armed}, err
			}
			t.Cleanup(func() { folder.Between = nil })
			before := w.now()
			armed.Store(true)
			_, err = w.writer().Apply(p, journal.Head{What: "test", Roots: []journal.Root{{Path: "."}}})
			armed.Store(false)
			folder.Between = nil
			require.Error(t, err)
			assert.Equal(t, before, withoutKept(w.now()))
		})
	}
}

// A closed folder cannot be entered by a run.
type closed struct {
	inner
	work, refused string
	armed         *atomic.Bool
}

func (h closed) Behind() folder.Folder { return h.inner }

func (h closed) Folder(name string) (folder.Folder, error) {
	if h.armed.Load() && (h.refused == "work" && name == h.work || h.refused == name) {
		return nil, fs.ErrPermission
	}
	below, err := h.inner.Folder(name)
	return closed{below, h.work, h.refused, h.armed}, err
}
