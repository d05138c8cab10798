package tree

import (
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Reading a folder finds what the standard library's walk finds: names of all kinds,
// links that are not followed, and folders with more entries than one call gives.
func TestReadingFindsWhatAWalkFinds(t *testing.T) {
	dir := t.TempDir()
	names := []string{"a", "Åsgerd Ölvane", "日本語", "-", "x y ", ".hidden", "new\nline", "tab\t", "con", strings.Repeat("long", 60)}
	folders := []string{dir}
	for i := range 400 {
		at := filepath.Join(folders[rand.IntN(len(folders))], names[rand.IntN(len(names))]+strconv.Itoa(i))
		if len(at) > 3000 {
			continue
		}
		switch rand.IntN(4) {
		case 0:
			require.NoError(t, os.Mkdir(at, 0o777))
			folders = append(folders, at)
		case 1:
			require.NoError(t, os.Symlink(".", at))
		default:
			require.NoError(t, os.WriteFile(at, nil, 0o666))
		}
	}
	many := filepath.Join(dir, "many")
	require.NoError(t, os.Mkdir(many, 0o777))
	for i := range 1500 {
		require.NoError(t, os.WriteFile(filepath.Join(many, "entry with a name of some length "+strconv.Itoa(i)), nil, 0o666))
	}
	var want []string
	require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if rel, _ := filepath.Rel(dir, p); rel != "." {
			rel = filepath.ToSlash(rel)
			if d.IsDir() {
				rel += "/"
			}
			if d.Type()&fs.ModeSymlink != 0 {
				rel += " →"
			}
			want = append(want, rel)
		}
		return err
	}))
	var counted atomic.Int64
	root, unread, err := Read(dir, nil, func(n int) { counted.Add(int64(n)) })
	require.NoError(t, err)
	assert.Empty(t, unread)
	assert.Equal(t, int64(len(want)), counted.Load())
	var got []string
	for p, n := range root.All() {
		switch {
		case n.Kind == Folder:
			p += "/"
			assert.True(t, slices.IsSortedFunc(n.Children, func(a, b *Node) int { return strings.Compare(a.Name, b.Name) }))
		case n.Marks&Link != 0:
			p += " →"
		}
		got = append(got, p)
	}
	assert.ElementsMatch(t, want, got)
}

func TestWhatCannotBeReadIsToldAndTheRestIsRead(t *testing.T) {
	if os.Getuid() == 0 {
		t.Skip("the superuser may read everything")
	}
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "shut", "x"), 0o777))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "open", "y"), 0o777))
	require.NoError(t, os.Chmod(filepath.Join(dir, "shut"), 0))
	defer os.Chmod(filepath.Join(dir, "shut"), 0o777)
	root, unread, err := Read(dir, nil, nil)
	require.NoError(t, err)
	require.Len(t, unread, 1)
	assert.Equal(t, "shut", unread[0].Path)
	assert.ErrorIs(t, unread[0].Err, fs.ErrPermission)
	assert.NotNil(t, root.Child("open").Child("y"))
}
