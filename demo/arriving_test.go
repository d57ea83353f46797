package demo_test

import (
	"bytes"
	"context"
	"errors"
	"math/rand/v2"
	"reflect"
	"testing"

	"dogear/core/layer"
)

// TestArriving reads files while they arrive in pieces of any size: the index is that of
// the whole file.
func TestArriving(t *testing.T) {
	everySliced(t, func(t *testing.T, s *sliced) {
		rnd := rand.New(rand.NewPCG(14, uint64(len(s.file))))
		a := layer.NewArriving(layer.Options{})
		for rest := s.file; len(rest) > 0; {
			n := min(len(rest), 1+rnd.IntN(1<<rnd.IntN(18)))
			if k, err := a.Write(rest[:n]); k != n || err != nil {
				t.Fatal(k, err)
			}
			rest = rest[n:]
		}
		got, err := a.Finish(context.Background(), bytes.NewReader(s.file))
		if err != nil {
			t.Fatal(err)
		}
		if !reflect.DeepEqual(got, s.ix) {
			t.Error("read while it arrived, it is another index")
		}
	})
}

// TestArrivingRefused says of a file that is none what reading it whole says.
func TestArrivingRefused(t *testing.T) {
	for _, text := range []string{"", "\x89PNG....", "a\rb\rc\rd\re\r", "; only words\n",
		"M117 hello\n"} {
		a := layer.NewArriving(layer.Options{})
		_, _ = a.Write([]byte(text))
		src := bytes.NewReader([]byte(text))
		_, err := a.Finish(context.Background(), src)
		_, want := layer.Read(context.Background(), src, layer.Options{})
		if want == nil || !errors.Is(err, want) {
			t.Errorf("%q: %v, want %v", text, err, want)
		}
	}
	a := layer.NewArriving(layer.Options{})
	_, _ = a.Write([]byte("G1 X1\n"))
	a.Abandon()
}
