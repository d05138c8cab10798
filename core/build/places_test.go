package build

import (
	"io/fs"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/place"
)

// Where a folder is moved away in the same run, a build sees its place as free.
func TestAVacatedPlaceIsWithoutWhatGoes(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(dir+"/goes/in", 0o777))
	require.NoError(t, os.Mkdir(dir+"/stays", 0o777))
	p, err := place.Open(dir)
	require.NoError(t, err)
	defer p.Close()
	v := Vacated{p, map[string]bool{"goes": true}}
	for _, at := range []string{"goes", "goes/in"} {
		_, err := v.Look(at)
		assert.ErrorIs(t, err, fs.ErrNotExist, at)
		_, err = v.List(at)
		assert.ErrorIs(t, err, fs.ErrNotExist, at)
	}
	_, err = v.Look("stays")
	assert.NoError(t, err)
	list, err := v.List(".")
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "stays", list[0].Name)
}
