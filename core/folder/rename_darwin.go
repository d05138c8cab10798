package folder

import "golang.org/x/sys/unix"

func renameNew(from int, name string, to int, as string) error {
	return unix.RenameatxNp(from, name, to, as, unix.RENAME_EXCL)
}

func renameSwap(from int, name string, to int, as string) error {
	return unix.RenameatxNp(from, name, to, as, unix.RENAME_SWAP)
}
