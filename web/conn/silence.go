package conn

import (
	"crypto/tls"
	"net"
	"sync/atomic"
	"time"
)

// How long a connection may be silent. A slow upload goes on as long as something comes; a
// browser that has paused a download gets more time.
const (
	readSilence  = 60 * time.Second
	writeSilence = 5 * time.Minute
)

// Patient is a listener whose connections end by silence, not by length.
type Patient struct{ net.Listener }

func (l Patient) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return &patientConn{Conn: c}, nil
}

type patientConn struct {
	net.Conn
	over atomic.Bool // the other side sends no more
}

func (c *patientConn) Read(p []byte) (int, error) {
	if err := c.Conn.SetReadDeadline(time.Now().Add(readSilence)); err != nil {
		return 0, err
	}
	n, err := c.Conn.Read(p)
	if err != nil {
		c.over.Store(true)
	}
	return n, err
}

// Cut reports whether a connection ended while it was read. Of a body in chunks it says
// whether the last one came: behind that nothing more is read.
func Cut(c net.Conn) bool {
	p, ok := underTLS(c).(*patientConn)
	return ok && p.over.Load()
}

func (c *patientConn) Write(p []byte) (int, error) {
	total := 0
	for { // piece by piece: a large answer to a slow reader is not silence
		if err := c.Conn.SetWriteDeadline(time.Now().Add(writeSilence)); err != nil {
			return total, err
		}
		n, err := c.Conn.Write(p[:min(len(p), 64<<10)])
		total += n
		if p = p[n:]; err != nil || len(p) == 0 {
			return total, err
		}
	}
}

// Deadlines are set here alone.

func (c *patientConn) SetDeadline(time.Time) error { return nil }

func (c *patientConn) SetReadDeadline(time.Time) error { return nil }

func (c *patientConn) SetWriteDeadline(time.Time) error { return nil }

// underTLS is the connection below a secure one.
func underTLS(c net.Conn) net.Conn {
	if t, ok := c.(*tls.Conn); ok {
		return t.NetConn()
	}
	return c
}
