package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// Files in the data folder: the certificate with its key, made at the first start that asks for
// one, and the fingerprint of the one in use, by which programs on this machine know it.
const (
	certFile  = "tls.pem"
	printFile = "tls.sha256"
)

// certFor is how long a certificate is made for; telephones take none for longer than 825 days.
const (
	certFor   = 800 * 24 * time.Hour
	certRenew = 30 * 24 * time.Hour
)

// certificate returns the certificate of the files, or, when none are named, the one of the data
// folder, which is made when there is none, when it ends soon, or when a name is missing in it.
func certificate(dir, cert, key string, names []string) (tls.Certificate, error) {
	if (cert == "") != (key == "") {
		return tls.Certificate{}, refuse("usage", errors.New("--cert and --key go together"))
	}
	if cert != "" {
		c, err := tls.LoadX509KeyPair(cert, key)
		if err != nil {
			return c, refuse("certificate", fmt.Errorf("the certificate is of no use: %w", err))
		}
		return c, keepPrint(dir, &c)
	}
	path := filepath.Join(dir, certFile)
	names = append([]string{"localhost", "127.0.0.1", "::1"}, names...)
	if c, err := tls.LoadX509KeyPair(path, path); err == nil && stillGood(c.Leaf, names, time.Now()) {
		return c, keepPrint(dir, &c)
	}
	text, err := newCertificate(names, time.Now())
	if err != nil {
		return tls.Certificate{}, err
	}
	if err := os.WriteFile(path, text, 0o600); err != nil {
		return tls.Certificate{}, refuse("unwritable", err)
	}
	c, err := tls.X509KeyPair(text, text)
	if err != nil {
		return c, err
	}
	return c, keepPrint(dir, &c)
}

// stillGood reports whether a certificate holds for a while, and for all names.
func stillGood(c *x509.Certificate, names []string, now time.Time) bool {
	if c == nil || now.Before(c.NotBefore) || now.Add(certRenew).After(c.NotAfter) {
		return false
	}
	for _, n := range names {
		if n != "" && !unspecified(n) && c.VerifyHostname(n) != nil {
			return false
		}
	}
	return true
}

func unspecified(name string) bool {
	ip := net.ParseIP(name)
	return ip != nil && ip.IsUnspecified()
}

// newCertificate makes a certificate that signs itself, with its key, as PEM.
func newCertificate(names []string, now time.Time) ([]byte, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return nil, err
	}
	c := x509.Certificate{SerialNumber: serial, Subject: pkix.Name{CommonName: "Dogear"},
		NotBefore: now.Add(-time.Hour), NotAfter: now.Add(certFor), BasicConstraintsValid: true,
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{
			x509.ExtKeyUsageServerAuth}}
	for _, n := range names {
		if ip := net.ParseIP(n); ip != nil && !ip.IsUnspecified() {
			c.IPAddresses = append(c.IPAddresses, ip)
		} else if ip == nil && n != "" {
			c.DNSNames = append(c.DNSNames, n)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, &c, &c, &key.PublicKey, key)
	if err != nil {
		return nil, err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	return append(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}),
		pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret})...), nil
}

// fingerprint is what a browser shows of a certificate: SHA-256, in pairs.
func fingerprint(der []byte) string {
	sum := sha256.Sum256(der)
	text := strings.ToUpper(hex.EncodeToString(sum[:]))
	var pairs []string
	for i := 0; i < len(text); i += 2 {
		pairs = append(pairs, text[i:i+2])
	}
	return strings.Join(pairs, ":")
}

// keepPrint writes down which certificate is in use.
func keepPrint(dir string, c *tls.Certificate) error {
	text := fingerprint(c.Certificate[0]) + "\n"
	if err := os.WriteFile(filepath.Join(dir, printFile), []byte(text), 0o600); err != nil {
		return refuse("unwritable", err)
	}
	return nil
}

// knows returns a client that trusts the certificate which the Dogear of a folder has shown
// last, and no other that signs itself.
func knows(dir string) *http.Client {
	want, err := os.ReadFile(filepath.Join(dir, printFile))
	if err != nil {
		return &http.Client{}
	}
	pinned := func(s tls.ConnectionState) error {
		if fingerprint(s.PeerCertificates[0].Raw) != strings.TrimSpace(string(want)) {
			return errors.New("this is another certificate")
		}
		return nil
	}
	return &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{
		InsecureSkipVerify: true, VerifyConnection: pinned}}} // it is compared as a whole instead
}
