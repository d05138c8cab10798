package folder

import "golang.org/x/sys/unix"

func clone(to, from uintptr) error { return unix.IoctlFileClone(int(to), int(from)) }
