package store

import "golang.org/x/sys/windows"

// free returns how many bytes a folder's disk still takes, -1 when that is unknown.
func free(dir string) int64 {
	p, err := windows.UTF16PtrFromString(dir)
	if err != nil {
		return -1
	}
	var n uint64
	if err := windows.GetDiskFreeSpaceEx(p, &n, nil, nil); err != nil {
		return -1
	}
	return int64(n)
}
