package folder_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"vestibula/core/folder"
	"vestibula/core/folder/foldertest"
)

func TestTheDiskKeepsTheContract(t *testing.T) {
	foldertest.Run(t, func(t *testing.T) folder.Folder {
		h, err := folder.Open(t.TempDir())
		require.NoError(t, err)
		return h
	})
}

// Where things bear other names for the time being, all else is as it was.
func TestFoldersUnderOtherNamesKeepTheContract(t *testing.T) {
	foldertest.Run(t, func(t *testing.T) folder.Folder {
		h, err := folder.Open(t.TempDir())
		require.NoError(t, err)
		return folder.Under(h, map[string]string{"folder": "meanwhile", "full": "another"})
	})
}

// A store that lacks all that one may lack is gone round.
func TestAPoorStoreKeepsTheContract(t *testing.T) {
	foldertest.Run(t, func(*testing.T) folder.Folder { return foldertest.Memory() })
	foldertest.Run(t, func(t *testing.T) folder.Folder {
		h, err := folder.Open(t.TempDir())
		require.NoError(t, err)
		return foldertest.Poor(h)
	})
}
