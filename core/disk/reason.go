package disk

import (
	"errors"
	"io/fs"
	"syscall"
)

// reasons are the words for what systems answer most often.
var reasons = []struct {
	err  error
	says string
}{
	{fs.ErrNotExist, "it is not there"},
	{fs.ErrExist, "something of that name is there already"},
	{fs.ErrPermission, "you do not have the right"},
	{syscall.ENOSPC, "the disk is full"},
	{syscall.EROFS, "this medium can only be read"},
	{syscall.EIO, "the medium does not answer"},
	{syscall.ENAMETOOLONG, "the name or the path is too long for this system"},
	{syscall.ENOTDIR, "something on the way to it is no folder"},
	{syscall.EISDIR, "it is a folder"},
}

// Reason says, for a person, why a system call failed, without the path that it
// was about.
func Reason(err error) string {
	for _, r := range reasons {
		if errors.Is(err, r.err) {
			return r.says
		}
	}
	var pathErr *fs.PathError
	if errors.As(err, &pathErr) {
		err = pathErr.Err
	}
	return err.Error()
}
