package folder

import "golang.org/x/sys/unix"

// SyncsDisks says that a system can be asked to have all on a disk that was written to
// it: for many files, that is much faster than one by one.
const SyncsDisks = true

func (f *system) SyncDisk() error { return again(func() error { return unix.Syncfs(f.fd) }) }
