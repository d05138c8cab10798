//go:build unix

package place

import (
	"io"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/tree"
)

func TestPlacesThatCannotBeOpened(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "f"), nil, 0o666))
	require.NoError(t, os.Symlink("/tmp", filepath.Join(dir, "l")))
	for name, want := range map[string]string{"none": "there is no folder", "f": "is a file", "l": "is a link to elsewhere", "l/": "is a link to elsewhere"} {
		_, err := Open(dir + "/" + name)
		assert.ErrorContains(t, err, want, name)
	}
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "real/deep"), 0o777))
	require.NoError(t, os.Symlink("real", filepath.Join(dir, "alias")))
	p, err := Open(filepath.Join(dir, "alias", "deep"))
	require.NoError(t, err, "a link on the way is followed, and left behind")
	defer p.Close()
	real, err := filepath.EvalSymlinks(filepath.Join(dir, "real/deep"))
	require.NoError(t, err)
	assert.EqualValues(t, real, p.Real)
}

func TestLookingFollowsNoLinkAndWritesNothing(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "a/b"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a/b/x.txt"), []byte("x"), 0o666))
	require.NoError(t, os.Symlink("/etc", filepath.Join(dir, "a/out")))
	require.NoError(t, syscall.Mkfifo(filepath.Join(dir, "a/pipe"), 0o666))
	p, err := Open(dir)
	require.NoError(t, err)
	defer p.Close()
	clone := p.Clone()
	defer clone.(io.Closer).Close()
	for _, p := range []tree.Place{p, clone} {
		for path, kind := range map[string]tree.Kind{"a": tree.Folder, "a/b/x.txt": tree.File, "a/out": tree.Symlink, "a/pipe": tree.Other, ".": tree.Folder} {
			e, err := p.Look(path)
			require.NoError(t, err, path)
			assert.Equal(t, kind, e.Kind, path)
		}
		for _, path := range []string{"a/out/passwd", "../x", "a/../a", "none", "a/b/none"} {
			_, err := p.Look(path)
			assert.Error(t, err, path)
		}
		r, err := p.Open("a/out")
		require.NoError(t, err)
		target, err := io.ReadAll(r)
		require.NoError(t, err)
		assert.Equal(t, "/etc", string(target), "what a link says, not what it leads to")
		for _, path := range []string{"a/pipe", "a/b", "a/out/passwd"} {
			_, err := p.Open(path)
			assert.Error(t, err, path)
		}
		list, err := p.List("a")
		require.NoError(t, err)
		assert.Len(t, list, 3)
		assert.NoError(t, p.Writable("a/b"))
		assert.Error(t, p.Writable("none"))
		assert.Equal(t, p.PathLength("")+3, p.PathLength("a/b"))
		assert.Greater(t, p.MaxPath(), 255)
	}
	data, err := p.ReadFile("a/b/x.txt", 1)
	require.NoError(t, err)
	assert.Equal(t, "x", string(data))
	data, err = p.ReadFile("none", 1)
	assert.True(t, data == nil && err == nil, "what is not there holds nothing")
	_, err = p.ReadFile("a/b/x.txt", 0)
	assert.Error(t, err)
}

func TestNamedFilesHaveABudget(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(at("file"), []byte("text"), 0o666))
	require.NoError(t, os.Symlink("file", at("link")))
	require.NoError(t, syscall.Mkfifo(at("pipe"), 0o666))
	huge, err := os.Create(at("huge"))
	require.NoError(t, err)
	require.NoError(t, huge.Truncate(10<<30))
	huge.Close()
	for _, name := range []string{"file", "link"} {
		data, err := ReadFile(at(name), 10)
		require.NoError(t, err, "who names a link means what is behind it")
		assert.Equal(t, "text", string(data))
	}
	for name, want := range map[string]string{"pipe": "no ordinary file", "huge": "larger than 1 MB", "none": "no such file", ".": "it is a folder"} {
		_, err := ReadFile(at(name), 1<<20)
		assert.ErrorContains(t, err, want, name)
	}
	_, err = ReadFile("/dev/zero", 1<<20)
	assert.ErrorContains(t, err, "no ordinary file")
	assert.True(t, Owned(dir))
}
