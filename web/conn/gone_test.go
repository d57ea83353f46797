package conn

import (
	"io"
	"net"
	"testing"
	"time"
)

// TestGone sees whether the other side of a connection has closed it, and takes nothing
// from one that has not.
func TestGone(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	there, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	here, err := Patient{l}.Accept()
	if err != nil {
		t.Fatal(err)
	}
	defer here.Close()
	if gone(here) {
		t.Error("it is there")
	}
	if _, err := there.Write([]byte("GET")); err != nil {
		t.Fatal(err)
	}
	time.Sleep(20 * time.Millisecond)
	b := make([]byte, 3)
	if gone(here) {
		t.Error("it has said something")
	}
	if _, err := io.ReadFull(here, b); err != nil || string(b) != "GET" {
		t.Errorf("%q %v", b, err)
	}
	there.Close()
	for k := 0; !gone(here); k++ {
		if k > 200 {
			t.Fatal("it has gone")
		}
		time.Sleep(5 * time.Millisecond)
	}
}
