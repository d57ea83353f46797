//go:build unix

package main

import (
	"os"
	"syscall"
)

// links is how many names a file has.
func links(st os.FileInfo) uint64 {
	if s, ok := st.Sys().(*syscall.Stat_t); ok {
		return uint64(s.Nlink)
	}
	return 1
}

// ownAs gives a file the owner of another.
func ownAs(name string, st os.FileInfo) error {
	want, ok := st.Sys().(*syscall.Stat_t)
	if !ok {
		return nil
	}
	now, err := os.Lstat(name)
	if err != nil {
		return err
	}
	if is := now.Sys().(*syscall.Stat_t); is.Uid == want.Uid && is.Gid == want.Gid {
		return nil
	}
	return os.Chown(name, int(want.Uid), int(want.Gid))
}
