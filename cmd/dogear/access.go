package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"strings"

	"dogear/store"
	"dogear/web/access"
)

// loopback reports whether an address is this machine's own, which nobody else
// reaches.
func loopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// names are what people may type to reach an address: the address itself, or, when
// it stands for all, those that this machine has, and its name.
func names(host string) []string {
	out := []string{host}
	if ip := net.ParseIP(host); host != "" && (ip == nil || !ip.IsUnspecified()) {
		return out
	}
	if addrs, err := net.InterfaceAddrs(); err == nil {
		for _, a := range addrs {
			if n, ok := a.(*net.IPNet); ok {
				out = append(out, n.IP.String())
			}
		}
	}
	if name, err := os.Hostname(); err == nil {
		out = append(out, name, name+".local")
	}
	return out
}

// passphrase returns the hash of the passphrase that is set. At the first start, or
// when another one is wanted, it is taken from DOGEAR_PASSPHRASE or asked for.
func passphrase(ctx context.Context, st *store.Store, anew bool) ([]byte, error) {
	hash, err := st.Passphrase(ctx)
	if err != nil || hash != nil && !anew {
		return hash, err
	}
	text := os.Getenv("DOGEAR_PASSPHRASE")
	if text == "" && isTerminal(os.Stdin) && !isNothing(os.Stdin) {
		fmt.Fprint(os.Stderr, "On a network Dogear asks for a passphrase. Choose one (it is shown as "+
			"you type): ")
		line, err := bufio.NewReader(os.Stdin).ReadString('\n')
		if err != nil {
			return nil, refuse("passphrase", errors.New("no passphrase was given"))
		}
		text = line
	}
	if strings.TrimSpace(text) == "" {
		return nil, refuse("passphrase", errors.New("on a network Dogear asks for a passphrase: set "+
			"one at the first start, in DOGEAR_PASSPHRASE or at a terminal"))
	}
	if hash, err = access.HashPassphrase(text); err != nil {
		return nil, refuse("passphrase", err)
	}
	return hash, st.SetPassphrase(ctx, hash)
}

// isNothing reports whether a file is the one in which there is never anything; it
// looks like a terminal.
func isNothing(f *os.File) bool {
	a, err1 := f.Stat()
	b, err2 := os.Stat(os.DevNull)
	return err1 == nil && err2 == nil && os.SameFile(a, b)
}

// addresses are what people type to open a server that listens at an address: for
// one that stands for all, those of this machine that others reach.
func addresses(scheme, host string, at net.Addr) []string {
	_, port, err := net.SplitHostPort(at.String())
	if ip := net.ParseIP(host); err != nil || ip == nil || !ip.IsUnspecified() {
		return []string{scheme + "://" + at.String()}
	}
	out := []string{scheme + "://localhost:" + port}
	for _, n := range names(host) {
		if ip := net.ParseIP(n); ip != nil && ip.To4() != nil && !ip.IsLoopback() && !ip.IsUnspecified() {
			out = append(out, scheme+"://"+net.JoinHostPort(n, port))
		}
	}
	return out
}
