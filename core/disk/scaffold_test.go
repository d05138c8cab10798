package disk

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is raised is dropped again, but for what somebody has put something into; where it cannot be made as a whole, nothing
// of it stays.
func TestAScaffoldGoesAsItCame(t *testing.T) {
	dir := t.TempDir()
	s, err := Raise(dir, []string{"a", "b", "c"})
	require.NoError(t, err)
	assert.DirExists(t, filepath.Join(dir, "a/b/c"))
	s.Drop()
	s.Drop()
	assert.NoDirExists(t, filepath.Join(dir, "a"))

	s, err = Raise(dir, []string{"a", "b"})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a/mine.txt"), []byte("mine"), 0o600))
	s.Drop()
	assert.NoDirExists(t, filepath.Join(dir, "a/b"))
	assert.FileExists(t, filepath.Join(dir, "a/mine.txt"))

	require.NoError(t, os.Mkdir(filepath.Join(dir, "d"), 0o700))
	_, err = Raise(dir, []string{"d"})
	assert.Error(t, err, "what is there is nobody's scaffold")
	_, err = Raise(dir, []string{"e", "f/g"})
	assert.Error(t, err)
	assert.NoDirExists(t, filepath.Join(dir, "e"))
	assert.DirExists(t, filepath.Join(dir, "d"))
}
