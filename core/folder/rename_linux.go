package folder

import "golang.org/x/sys/unix"

func renameNew(from int, name string, to int, as string) error {
	return unix.Renameat2(from, name, to, as, unix.RENAME_NOREPLACE)
}

func renameSwap(from int, name string, to int, as string) error {
	return unix.Renameat2(from, name, to, as, unix.RENAME_EXCHANGE)
}
