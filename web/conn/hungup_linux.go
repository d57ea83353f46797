package conn

import (
	"golang.org/x/sys/unix"
)

// hungUp reports whether the other side of a connection sends no more, whatever is still to be
// read.
func hungUp(fd int) bool {
	p := []unix.PollFd{{Fd: int32(fd), Events: unix.POLLRDHUP}}
	n, err := unix.Poll(p, 0)
	return err == nil && n > 0 && p[0].Revents&(unix.POLLRDHUP|unix.POLLHUP) != 0
}
