package disk

import (
	"testing"

	"github.com/stretchr/testify/require"

	"vestibula/core/folder"
	"vestibula/core/folder/foldertest"
)

// inject puts a fault in front of all file systems for the time of a test.
func inject(t *testing.T, f *foldertest.Fault) { t.Cleanup(f.Inject()) }

// What stands in front of a disk in these tests is like one as long as nothing fails.
func TestWithoutAFaultTheContractIsKept(t *testing.T) {
	inject(t, &foldertest.Fault{})
	foldertest.Run(t, func(t *testing.T) folder.Folder {
		h, err := folder.Open(t.TempDir())
		require.NoError(t, err)
		return h
	})
}
