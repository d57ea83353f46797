package webtest

import (
	"bufio"
	"context"
	"io"
	"net"
	"net/http"
	"testing"
	"time"
)

// Wire is a connection to a server that answers on a real socket.
type Wire struct {
	net.Conn
	In *bufio.Reader
}

// Listen lets a client's server answer on a socket.
func (c *Client) Listen() (dial func() *Wire) {
	c.T.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		c.T.Fatal(err)
	}
	go c.S.Serve(l)
	c.T.Cleanup(func() {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		_ = c.S.Shutdown(ctx)
	})
	return func() *Wire {
		conn, err := net.Dial("tcp", l.Addr().String())
		if err != nil {
			c.T.Fatal(err)
		}
		c.T.Cleanup(func() { conn.Close() })
		return &Wire{conn, bufio.NewReader(conn)}
	}
}

// Answer is what comes next.
func (w *Wire) Answer(t testing.TB) (int, string) {
	t.Helper()
	_ = w.SetReadDeadline(time.Now().Add(20 * time.Second))
	res, err := http.ReadResponse(w.In, nil)
	if err != nil {
		return 0, err.Error()
	}
	b, _ := io.ReadAll(res.Body)
	return res.StatusCode, string(b)
}
