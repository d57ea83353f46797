package edit

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"
)

func TestWrite(t *testing.T) {
	src := strings.NewReader("one\ntwo\nthree")
	for _, c := range []struct {
		edits []Edit
		want  string
	}{
		{nil, "one\ntwo\nthree"},
		{[]Edit{{Offset: 4, Text: []byte("new\n")}}, "one\nnew\ntwo\nthree"},
		{[]Edit{{Offset: 4, Cut: 4}}, "one\nthree"},
		{[]Edit{{Offset: 0, Text: []byte("a")}, {Offset: 0, Text: []byte("b")},
			{Offset: 13, Text: []byte("!")}}, "abone\ntwo\nthree!"},
	} {
		t.Run(c.want, func(t *testing.T) {
			var b bytes.Buffer
			n, err := Write(&b, src, c.edits)
			if err != nil || b.String() != c.want || n != int64(b.Len()) {
				t.Errorf("%v: %q, %d, %v", c.edits, b.String(), n, err)
			}
		})
	}
	for _, bad := range [][]Edit{{{Offset: 14}}, {{Offset: 4, Cut: 5}, {Offset: 6}},
		{{Offset: 2}, {Offset: 1}}, {{Offset: 1, Cut: -1}}} {
		if _, err := Write(io.Discard, src, bad); !errors.Is(err, ErrOverlap) {
			t.Errorf("%v: %v", bad, err)
		}
	}
}

// FuzzWrite checks that no edits leave any bytes as they are, and that taking
// inserted text out gives the original back.
func FuzzWrite(f *testing.F) {
	f.Add([]byte("G1 X1\r\n\x00\xff"), uint16(3), []byte("M0\n"))
	f.Fuzz(func(t *testing.T, file []byte, at uint16, text []byte) {
		src := bytes.NewReader(file)
		var b bytes.Buffer
		if _, err := Write(&b, src, nil); err != nil || !bytes.Equal(b.Bytes(), file) {
			t.Fatal("no edits, other bytes", err)
		}
		off := int64(at) % int64(len(file)+1)
		edits := []Edit{{Offset: off, Text: text}}
		b.Reset()
		if _, err := Write(&b, src, edits); err != nil {
			t.Fatal(err)
		}
		out := b.Bytes()
		back := append(append([]byte{}, out[:off]...), out[off+int64(len(text)):]...)
		if !bytes.Equal(back, file) {
			t.Fatal("the original is not whole")
		}
		stream, err := io.ReadAll(NewReader(src, edits))
		if err != nil || !bytes.Equal(stream, out) {
			t.Fatal("the stream differs from what is written", err)
		}
	})
}

func ExampleWrite() {
	file := strings.NewReader("G1 X1\nG1 X2\n")
	n, err := Write(os.Stdout, file, []Edit{{Offset: 6, Text: []byte("M0\n")}})
	fmt.Println(n, err)
	// Output:
	// G1 X1
	// M0
	// G1 X2
	// 15 <nil>
}
