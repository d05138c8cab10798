package drive_test

import (
	"io/fs"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/drive"
	"vestibula/core/drive/drivetest"
	"vestibula/core/folder"
	"vestibula/core/folder/foldertest"
)

// The servers that others have written keep the contract, too.
func TestRealDrivesKeepTheContract(t *testing.T) {
	drivetest.EachReal(t, os.Getenv("VESTIBULA_DRIVES"), func(t *testing.T, r *drivetest.Real) {
		d := drive.New(drivetest.Config(r.Who))
		at := r.Address()
		d.Server(at).Begin()
		h, err := d.Server(at).Open(string(at))
		require.NoError(t, err)
		require.NoError(t, h.Mkdir("work", 0o700))
		work, err := h.Folder("work")
		require.NoError(t, err)
		require.NoError(t, folder.Working(work))
		t.Logf("%s keeps: %+v", r.Name, d.Server(at).Keeps())
		foldertest.Run(t, func(t *testing.T) folder.Folder {
			name := strings.ReplaceAll(t.Name(), "/", "-")
			require.NoError(t, h.Mkdir(name, 0o700))
			in, err := h.Folder(name)
			require.NoError(t, err)
			return in
		})
	})
}

// A folder that has gone is not locked, and no file comes about in its place.
func TestNothingIsMadeToBeLocked(t *testing.T) {
	drivetest.EachReal(t, os.Getenv("VESTIBULA_DRIVES"), func(t *testing.T, r *drivetest.Real) {
		d := drive.New(drivetest.Config(r.Who))
		at := r.Address().Join("gone")
		release, err := d.Server(at).Take(string(at))
		release()
		assert.ErrorIs(t, err, fs.ErrNotExist)
		assert.NotContains(t, drivetest.Names(r.Dir), "gone")
	})
}
