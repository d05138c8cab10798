package drive

import (
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"syscall"
)

// An Error is what a server refuses, or answers in another way than it should.
type Error struct {
	Status int    // of HTTP; 0 where there was none
	Says   string // for a person
	cause  error
}

// Error says what it is, for a person.
func (e *Error) Error() string { return e.Says }

// Reason is the same.
func (e *Error) Reason() string { return e.Says }

// Unwrap returns what it is for those who do not speak HTTP.
func (e *Error) Unwrap() error { return e.cause }

// ErrAccess is why a server lets nobody in under the credentials at hand.
var ErrAccess = errors.New("the name or the password is not right")

// What can be wrong with what is asked, or with an answer.
var (
	errKind  = &Error{Says: "it is of another kind", cause: syscall.ENOTDIR}
	errName  = errors.New("this cannot be a name")
	errState = &Error{Status: http.StatusPreconditionFailed, Says: "somebody has changed it meanwhile"}
)

// fail puts what was asked around an error.
func fail(op, path string, err error) error {
	if err == nil {
		return nil
	}
	return &fs.PathError{Op: op, Path: path, Err: err}
}

// statuses are what the statuses of HTTP say here.
var statuses = map[int]struct {
	says  string
	cause error
}{
	http.StatusForbidden:             {"the drive does not allow it", fs.ErrPermission},
	http.StatusNotFound:              {"it is not there", fs.ErrNotExist},
	http.StatusGone:                  {"it is not there", fs.ErrNotExist},
	http.StatusMethodNotAllowed:      {"the drive does not do that there", errors.ErrUnsupported},
	http.StatusNotImplemented:        {"the drive cannot do that", errors.ErrUnsupported},
	http.StatusConflict:              {"the folder that it is to lie in is not there", fs.ErrNotExist},
	http.StatusPreconditionFailed:    {"something of that name is there already", fs.ErrExist},
	http.StatusRequestEntityTooLarge: {"the drive takes no file as large as this", syscall.EFBIG},
	http.StatusRequestURITooLong:     {"the name or the path is too long for the drive", syscall.ENAMETOOLONG},
	http.StatusUnsupportedMediaType:  {"the drive takes no such file", nil},
	http.StatusBadRequest:            {"the drive refuses it, most often because of a sign in the name", syscall.EINVAL},
	http.StatusUnprocessableEntity:   {"the drive refuses it, most often because of a sign in the name", syscall.EINVAL},
	http.StatusLengthRequired:        {"the drive wants to know the length of a file before it begins", nil},
	http.StatusLocked:                {"somebody has it open on the drive, or is at work there", syscall.EBUSY},
	http.StatusTooManyRequests:       {"the drive is asked too much, and did not answer in time", syscall.EAGAIN},
	http.StatusServiceUnavailable:    {"the drive is too busy, or down for the moment", syscall.EAGAIN},
	http.StatusInsufficientStorage:   {"the drive is full", syscall.ENOSPC},
	http.StatusBadGateway:            {"the drive cannot reach what it keeps that on", syscall.EIO},
	http.StatusInternalServerError:   {"the drive has a fault of its own", syscall.EIO},
}

// refused is the error that a status stands for.
func refused(status int) error {
	if status == http.StatusUnauthorized {
		return ErrAccess
	}
	if known, is := statuses[status]; is {
		return &Error{status, known.says, known.cause}
	}
	return &Error{Status: status, Says: fmt.Sprintf("the drive answers with the status %d", status), cause: syscall.EIO}
}

// statusOf is the status that an error is about, 0 for none.
func statusOf(err error) int {
	var e *Error
	if errors.As(err, &e) {
		return e.Status
	}
	return 0
}
