package lines

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"dogear/demo"
	"dogear/demo/demotest"
	"dogear/web/book"
)

// TestSearch finds text, heights and layers, and says how far it has come when its time is over.
func TestSearch(t *testing.T) {
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	ix := demotest.Index(t, file)
	b := &book.Book{Src: bytes.NewReader(file), Ix: ix}
	text := strings.Split(string(file), "\n")
	of := func(q string, from int64) int64 {
		t.Helper()
		found, _, err := search(b, q, from, time.Now().Add(time.Minute))
		if err != nil {
			t.Fatal(err)
		}
		return found
	}
	hot := of("m109", 0) // in any case
	if hot == 0 || !strings.HasPrefix(text[hot-1], "M109") {
		t.Errorf("line %d", hot)
	}
	for _, n := range []int{1, 4, 9} {
		l := &ix.Layers[n-1]
		if got := of("layer", l.Fold-1); got != l.Fold {
			t.Errorf("layer %d is found at line %d, not %d", n, got, l.Fold)
		}
	}
	at := of("z 0.7 0.9", 0)
	if n := ix.At(at); n < 1 || ix.Layers[n-1].Z.Millimetres() < 0.7 {
		t.Errorf("between 0.7 and 0.9 mm: line %d of layer %d", at, n)
	}
	if of("zeppelin", 0) != 0 || of("layer", int64(len(text))) != 0 {
		t.Error("what is not there is found")
	}
	slow := append(bytes.Clone(file), bytes.Repeat([]byte("; low water\n"), 1<<15)...)
	ix = demotest.Index(t, slow)
	b = &book.Book{Src: bytes.NewReader(slow), Ix: ix}
	found, next, err := search(b, "zeppelin", 0, time.Now())
	if err != nil || found != 0 || next == 0 || next >= ix.Lines {
		t.Errorf("it goes on behind line %d (%v)", next, err)
	}
	if found, next, _ = search(b, "zeppelin", next, time.Now().Add(time.Minute)); found+next != 0 {
		t.Errorf("line %d, on behind %d", found, next)
	}
}
