package main

import (
	"context"
	"net"
	"slices"
	"strings"
	"testing"

	"dogear/store"
)

func TestAddresses(t *testing.T) {
	at := &net.TCPAddr{IP: net.IPv6zero, Port: 8080}
	for _, c := range []struct {
		host     string
		loopback bool
		open     string // the first address that is told
	}{
		{"127.0.0.1", true, "http://127.0.0.1:8080"}, {"::1", true, "http://[::1]:8080"},
		{"localhost", true, ""},
		{"192.0.2.7", false, "http://192.0.2.7:8080"}, {"0.0.0.0", false, "http://localhost:8080"},
		{"::", false, "http://localhost:8080"},
	} {
		t.Run(c.host, func(t *testing.T) {
			if loopback(c.host) != c.loopback {
				t.Errorf("loopback is %v", !c.loopback)
			}
			a := net.Addr(at)
			if ip := net.ParseIP(c.host); ip != nil && !ip.IsUnspecified() {
				a = &net.TCPAddr{IP: ip, Port: 8080}
			}
			if got := addresses("http", c.host, a); c.open != "" && got[0] != c.open {
				t.Errorf("%v, want %s first", got, c.open)
			}
		})
	}
	if got := names("shed.local"); !slices.Equal(got, []string{"shed.local"}) {
		t.Error(got)
	}
	if got := names("0.0.0.0"); !slices.Contains(got, "127.0.0.1") {
		t.Errorf("%v lacks the machine's own address", got)
	}
}

// TestPassphraseIsSet takes one at the first start, keeps it, and takes another
// only when that is said. Each start comes after those before.
func TestPassphraseIsSet(t *testing.T) {
	ctx := context.Background()
	st, err := store.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	for _, c := range []struct {
		text string
		anew bool
		err  string
		same bool // the hash is the one before
	}{
		{"", false, "asks for a passphrase", false},
		{"short", false, "8 to 72", false},
		{"low water at noon", false, "", false},
		{"", false, "", true},
		{"high water at noon", false, "", true},
		{"high water at noon", true, "", false},
	} {
		t.Setenv("DOGEAR_PASSPHRASE", c.text)
		before, _ := st.Passphrase(ctx)
		hash, err := passphrase(ctx, st, c.anew)
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%q: %v, want %q", c.text, err, c.err)
			}
			continue
		}
		if err != nil || hash == nil || (string(hash) == string(before)) != c.same {
			t.Errorf("%q: %q, was %q (%v)", c.text, hash, before, err)
		}
	}
}

// TestReachedAt sends a phone to a name that somebody gave, else to the first address that is not
// this machine's own.
func TestReachedAt(t *testing.T) {
	at := &net.TCPAddr{IP: net.IPv4zero, Port: 8080}
	named := serving{host: "0.0.0.0", names: []string{"shed.local", "192.0.2.9"}}
	if got := named.reachedAt("https", at); got != "https://shed.local:8080" {
		t.Error(got)
	}
	one := serving{host: "192.0.2.7"}
	if got := one.reachedAt("http", &net.TCPAddr{IP: net.ParseIP(one.host), Port: 80}); got !=
		"http://192.0.2.7:80" {
		t.Error(got)
	}
	all := serving{host: "0.0.0.0"}
	if list := addresses("http", all.host, at); all.reachedAt("http", at) != list[min(1,
		len(list)-1)] {
		t.Error(all.reachedAt("http", at), list)
	}
}
