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

// A store that lacks all that one may lack is gone round.
func TestAPoorStoreKeepsTheContract(t *testing.T) {
	foldertest.Run(t, func(*testing.T) folder.Folder { return foldertest.Memory() })
	foldertest.Run(t, func(t *testing.T) folder.Folder {
		h, err := folder.Open(t.TempDir())
		require.NoError(t, err)
		return foldertest.Poor(h)
	})
}
