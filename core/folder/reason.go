package folder

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"syscall"
)

// A TooLargeError says that a file holds more than is read of one.
type TooLargeError struct{ Most int64 } // in bytes

// Error says how much is read.
func (e *TooLargeError) Error() string { return fmt.Sprintf("it is larger than %d MB", e.Most>>20) }

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
	{syscall.ELOOP, "it is a link"},
	{syscall.ENOTEMPTY, "it is not empty"},
	{syscall.EPIPE, "the reader went away"},
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
		return pathErr.Err.Error()
	}
	var linkErr *os.LinkError
	if errors.As(err, &linkErr) {
		return linkErr.Err.Error()
	}
	return err.Error()
}
