//go:build !linux && !darwin && !windows

package folder

// Room is not known here.
func Room(string) (free int64, known bool) { return 0, false }
