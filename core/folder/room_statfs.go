//go:build linux || darwin

package folder

import "golang.org/x/sys/unix"

// room is [Room] of this disk.
func room(path string) (free int64, known bool) {
	var fs unix.Statfs_t
	err := again(func() error { return unix.Statfs(path, &fs) })
	return int64(fs.Bavail) * int64(fs.Bsize), err == nil && fs.Blocks > 0
}
