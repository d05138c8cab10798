package drive_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

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

// Whatever signs a name holds, it is made, listed, looked at, moved and removed by them, and by no others.
func TestNamesComeBackAsTheyWere(t *testing.T) {
	s := drivetest.Start(t)
	h := open(t, s)
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.OneOf(
			rapid.StringMatching(`[ -.0-~]{1,20}`),
			rapid.StringN(1, 20, 60),
			rapid.SampledFrom([]string{"100 %", "a%2fb", "a+b c", "ä", "a\u0308", "?q=1", "#x", "a;b,c", "\xe4\xff", "..x", "...", "<&\"'>", "Ünï 📚", "a\\b", "[1]", "~", "http:"}),
		).Draw(t, "name")
		if strings.ContainsAny(name, "/\x00") || name == "." || name == ".." || len(name) > 200 {
			t.Skip("no name")
		}
		require.NoError(t, h.Mkdir(name, 0o777))
		list, err := h.List()
		require.NoError(t, err)
		require.Len(t, list, 1)
		assert.Equal(t, name, list[0].Name)
		_, err = os.Lstat(filepath.Join(s.Dir, name))
		require.NoError(t, err, "the server has it by that name")
		require.NoError(t, h.Move(name, h, "x "+name))
		e, err := h.Look("x " + name)
		require.NoError(t, err)
		assert.Equal(t, "x "+name, e.Name)
		require.NoError(t, h.Remove("x "+name, true))
	})
}
