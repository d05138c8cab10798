package disk

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

type inner = folder.Folder

// mounted is a folder of a place in which "disk" is another disk.
type mounted struct {
	inner
	root, other bool
}

func (h mounted) Behind() folder.Folder { return h.inner }

func (h mounted) Folder(name string) (folder.Folder, error) {
	below, err := h.inner.Folder(name)
	return mounted{below, false, h.other || h.root && name == "disk"}, err
}

func (h mounted) Look(name string) (tree.Entry, error) {
	e, err := h.inner.Look(name)
	if h.other || h.root && name == "disk" {
		e.Dev ^= 1 << 40
	}
	return e, err
}

func away(h folder.Folder) bool { m, ok := h.(mounted); return ok && m.other }

func (h mounted) Move(name string, to folder.Folder, as string) error {
	if away(to) != h.other {
		return folder.ErrAcross
	}
	return h.inner.Move(name, to, as)
}

func (h mounted) Swap(name string, with folder.Folder, other string) error {
	if away(with) != h.other {
		return folder.ErrAcross
	}
	return h.inner.Swap(name, with, other)
}

// A folder somewhere in a place may be another disk: what goes there and what comes
// from there is whole, and can be taken back, and that as well.
func TestADiskInsideAPlace(t *testing.T) {
	folder.Between = func(open func() (folder.Folder, error)) (folder.Folder, error) {
		h, err := open()
		return mounted{h, true, false}, err
	}
	t.Cleanup(func() { folder.Between = nil })
	top := t.TempDir()
	w := &world{t: t, places: []address.Address{address.Address(filepath.Join(top, "place"))}, state: filepath.Join(top, "state")}
	for at, text := range map[string]string{"a.txt": "a", "c.txt": "c", "in/x/y.txt": "y", "disk/b.txt": "b", "disk/d.txt": "d", "disk/out/z.txt": "z", "disk/here.txt": "here"} {
		full := w.places[0].Join(at)
		require.NoError(t, os.MkdirAll(string(full.Parent()), 0o777))
		require.NoError(t, os.WriteFile(string(full), []byte(text), 0o640))
		require.NoError(t, os.Chtimes(string(full), time.Time{}, time.Unix(1_700_000_000, 5)))
	}
	move := func(op change.Op, from, to string, kind tree.Kind) change.Change {
		return change.Change{Op: op, From: from, Path: to, Was: change.State{Entry: tree.Entry{Kind: kind}}}
	}
	w.set = &change.Set{Places: w.places, Changes: []change.Change{
		move(change.Move, "a.txt", "disk/a.txt", tree.File),
		move(change.Move, "disk/b.txt", "b.txt", tree.File),
		move(change.Copy, "c.txt", "disk/c.txt", tree.File),
		move(change.Move, "in/x", "disk/x", tree.Folder),
		move(change.Move, "disk/out", "in/out", tree.Folder),
		move(change.Move, "disk/here.txt", "disk/there.txt", tree.File),
		{Op: change.Remove, Path: "disk/d.txt", Was: change.State{Entry: tree.Entry{Kind: tree.File}}},
		{Op: change.Make, Path: "disk/new", Node: &tree.Node{Name: "new", Children: []*tree.Node{{Name: "n.txt", Kind: tree.File, Content: tree.Bytes("n")}}}},
	}}
	before := w.now()
	_, err := w.apply()
	require.NoError(t, err)
	after := withoutKept(w.now())
	for _, at := range []string{"a.txt", "c.txt", "x/y.txt", "there.txt", "new/n.txt"} {
		data, err := os.ReadFile(string(w.places[0].Join("disk", at)))
		require.NoError(t, err)
		assert.Contains(t, "acyheren", string(data))
	}
	assert.NoFileExists(t, string(w.places[0].Join("disk/d.txt")))
	stays, err := w.undo("test")
	require.NoError(t, err)
	require.Empty(t, stays)
	assert.Equal(t, before, withoutKept(w.now()))
	stays, err = w.undo("undo")
	require.NoError(t, err)
	require.Empty(t, stays)
	assert.Equal(t, keys(after), keys(withoutKept(w.now())))
}
