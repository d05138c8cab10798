package disk

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/folder"
)

// What would not fit on another disk is told before anything is copied there, with all that
// is needed; on its own disk a copy may share its room, and is tried.
func TestWhatDoesNotFitIsToldBefore(t *testing.T) {
	here := t.TempDir()
	there, err := os.MkdirTemp("/dev/shm", "vestibula-room-")
	if err != nil {
		t.Skip("there is no other disk here")
	}
	t.Cleanup(func() { os.RemoveAll(there) })
	one, _, err := folder.Identity(here)
	require.NoError(t, err)
	if other, _, err := folder.Identity(there); err != nil || one == other {
		t.Skip("there is no other disk here")
	}
	const huge = 3 << 40 // of a file that takes none of it
	for _, name := range []string{"a", "b"} {
		require.NoError(t, os.MkdirAll(filepath.Join(there, "In", name), 0o777))
		require.NoError(t, os.Truncate(create(t, filepath.Join(there, "In", name, "film")), huge))
	}
	free, known := folder.Room(here)
	require.True(t, known)
	require.Less(t, free, int64(huge))
	set := func(in int, changes ...change.Change) *change.Set {
		for i := range changes {
			changes[i].In, changes[i].FromIn = in, 1
		}
		return &change.Set{Places: []address.Address{address.Address(here), address.Address(there)}, Changes: changes}
	}
	var full *FullError
	_, err = Prepare(set(0, change.Change{Op: change.Copy, Path: "x", From: "In/a/film"}, change.Change{Op: change.Copy, Path: "y", From: "In/b/film"}))
	require.ErrorAs(t, err, &full)
	assert.Equal(t, int64(2*huge), full.Need)
	assert.EqualValues(t, here, full.Path)
	assert.EqualError(t, full, fmt.Sprintf("%s: %d bytes are needed, and %d are free", here, full.Need, full.Free))
	_, err = Prepare(set(0, change.Change{Op: change.Move, Path: "In", From: "In"}))
	require.ErrorAs(t, err, &full, "a folder goes with all that lies in it")
	assert.Equal(t, int64(2*huge), full.Need)
	_, err = Prepare(set(1, change.Change{Op: change.Copy, Path: "x", From: "In/a/film"}))
	require.NoError(t, err)
	_, err = Prepare(set(1, change.Change{Op: change.Move, Path: "Out", From: "In"}))
	require.NoError(t, err)
}

func create(t *testing.T, path string) string {
	f, err := os.Create(path)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	return path
}
