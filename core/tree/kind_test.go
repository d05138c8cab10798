package tree

import (
	"io/fs"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestKindsOfModes(t *testing.T) {
	for mode, kind := range map[fs.FileMode]Kind{0o644: File, fs.ModeDir | 0o755: Folder, fs.ModeSymlink | 0o777: Symlink, fs.ModeNamedPipe: Other, fs.ModeSocket: Other, fs.ModeDevice | fs.ModeCharDevice: Other, fs.ModeIrregular: Other} {
		assert.Equal(t, kind, kindOf(mode), mode)
	}
}

func TestContentsSayWhereTheyComeFrom(t *testing.T) {
	assert.Equal(t, "memory", Bytes("x").Source())
}
