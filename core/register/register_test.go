package register

import (
	"os"
	"path/filepath"
	"testing"

	"vestibula/core/address"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOneRunInOnePlace(t *testing.T) {
	top := t.TempDir()
	place, deep, beside := filepath.Join(top, "place"), filepath.Join(top, "place/deep/er"), filepath.Join(top, "beside")
	for _, dir := range []string{deep, beside} {
		require.NoError(t, os.MkdirAll(dir, 0o777))
	}
	require.NoError(t, os.Symlink(place, filepath.Join(top, "link")))
	r := Register{filepath.Join(top, "register")}
	release, err := r.Take([]address.Address{address.Address(place), address.Address(beside)})
	require.NoError(t, err)
	var busy *BusyError
	for _, other := range []string{place, filepath.Join(top, "link"), deep, filepath.Join(top, "link/deep"), top, beside, "/"} {
		_, err := r.Take([]address.Address{address.Address(other)})
		assert.ErrorAs(t, err, &busy, "%s is held by another run, or lies above or below what is", other)
	}
	assert.True(t, r.Busy(address.Address(place)))
	assert.False(t, r.Busy(address.Address(deep)))
	release()
	assert.False(t, r.Busy(address.Address(place)))
	again, err := r.Take([]address.Address{address.Address(place)})
	require.NoError(t, err)
	other, err := r.Take([]address.Address{address.Address(beside)})
	require.NoError(t, err, "neighbours do not meet")
	other()
	again()
	nested, err := r.Take([]address.Address{address.Address(place), address.Address(deep)})
	require.NoError(t, err, "one run may have a place and one in it")
	nested()
	_, err = r.Take([]address.Address{address.Address(filepath.Join(top, "none"))})
	assert.Error(t, err)
}
