package folder

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
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
	{syscall.ENOTDIR, "it, or something on the way to it, is no folder"},
	{syscall.EISDIR, "it is a folder"},
	{syscall.ELOOP, "it is a link"},
	{syscall.ENOTEMPTY, "it is not empty"},
	{syscall.EPIPE, "the reader went away"},
	{syscall.EBUSY, "something else is using it"},
	{syscall.EXDEV, "it lies on another disk"},
	{syscall.EMFILE, "too many files are open at once"},
	{syscall.EINVAL, "this system does not take such a name or call"},
	{syscall.ESTALE, "the medium was taken away meanwhile"},
	{syscall.EDQUOT, "no more room is allowed to you there"},
	{io.ErrUnexpectedEOF, "it ends too early"},
	{io.EOF, "it ends too early"},
}

// Reason says, for a person, why a system call failed, without the path that it
// was about.
func Reason(err error) string {
	var own interface{ Reason() string }
	if errors.As(err, &own) {
		return own.Reason()
	}
	for _, r := range reasons {
		if errors.Is(err, r.err) {
			return r.says
		}
	}
	var code syscall.Errno
	if errors.As(err, &code) {
		return fmt.Sprintf("the system refuses it (error %d)", int(code))
	}
	var pathErr *fs.PathError
	if errors.As(err, &pathErr) {
		return pathErr.Err.Error()
	}
	return err.Error()
}
