//go:build unix

package conn

import (
	"crypto/tls"
	"net"

	"golang.org/x/sys/unix"
)

// gone reports whether the other side of a connection has closed it. Nothing is taken
// from it.
func gone(c net.Conn) bool {
	_, secure := c.(*tls.Conn)
	if p, ok := underTLS(c).(*patientConn); ok {
		c = p.Conn
	}
	t, ok := c.(*net.TCPConn)
	if !ok {
		return false
	}
	raw, err := t.SyscallConn()
	if err != nil {
		return true
	}
	over := false
	err = raw.Control(func(fd uintptr) {
		n, _, rerr := unix.Recvfrom(int(fd), make([]byte, 1), unix.MSG_PEEK|unix.MSG_DONTWAIT)
		switch rerr {
		case nil:
			// TLS takes its leave by a record that looks like any other: it lies unread
			// before the end.
			over = n == 0 || secure && hungUp(int(fd))
		case unix.EAGAIN, unix.EINTR:
		default:
			over = true
		}
	})
	return err != nil || over
}
