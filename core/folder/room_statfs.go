//go:build linux || darwin

package folder

import "golang.org/x/sys/unix"

// Room is how many bytes a person may still write to the disk that a folder lies on, as far as
// that is known.
func Room(path string) (free int64, known bool) {
	var fs unix.Statfs_t
	err := again(func() error { return unix.Statfs(path, &fs) })
	return int64(fs.Bavail) * int64(fs.Bsize), err == nil && fs.Blocks > 0
}
