package folder

import (
	"io/fs"
	"syscall"

	"golang.org/x/sys/unix"
)

// dataless marks a file whose contents come when it is opened: SF_DATALESS of <sys/stat.h>.
const dataless = 0x40000000

// onlineOnly reports whether what a file holds is not on this disk.
var onlineOnly func(*unix.Stat_t) bool = func(st *unix.Stat_t) bool { return st.Flags&dataless != 0 }

// isOnline is the same, of a file that was looked at in another way.
func isOnline(info fs.FileInfo) bool {
	st, ok := info.Sys().(*syscall.Stat_t)
	return ok && st.Flags&dataless != 0
}
