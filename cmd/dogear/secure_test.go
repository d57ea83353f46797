package main

import (
	"crypto/tls"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"
)

// TestCertificate keeps the certificate that was made, makes another when a name is missing or
// its end is near, and shows the one of the files where there are some.
func TestCertificate(t *testing.T) {
	dir := t.TempDir()
	made := func(names ...string) string {
		t.Helper()
		c, err := certificate(dir, "", "", names)
		if err != nil {
			t.Fatal(err)
		}
		return fingerprint(c.Certificate[0])
	}
	first := made("shed.local", "192.0.2.7", "0.0.0.0")
	if again := made("192.0.2.7"); again != first {
		t.Error("a second start shows another certificate")
	}
	if made("pier.local") == first {
		t.Error("a name is missing in the certificate")
	}
	if info, err := os.Stat(filepath.Join(dir, certFile)); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("others can read the key: %v %v", info.Mode(), err)
	}
	c, err := certificate(dir, "", "", nil)
	if err != nil || stillGood(c.Leaf, nil, time.Now().Add(certFor-certRenew+2*time.Hour)) ||
		!stillGood(c.Leaf, nil, time.Now()) {
		t.Errorf("it is renewed too late, or too early: %v", err)
	}
	other := filepath.Join(t.TempDir(), "own.pem")
	text, err := newCertificate([]string{"own.local"}, time.Now())
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(other, text, 0o600); err != nil {
		t.Fatal(err)
	}
	own, err := certificate(dir, other, other, nil)
	if err != nil || own.Leaf.DNSNames[0] != "own.local" {
		t.Errorf("the certificate of the file: %v", err)
	}
	if _, err := certificate(dir, other, "", nil); err == nil {
		t.Error("a certificate without its key")
	}
}

// TestKnows trusts the certificate that a folder has shown, and no other.
func TestKnows(t *testing.T) {
	here, there := t.TempDir(), t.TempDir()
	c, err := certificate(here, "", "", nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := certificate(there, "", "", nil); err != nil {
		t.Fatal(err)
	}
	s := httptest.NewUnstartedServer(nil)
	s.TLS = &tls.Config{Certificates: []tls.Certificate{c}}
	s.StartTLS()
	defer s.Close()
	for dir, want := range map[string]bool{here: true, there: false, t.TempDir(): false} {
		r, err := knows(dir).Get(s.URL)
		if err == nil {
			r.Body.Close()
		}
		if (err == nil) != want {
			t.Errorf("%v, want trust %v", err, want)
		}
	}
}
