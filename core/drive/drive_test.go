package drive_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/drive"
	"vestibula/core/drive/drivetest"
	"vestibula/core/folder"
	"vestibula/core/folder/foldertest"
)

// open opens the top of a drive, for somebody who changes it.
func open(t *testing.T, s *drivetest.Server) folder.Folder {
	t.Helper()
	d := drive.New(drivetest.Config(drive.Credentials{}))
	h, err := d.Server(s.Address()).Open(string(s.Address()))
	require.NoError(t, err)
	d.Server(s.Address()).Begin()
	return h
}

func TestADriveKeepsTheContract(t *testing.T) {
	for name, keeps := range map[string]bool{"conditions": true, "no conditions": false} {
		t.Run(name, func(t *testing.T) {
			foldertest.Run(t, func(t *testing.T) folder.Folder {
				s := drivetest.Start(t)
				s.Keeps = keeps
				return open(t, s)
			})
			t.Run("tried out", func(t *testing.T) {
				s := drivetest.Start(t)
				s.Keeps = keeps
				h := open(t, s)
				require.NoError(t, h.Mkdir("work", 0o700))
				work, err := h.Folder("work")
				require.NoError(t, err)
				require.NoError(t, folder.Working(work))
				foldertest.Run(t, func(t *testing.T) folder.Folder {
					require.NoError(t, h.Mkdir(strings.ReplaceAll(t.Name(), "/", "-"), 0o700))
					in, err := h.Folder(strings.ReplaceAll(t.Name(), "/", "-"))
					require.NoError(t, err)
					return in
				})
				left, err := os.ReadDir(filepath.Join(s.Dir, "work"))
				require.NoError(t, err)
				assert.Empty(t, left, "nothing of a trial stays")
			})
		})
	}
}
