//go:build unix && !linux

package cli

import "golang.org/x/sys/unix"

func flush(fd int) { _ = unix.IoctlSetPointerInt(fd, unix.TIOCFLUSH, unix.TCIFLUSH) }
