package cli

import "golang.org/x/sys/unix"

func flush(fd int) { _ = unix.IoctlSetInt(fd, unix.TCFLSH, unix.TCIFLUSH) }
