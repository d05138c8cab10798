package folder

import "golang.org/x/sys/unix"

// dataless marks a file whose contents come when it is opened: SF_DATALESS of <sys/stat.h>.
const dataless = 0x40000000

// onlineOnly reports whether what a file holds is not on this disk.
var onlineOnly func(*unix.Stat_t) bool = func(st *unix.Stat_t) bool { return st.Flags&dataless != 0 }
