// Package demotest has what the tests of several packages do with a sliced file.
package demotest

import (
	"archive/zip"
	"bytes"
	"context"
	"hash/fnv"
	"io"
	"os"
	"runtime/debug"
	"testing"

	"dogear/core/layer"
	"dogear/core/proof"
	"dogear/demo"
)

// Tests throw away hundreds of files of some MB: what collects them begins later than it would, and
// a tenth of the time is saved.
func init() { debug.SetGCPercent(400) }

// Sweep reports whether all is to be tried and not a sample of it (make sweep).
func Sweep() bool { return os.Getenv("DOGEAR_SWEEP") != "" }

// Sampled reports whether a test that would take minutes over everything in every dialect takes
// this pair: one of six does, others with another DOGEAR_SEED; one of forty with -short. A
// sweep takes them all.
func Sampled(what string, d demo.Dialect) bool {
	h := fnv.New32a()
	_, _ = io.WriteString(h, what+"/"+d.Name+"/"+os.Getenv("DOGEAR_SEED"))
	if testing.Short() {
		return h.Sum32()%40 == 0
	}
	return Sweep() || h.Sum32()%6 == 0
}

// Least is how many of something a sample must have shown at least: of a sweep more, with -short
// hardly any.
func Least(usual int) int {
	switch {
	case testing.Short():
		return min(usual, 1)
	case Sweep():
		return 4 * usual
	}
	return usual
}

// Rounds is how often something is tried at random: with -short a tenth of it.
func Rounds(usual int) int {
	if testing.Short() {
		return max(usual/10, 1)
	}
	return usual
}

// Named are the dialects of these names, with -short the first of them.
func Named(names ...string) []demo.Dialect {
	if testing.Short() {
		names = names[:1]
	}
	var out []demo.Dialect
	for _, n := range names {
		out = append(out, demo.DialectNamed(n))
	}
	return out
}

// Dialects are the plain one and those that are sampled.
func Dialects(what string) []demo.Dialect {
	var out []demo.Dialect
	for i, d := range demo.Dialects() {
		if i == 0 || Sampled(what, d) {
			out = append(out, d)
		}
	}
	return out
}

// Index reads a file as most printers do.
func Index(t testing.TB, file []byte) *layer.Index {
	t.Helper()
	ix, err := layer.Read(context.Background(), bytes.NewReader(file), layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return ix
}

// Prove examines an edited file beside its original.
func Prove(t testing.TB, file, edited []byte) *proof.Report {
	t.Helper()
	r, err := proof.Prove(context.Background(), bytes.NewReader(file), bytes.NewReader(edited),
		Index(t, file), Index(t, edited), nil)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Zip makes an archive of names and what stands under them.
func Zip(t testing.TB, files ...[2]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		w, err := z.Create(f[0])
		if err == nil {
			_, err = io.WriteString(w, f[1])
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}
