//go:build unix

package place

import (
	"os"

	"golang.org/x/sys/unix"
)

// owned is [Owned] of this disk.
func owned(path string) bool {
	var st unix.Stat_t
	return unix.Stat(path, &st) == nil && int(st.Uid) == os.Geteuid()
}
