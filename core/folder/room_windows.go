package folder

import "golang.org/x/sys/windows"

// room is [Room] of this disk.
func room(path string) (free int64, known bool) {
	p, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return 0, false
	}
	var bytes uint64
	err = windows.GetDiskFreeSpaceEx(p, &bytes, nil, nil)
	return int64(min(bytes, 1<<62)), err == nil
}
