//go:build unix

package folder

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"vestibula/core/tree"
)

// desk is a folder with one thing of each kind in it, and a secret outside.
func desk(t *testing.T) (h Folder, dir string) {
	top := t.TempDir()
	dir = filepath.Join(top, "desk")
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "folder/deep"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "file"), []byte("file"), 0o640))
	require.NoError(t, os.WriteFile(filepath.Join(top, "secret"), []byte("secret"), 0o666))
	require.NoError(t, os.Mkdir(filepath.Join(top, "vault"), 0o777))
	require.NoError(t, os.Symlink("../secret", filepath.Join(dir, "link")))
	require.NoError(t, os.Symlink("../vault", filepath.Join(dir, "way out")))
	require.NoError(t, syscall.Mkfifo(filepath.Join(dir, "pipe"), 0o666))
	h, err := Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { h.Close() })
	return h, dir
}

func TestEntriesAreNamedByWhatTheyAre(t *testing.T) {
	h, _ := desk(t)
	list, err := h.List()
	require.NoError(t, err)
	kinds := map[string]tree.Kind{}
	for _, e := range list {
		kinds[e.Name] = e.Kind
		looked, err := h.Look(e.Name)
		require.NoError(t, err)
		assert.Equal(t, e.Kind, looked.Kind)
		assert.NotZero(t, looked.Ino)
	}
	assert.Equal(t, map[string]tree.Kind{"folder": tree.Folder, "file": tree.File, "link": tree.Symlink, "way out": tree.Symlink, "pipe": tree.Other}, kinds)
	e, err := h.Look("file")
	require.NoError(t, err)
	assert.Equal(t, []any{int64(4), fs.FileMode(0o640)}, []any{e.Size, e.Mode})
}

// Nothing that is done in a folder follows a link, waits for a pipe, or leads out.
func TestNothingLeadsOut(t *testing.T) {
	h, dir := desk(t)
	for _, name := range []string{"", ".", "..", "../secret", "folder/deep", "/etc", "a\x00b"} {
		_, err := h.Folder(name)
		assert.Error(t, err, name)
		_, err = h.Open(name)
		assert.Error(t, err, name)
		_, err = h.Create(name, 0o666)
		assert.Error(t, err, name)
		assert.Error(t, h.Mkdir(name, 0o777), name)
		assert.Error(t, h.Remove(name, false), name)
		assert.Error(t, h.Move("file", h, name), name)
		assert.Error(t, h.Move(name, h, "other"), name)
		if name != "." { // the folder's own
			assert.Error(t, h.SetTime(name, 1), name)
		}
		assert.Error(t, h.Symlink("x", name), name)
	}
	for _, name := range []string{"link", "way out", "pipe", "folder"} {
		_, err := h.Open(name)
		assert.Error(t, err, name)
		_, err = h.Append(name)
		assert.Error(t, err, name)
	}
	_, err := h.Folder("way out")
	assert.Error(t, err)
	_, err = Below(h, "way out/x")
	assert.Error(t, err)
	_, err = h.Create("link", 0o666)
	assert.ErrorIs(t, err, fs.ErrExist, "a link is a name that is taken")
	require.NoError(t, h.SetTime("link", 12))
	info, err := os.Stat(filepath.Join(dir, "../secret"))
	require.NoError(t, err)
	assert.NotEqual(t, int64(12), info.ModTime().UnixNano(), "the time of the link, not of what is behind it")
	deep, err := Below(h, "folder/deep")
	require.NoError(t, err)
	require.NoError(t, deep.Close())
}

func TestNoNameIsGivenTwice(t *testing.T) {
	for _, move := range []func(h Folder, name string, to Folder, as string) error{
		func(h Folder, name string, to Folder, as string) error { return h.Move(name, to, as) },
		func(h Folder, name string, to Folder, as string) error {
			return h.(*system).moveOld(name, to.(*system), as)
		},
	} {
		h, dir := desk(t)
		for _, taken := range []string{"folder", "link", "pipe", "file"} {
			require.NoError(t, os.WriteFile(filepath.Join(dir, "new"), []byte("new"), 0o666))
			require.NoError(t, os.MkdirAll(filepath.Join(dir, "empty"), 0o777))
			assert.ErrorIs(t, move(h, "new", h, taken), fs.ErrExist, taken)
			assert.ErrorIs(t, move(h, "empty", h, taken), fs.ErrExist, taken)
		}
		sub, err := h.Folder("folder")
		require.NoError(t, err)
		defer sub.Close()
		for _, name := range []string{"new", "link", "empty"} {
			assert.NoError(t, move(h, name, sub, name+" moved"))
			_, err := h.Look(name)
			assert.ErrorIs(t, err, fs.ErrNotExist)
			_, err = sub.Look(name + " moved")
			assert.NoError(t, err)
		}
		assert.ErrorIs(t, move(h, "none", sub, "x"), fs.ErrNotExist)
		target, err := sub.Readlink("link moved")
		require.NoError(t, err)
		assert.Equal(t, "../secret", target, "a link is moved as it is")
	}
}

func TestTwoFilesChangePlaces(t *testing.T) {
	h, dir := desk(t)
	require.NoError(t, Write(h, "second", 0o600, func(f File) error { _, err := f.Write([]byte("second")); return err }))
	if err := h.Swap("file", h, "second"); errors.Is(err, ErrNoSwap) {
		t.Skip("this disk cannot exchange two files")
	}
	for name, want := range map[string]string{"file": "second", "second": "file"} {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.Equal(t, want, string(data))
	}
	assert.Error(t, h.Swap("file", h, "none"))
}

func TestFilesAreReadWithinABudget(t *testing.T) {
	h, _ := desk(t)
	data, err := Read(h, "file", 4)
	require.NoError(t, err)
	assert.Equal(t, "file", string(data))
	_, err = Read(h, "file", 3)
	var large *TooLargeError
	assert.ErrorAs(t, err, &large)
	sum, err := Sum(h, "file")
	require.NoError(t, err)
	assert.Equal(t, "3b9c358f36f0a31b6ad3e14f309c7cf198ac9246e8316f9ce543d5b19ac02b80", sum, "as sha256sum says")
	assert.Error(t, Write(h, "file", 0o666, func(File) error { return nil }), "it is there")
	broken := errors.New("broken")
	assert.ErrorIs(t, Write(h, "half", 0o666, func(f File) error { _, _ = io.WriteString(f, "half"); return broken }), broken)
}

func TestAttributesAreKept(t *testing.T) {
	h, _ := desk(t)
	f, err := h.Append("file")
	require.NoError(t, err)
	defer f.Close()
	if f.SetAttribute("user.colour", []byte("red")) != nil {
		t.Skip("this disk has no attributes")
	}
	assert.Equal(t, []byte("red"), f.Attributes()["user.colour"])
}

func TestReasonsAreInPlainWords(t *testing.T) {
	_, missing := os.Open(filepath.Join(t.TempDir(), "none"))
	for err, want := range map[error]string{
		missing:                     "it is not there",
		os.ErrPermission:            "you do not have the right",
		errors.New("something odd"): "something odd",
		&os.PathError{Op: "mkdir", Path: "/secret", Err: errors.New("odd")}: "odd",
		&os.LinkError{Op: "rename", Old: "/secret", Err: syscall.ENOSPC}:    "the disk is full",
		&TooLargeError{Most: 3 << 20}:                                       "it is larger than 3 MB",
	} {
		assert.Equal(t, want, Reason(err))
	}
}

// What is only online is not fetched by being looked at.
func TestWhatIsOnlyOnlineIsNotOpened(t *testing.T) {
	h, err := Open(t.TempDir())
	require.NoError(t, err)
	defer h.Close()
	require.NoError(t, Write(h, "file", 0o600, func(f File) error { return nil }))
	was := onlineOnly
	defer func() { onlineOnly = was }()
	onlineOnly = func(st *unix.Stat_t) bool { return st.Mode&unix.S_IFREG != 0 }
	_, err = h.Open("file")
	assert.ErrorIs(t, err, ErrOnline)
	_, err = Sum(h, "file")
	assert.Error(t, err)
}
