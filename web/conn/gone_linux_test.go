package conn

import (
	"crypto/tls"
	"net"
	"net/http/httptest"
	"testing"
	"time"
)

// TestGoneSecure notices a client that has gone over TLS too, where its leave lies unread in front
// of the end.
func TestGoneSecure(t *testing.T) {
	s := httptest.NewUnstartedServer(nil)
	s.StartTLS() // for its certificate
	defer s.Close()
	for _, most := range []uint16{tls.VersionTLS12, tls.VersionTLS13} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		secure := tls.NewListener(Patient{l}, &tls.Config{Certificates: s.TLS.Certificates,
			MaxVersion: most})
		came := make(chan net.Conn, 1)
		go func() {
			c, err := secure.Accept()
			if err == nil {
				err = c.(*tls.Conn).Handshake()
			}
			if err != nil {
				t.Error(err)
			}
			came <- c
		}()
		there, err := tls.Dial("tcp", l.Addr().String(), &tls.Config{InsecureSkipVerify: true})
		if err != nil {
			t.Fatal(err)
		}
		here := <-came
		if _, err := there.Write([]byte("GET")); err != nil {
			t.Fatal(err)
		}
		time.Sleep(20 * time.Millisecond)
		if gone(here) {
			t.Errorf("TLS %x: it has said something, and is there", most)
		}
		there.Close()
		for k := 0; !gone(here); k++ {
			if k > 200 {
				t.Fatalf("TLS %x: it has gone", most)
			}
			time.Sleep(5 * time.Millisecond)
		}
		here.Close()
		l.Close()
	}
}
