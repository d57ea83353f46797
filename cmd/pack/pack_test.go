package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"golang.org/x/tools/go/packages"

	"dogear/demo/demotest"
)

// host is the system of this machine, and whether there is a program for it.
var host = runtime.GOOS + "/" + runtime.GOARCH

// copied copies the sources to another folder.
func copied(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	list, err := exec.Command("git", "ls-files", "-z").Output()
	if err != nil {
		t.Skip("no checkout:", err)
	}
	for name := range strings.SplitSeq(strings.Trim(string(list), "\x00"), "\x00") {
		data, err := os.ReadFile(name)
		if os.IsNotExist(err) {
			continue // taken out, and not committed yet
		}
		if err != nil {
			t.Fatal(err)
		}
		to := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(to, data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	here, err := filepath.Abs("node_modules")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(here, filepath.Join(dir, "node_modules")); err != nil {
		t.Fatal(err)
	}
	return dir
}

// TestPack packs the program of this machine twice, in two folders: the archives are equal, the
// checksums hold, the licences of all parts are in them, and the program says its version.
func TestPack(t *testing.T) {
	if !demotest.Sweep() || !slices.Contains(targets, host) {
		t.Skip("builds the program twice: make targets")
	}
	t.Chdir("../..")
	t.Setenv("SOURCE_DATE_EPOCH", "1764000000")
	other := copied(t)
	outs := []string{t.TempDir(), t.TempDir()}
	for i, dir := range []string{".", other} {
		t.Chdir(dir)
		if err := run(outs[i], host, "v0.0.1-test"); err != nil {
			t.Fatal(err)
		}
	}
	sums, err := os.ReadFile(filepath.Join(outs[0], "SHA256SUMS"))
	if err != nil {
		t.Fatal(err)
	}
	sum, name, _ := strings.Cut(strings.TrimSpace(string(sums)), "  ")
	one, err := os.ReadFile(filepath.Join(outs[0], name))
	if err != nil {
		t.Fatal(err)
	}
	two, err := os.ReadFile(filepath.Join(outs[1], name))
	if err != nil {
		t.Fatal(err)
	}
	if fmt.Sprintf("%x", sha256.Sum256(one)) != sum || !bytes.Equal(one, two) {
		t.Errorf("%s: two builds differ, or the checksum is wrong", name)
	}
	files := unpack(t, one)
	for _, part := range []string{"Go and its standard library", "modernc.org/sqlite", "htmx.org",
		"gofiber/fiber", "fraunces", "@alpinejs/csp", "kong"} {
		if !strings.Contains(string(files["LICENCES-OF-PARTS.txt"]), part) {
			t.Errorf("the licence of %s is missing", part)
		}
	}
	if !strings.Contains(string(files["README.txt"]), "--help") || len(files["LICENSE.txt"]) == 0 {
		t.Error("how to start it, or the licence, is missing")
	}
	drive(t, files["dogear"])
}

// unpack reads a .tar.gz, by name without the folder.
func unpack(t *testing.T, data []byte) map[string][]byte {
	t.Helper()
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]byte{}
	r := tar.NewReader(z)
	for {
		h, err := r.Next()
		if err == io.EOF {
			return out
		}
		if err != nil {
			t.Fatal(err)
		}
		_, name, _ := strings.Cut(h.Name, "/")
		if out[name], err = io.ReadAll(r); err != nil {
			t.Fatal(err)
		}
	}
}

// TestArchives writes the same archives whatever the time is, and what is in them comes out.
func TestArchives(t *testing.T) {
	day := time.Unix(1764000000, 0).UTC()
	files := []entry{{"d/dogear", []byte("program"), 0o755}, {"d/README.txt", []byte("read"), 0o644}}
	for i, write := range []func(string, []entry, time.Time) error{tarred, zipped} {
		var got [2][]byte
		for k := range got {
			path := filepath.Join(t.TempDir(), "a")
			if err := write(path, files, day); err != nil {
				t.Fatal(err)
			}
			var err error
			if got[k], err = os.ReadFile(path); err != nil {
				t.Fatal(err)
			}
		}
		if !bytes.Equal(got[0], got[1]) {
			t.Errorf("archive %d depends on something else", i)
		}
		if i == 1 {
			z, err := zip.NewReader(bytes.NewReader(got[0]), int64(len(got[0])))
			if err != nil || len(z.File) != 2 || z.File[0].Mode() != 0o755 {
				t.Errorf("zip: %v", err)
			}
		} else if u := unpack(t, got[0]); string(u["README.txt"]) != "read" {
			t.Errorf("tar: %v", u)
		}
	}
}

// TestVersions refuses what would not stand in a file name or on a command line.
func TestVersions(t *testing.T) {
	for _, v := range []string{"v 1", "../v1", `v"1`, "v1\n"} {
		if err := run(t.TempDir(), host, v); err == nil {
			t.Errorf("%q is taken", v)
		}
	}
	if err := run(t.TempDir(), "abacus/wood", "v1"); err == nil {
		t.Error("a target that there is not")
	}
}

// TestTargets checks the program's sources, its parts' included, for every system it is made
// for; building them all takes a minute each (make release).
func TestTargets(t *testing.T) {
	if !demotest.Sweep() {
		t.Skip("reads all sources for each target: make targets")
	}
	for _, target := range targets {
		system, processor, _ := strings.Cut(target, "/")
		if target == host {
			continue
		}
		t.Run(target, func(t *testing.T) {
			ps, err := packages.Load(&packages.Config{Mode: packages.LoadAllSyntax, Env: append(os.Environ(),
				"GOOS="+system, "GOARCH="+processor, "CGO_ENABLED=0")}, "dogear/cmd/dogear")
			if err != nil {
				t.Fatal(err)
			}
			packages.Visit(ps, nil, func(p *packages.Package) {
				for _, e := range p.Errors {
					t.Error(e)
				}
			})
		})
	}
}
