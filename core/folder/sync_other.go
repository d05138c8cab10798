//go:build !linux

package folder

import "errors"

// SyncsDisks says that a system can be asked to have all on a disk that was written to
// it.
const SyncsDisks = false

func (f *system) SyncDisk() error { return errors.ErrUnsupported }
