//go:build unix

package store

import "golang.org/x/sys/unix"

// free returns how many bytes a folder's disk still takes, -1 when that is unknown.
func free(dir string) int64 {
	var st unix.Statfs_t
	if err := unix.Statfs(dir, &st); err != nil {
		return -1
	}
	return int64(st.Bavail) * int64(st.Bsize)
}
