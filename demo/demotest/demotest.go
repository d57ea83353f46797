// Package demotest has what the tests of several packages do with a sliced file.
package demotest

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"testing"

	"dogear/core/layer"
	"dogear/core/proof"
)

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
