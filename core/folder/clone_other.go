//go:build !linux

package folder

import "errors"

func clone(_, _ uintptr) error { return errors.ErrUnsupported }
