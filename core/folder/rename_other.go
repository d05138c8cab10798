//go:build unix && !linux && !darwin

package folder

import "golang.org/x/sys/unix"

func renameNew(int, string, int, string) error  { return unix.ENOSYS }
func renameSwap(int, string, int, string) error { return unix.ENOSYS }
