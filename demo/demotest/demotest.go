// Package demotest has what the tests of several packages do with a sliced file.
package demotest

import (
	"bytes"
	"context"
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
