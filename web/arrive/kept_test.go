package arrive

import (
	"archive/zip"
	"bytes"
	"image"
	"image/png"
	"strings"
	"testing"

	"dogear/store"
)

// TestSmall makes pictures small; what is none, or a trap, is none.
func TestSmall(t *testing.T) {
	var wide bytes.Buffer
	if err := png.Encode(&wide, image.NewGray(image.Rect(0, 0, 5000, 3))); err != nil {
		t.Fatal(err)
	}
	for _, data := range [][]byte{nil, []byte("no picture"), wide.Bytes()} {
		if small(data) != nil {
			t.Errorf("%d bytes are taken for a picture", len(data))
		}
	}
}

// TestMostBeside refuses an archive that holds too much beside its G-code to be kept with it.
func TestMostBeside(t *testing.T) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, size := range map[string]int{"a.gcode": 10, "model.bin": store.MaxShell + 1} {
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
		if err == nil {
			_, err = w.Write(make([]byte, size))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	p, plate, err := unpack(bytes.NewReader(b.Bytes()), "")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := keptOf(p, plate); err == nil || !strings.Contains(err.Error(), "64 MB") {
		t.Error(err)
	}
}
