//go:build unix && !darwin

package folder

import "golang.org/x/sys/unix"

// onlineOnly reports whether what a file holds is not on this disk; nil, as nothing says so here.
var onlineOnly func(*unix.Stat_t) bool
