// Package foldertest holds an implementation of [folder.Folder] to its contract, as
// testing/fstest does for read-only ones.
package foldertest

import (
	"errors"
	"io"
	"io/fs"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/folder"
	"vestibula/core/tree"
)

// Run holds an implementation to the contract. Open opens a new, empty folder for each test.
func Run(t *testing.T, open func(t *testing.T) folder.Folder) {
	for name, test := range map[string]func(t *testing.T, h folder.Folder){
		"what is made is there":       made,
		"no name is given twice":      taken,
		"what is not there":           missing,
		"names are single":            names,
		"moves":                       moves,
		"only what is empty goes":     removes,
		"two files change places":     swaps,
		"links are not followed":      links,
		"times are kept":              times,
		"files are read and appended": files,
	} {
		t.Run(name, func(t *testing.T) {
			h := open(t)
			defer func() { assert.NoError(t, h.Close()) }()
			test(t, h)
		})
	}
}

// write makes a file that holds a text.
func write(t *testing.T, h folder.Folder, name, text string) {
	t.Helper()
	f, err := h.Create(name, 0o640)
	require.NoError(t, err)
	_, err = io.WriteString(f, text)
	require.NoError(t, err)
	require.NoError(t, f.Close())
}

// read is what a file holds.
func read(t *testing.T, h folder.Folder, name string) string {
	t.Helper()
	f, err := h.Open(name)
	require.NoError(t, err)
	defer f.Close()
	data, err := io.ReadAll(f)
	require.NoError(t, err)
	return string(data)
}

// below opens a new folder in a folder.
func below(t *testing.T, h folder.Folder, name string) folder.Folder {
	t.Helper()
	require.NoError(t, h.Mkdir(name, 0o755))
	in, err := h.Folder(name)
	require.NoError(t, err)
	t.Cleanup(func() { in.Close() })
	return in
}

// listed are the names in a folder, with their kinds.
func listed(t *testing.T, h folder.Folder) (list []string) {
	t.Helper()
	entries, err := h.List()
	require.NoError(t, err)
	for _, e := range entries {
		looked, err := h.Look(e.Name)
		require.NoError(t, err)
		assert.Equal(t, e.Kind, looked.Kind, "a list and a look say the same")
		list = append(list, e.Kind.String()+" "+e.Name)
	}
	slices.Sort(list)
	return list
}

func made(t *testing.T, h folder.Folder) {
	assert.Empty(t, listed(t, h))
	in := below(t, h, "folder")
	write(t, h, "file", "four")
	write(t, in, "file", "")
	assert.Equal(t, []string{"file file", "folder folder"}, listed(t, h))
	assert.Equal(t, []string{"file file"}, listed(t, in))
	e, err := h.Look("file")
	require.NoError(t, err)
	assert.Equal(t, []any{tree.File, int64(4), "file"}, []any{e.Kind, e.Size, e.Name})
	assert.NotZero(t, e.Time)
	again, err := h.Look("file")
	require.NoError(t, err)
	assert.Equal(t, e, again, "it is the same thing, as long as nobody touches it")
	other, err := in.Look("file")
	require.NoError(t, err)
	if e.Ino != 0 {
		assert.NotEqual(t, [2]uint64{e.Dev, e.Ino}, [2]uint64{other.Dev, other.Ino}, "two things have two identities")
	}
	own, err := h.Look(".")
	require.NoError(t, err)
	assert.Equal(t, tree.Folder, own.Kind)
	assert.NoError(t, h.Writable())
	assert.NoError(t, h.Sync())
	deep, err := folder.Below(h, "folder")
	require.NoError(t, err)
	assert.NoError(t, deep.Close())
}

func taken(t *testing.T, h folder.Folder) {
	below(t, h, "folder")
	write(t, h, "file", "mine")
	for _, name := range []string{"folder", "file"} {
		_, err := h.Create(name, 0o666)
		assert.ErrorIs(t, err, fs.ErrExist, name)
		assert.ErrorIs(t, h.Mkdir(name, 0o777), fs.ErrExist, name)
		assert.ErrorIs(t, h.Symlink("x", name), fs.ErrExist, name)
	}
	write(t, h, "new", "new")
	below(t, h, "empty")
	moves := []func(from, as string) error{func(from, as string) error { return folder.Move(h, from, h, as) }}
	if folder.Lacks(h)&folder.Exclusive == 0 {
		moves = append(moves, func(from, as string) error { return h.Move(from, h, as) })
	}
	for _, move := range moves {
		for _, name := range []string{"folder", "file"} {
			assert.ErrorIs(t, move("new", name), fs.ErrExist, name)
			assert.ErrorIs(t, move("empty", name), fs.ErrExist, name)
		}
	}
	assert.Equal(t, "mine", read(t, h, "file"))
}

func missing(t *testing.T, h folder.Folder) {
	_, err := h.Folder("none")
	assert.ErrorIs(t, err, fs.ErrNotExist)
	_, err = h.Look("none")
	assert.ErrorIs(t, err, fs.ErrNotExist)
	_, err = h.Open("none")
	assert.ErrorIs(t, err, fs.ErrNotExist)
	_, err = h.Append("none")
	assert.ErrorIs(t, err, fs.ErrNotExist)
	assert.ErrorIs(t, h.Move("none", h, "other"), fs.ErrNotExist)
	assert.ErrorIs(t, h.Remove("none", false), fs.ErrNotExist)
	assert.ErrorIs(t, h.Remove("none", true), fs.ErrNotExist)
	assert.ErrorIs(t, h.SetTime("none", 1), fs.ErrNotExist)
}

func names(t *testing.T, h folder.Folder) {
	write(t, h, "file", "")
	below(t, h, "folder")
	for _, name := range []string{"", ".", "..", "../x", "folder/x", "/x", "a\x00b"} {
		_, err := h.Folder(name)
		assert.Error(t, err, "%q", name)
		_, err = h.Open(name)
		assert.Error(t, err, "%q", name)
		_, err = h.Create(name, 0o666)
		assert.Error(t, err, "%q", name)
		assert.Error(t, h.Mkdir(name, 0o777), "%q", name)
		assert.Error(t, h.Remove(name, false), "%q", name)
		assert.Error(t, h.Move("file", h, name), "%q", name)
		assert.Error(t, h.Move(name, h, "other"), "%q", name)
		assert.Error(t, h.Symlink("x", name), "%q", name)
	}
	assert.Equal(t, []string{"file file", "folder folder"}, listed(t, h))
}

func moves(t *testing.T, h folder.Folder) {
	in := below(t, h, "folder")
	write(t, h, "file", "text")
	write(t, below(t, h, "full"), "deep", "deep")
	was, err := h.Look("file")
	require.NoError(t, err)
	require.NoError(t, h.Move("file", in, "there"))
	is, err := in.Look("there")
	require.NoError(t, err)
	assert.Equal(t, [3]uint64{was.Dev, was.Ino, uint64(was.Time)}, [3]uint64{is.Dev, is.Ino, uint64(is.Time)}, "it is the same thing")
	require.NoError(t, h.Move("full", in, "full there"))
	deep, err := folder.Below(h, "folder/full there")
	require.NoError(t, err)
	defer deep.Close()
	assert.Equal(t, "deep", read(t, deep, "deep"), "with all that lies in it")
	assert.Equal(t, []string{"folder folder"}, listed(t, h))
	assert.Equal(t, []string{"file there", "folder full there"}, listed(t, in))
}

func removes(t *testing.T, h folder.Folder) {
	write(t, below(t, h, "full"), "deep", "")
	below(t, h, "empty")
	write(t, h, "file", "")
	assert.Error(t, folder.RemoveEmpty(h, "full"), "it holds something")
	if folder.Lacks(h)&folder.EmptyOnly == 0 {
		assert.Error(t, h.Remove("full", true), "it holds something")
	}
	assert.Error(t, h.Remove("empty", false), "it is a folder")
	assert.Error(t, h.Remove("file", true), "it is none")
	assert.NoError(t, h.Remove("empty", true))
	assert.NoError(t, h.Remove("file", false))
	assert.Equal(t, []string{"folder full"}, listed(t, h))
}

func swaps(t *testing.T, h folder.Folder) {
	in := below(t, h, "folder")
	write(t, h, "one", "1")
	write(t, in, "two", "2")
	if err := h.Swap("one", in, "two"); errors.Is(err, folder.ErrNoSwap) {
		assert.Equal(t, []string{"1", "2"}, []string{read(t, h, "one"), read(t, in, "two")}, "nothing has changed")
		return
	}
	assert.Zero(t, folder.Lacks(h)&folder.Swapping, "what is lacking is not done")
	assert.Equal(t, []string{"2", "1"}, []string{read(t, h, "one"), read(t, in, "two")})
	assert.Error(t, h.Swap("one", in, "none"))
}

func links(t *testing.T, h folder.Folder) {
	write(t, h, "file", "text")
	below(t, h, "folder")
	if err := h.Symlink("file", "link"); errors.Is(err, errors.ErrUnsupported) {
		t.Skip("it knows no links")
	}
	require.NoError(t, h.Symlink("folder", "way"))
	to, err := h.Readlink("link")
	require.NoError(t, err)
	assert.Equal(t, "file", to)
	_, err = h.Open("link")
	assert.Error(t, err)
	_, err = h.Append("link")
	assert.Error(t, err)
	_, err = h.Folder("way")
	assert.Error(t, err)
	_, err = h.Readlink("file")
	assert.Error(t, err)
	require.NoError(t, h.Move("link", h, "moved"))
	to, err = h.Readlink("moved")
	require.NoError(t, err)
	assert.Equal(t, "file", to, "a link is moved as it is")
	require.NoError(t, h.Remove("moved", false))
	assert.Equal(t, "text", read(t, h, "file"))
}

func times(t *testing.T, h folder.Folder) {
	write(t, h, "file", "")
	below(t, h, "folder")
	at := time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC).UnixNano()
	for _, name := range []string{"file", "folder", "."} {
		if folder.Lacks(h)&folder.Dating != 0 {
			assert.ErrorIs(t, h.SetTime(name, at), errors.ErrUnsupported, name)
			assert.NoError(t, folder.Date(h, name, at), name)
			continue
		}
		require.NoError(t, h.SetTime(name, at), name)
		e, err := h.Look(name)
		require.NoError(t, err)
		assert.Equal(t, at, e.Time, name)
	}
}

func files(t *testing.T, h folder.Folder) {
	write(t, h, "file", "one")
	f, err := h.Append("file")
	if errors.Is(err, errors.ErrUnsupported) {
		require.NoError(t, h.Remove("file", false))
		write(t, h, "file", "one two")
	} else {
		require.NoError(t, err)
		_, err = io.WriteString(f, " two")
		require.NoError(t, err)
		require.NoError(t, f.Chmod(0o600))
		require.NoError(t, f.Sync())
		require.NoError(t, f.Close())
	}
	assert.Equal(t, "one two", read(t, h, "file"))
	if tagged, err := h.Look("file"); assert.NoError(t, err) && tagged.Tag != "" {
		require.NoError(t, h.Remove("file", false))
		write(t, h, "file", "one, two")
		other, err := h.Look("file")
		require.NoError(t, err)
		assert.NotEqual(t, tagged.Tag, other.Tag, "a tag stands for one state of a file")
		require.NoError(t, h.Remove("file", false))
		write(t, h, "file", "one two")
	}
	f, err = h.Open("file")
	require.NoError(t, err)
	defer f.Close()
	e, err := f.Look()
	require.NoError(t, err)
	looked, err := h.Look("file")
	require.NoError(t, err)
	assert.Equal(t, looked, e, "an open file is what bears the name")
	_, err = f.Seek(4, io.SeekStart)
	require.NoError(t, err)
	rest, err := io.ReadAll(f)
	require.NoError(t, err)
	assert.Equal(t, "two", string(rest))
	_, err = h.Open("none")
	assert.Error(t, err)
}
