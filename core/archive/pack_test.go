package archive

import (
	"archive/zip"
	"bytes"
	"crypto/md5"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// part is an entry of an archive that a test makes.
type part struct {
	name   string
	data   string
	method uint16
}

func md5of(s string) string    { h := md5.Sum([]byte(s)); return hex.EncodeToString(h[:]) }
func sha256of(s string) string { h := sha256.Sum256([]byte(s)); return hex.EncodeToString(h[:]) }

// packOf makes an archive; with known sizes stand in front of what is packed.
func packOf(t *testing.T, known bool, parts ...part) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	if err := z.SetComment("tide table"); err != nil {
		t.Fatal(err)
	}
	for _, p := range parts {
		h := &zip.FileHeader{Name: p.name, Method: p.method, Comment: "of " + p.name,
			Modified: time.Date(2026, 11, 1, 6, 30, 0, 0, time.UTC)}
		h.SetMode(0o640)
		var w io.Writer
		var err error
		if known && p.method == zip.Store {
			h.CRC32 = crcOf(p.data)
			h.UncompressedSize64, h.CompressedSize64 = uint64(len(p.data)), uint64(len(p.data))
			w, err = z.CreateRaw(h)
		} else {
			w, err = z.CreateHeader(h)
		}
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.WriteString(w, p.data); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func crcOf(s string) uint32 {
	h, _ := packed(&zip.File{}, func(w io.Writer) error {
		_, err := io.WriteString(w, s)
		return err
	}, io.Discard, nil)
	return h.CRC32
}

// rawOf is an entry as it is packed.
func rawOf(t *testing.T, f *zip.File) []byte {
	t.Helper()
	r, err := f.OpenRaw()
	if err != nil {
		t.Fatal(err)
	}
	data, err := io.ReadAll(r)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

func textOf(t *testing.T, f *zip.File) string {
	t.Helper()
	r, err := f.Open()
	if err != nil {
		t.Fatal(err)
	}
	data, err := io.ReadAll(r)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

const was, now = "G1 X1 E1\n", "M117 tide\nG1 X1 E1\n"

// layouts are archives as they come: one plate or several, pictures, settings, checksums.
func layouts(t *testing.T) map[string][]byte {
	return map[string][]byte{
		"one plate": packOf(t, false, part{"thumb.png", "p", zip.Deflate},
			part{"print.gcode", was, zip.Deflate}, part{"print.gcode.md5", md5of(was), zip.Store}),
		"folders": packOf(t, true, part{"[types].xml", "<t/>", zip.Deflate}, part{"Metadata/", "", 0},
			part{"Metadata/plate_1.png", "one", zip.Store}, part{"Metadata/plate_2.png", "two", zip.Store},
			part{"Metadata/plate_1.gcode", was, zip.Store},
			part{"Metadata/plate_1.gcode.md5", strings.ToUpper(md5of(was)) + "\r\n", zip.Deflate},
			part{"Metadata/plate_2.gcode", "G1 X2 E1\n", zip.Deflate},
			part{"Metadata/plate_2.gcode.md5", md5of("G1 X2 E1\n"), zip.Deflate}),
		"checksum in front": packOf(t, false,
			part{"a/plate.gcode.sha256", sha256of(was) + "  plate.gcode\n", zip.Deflate},
			part{"a/plate.gcode", was, zip.Store},
			part{"a/plate.gcode.md5", md5of("another"), zip.Deflate}, part{"notes.txt", "n", zip.Store}),
	}
}

// TestPackWrite changes the G-code of one plate: all else stays byte for byte, in its order, and
// a checksum that held holds again; one that did not is left as it was.
func TestPackWrite(t *testing.T) {
	for name, data := range layouts(t) {
		p, err := OpenPack(bytes.NewReader(data))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		plate := &p.Plates[0]
		scratch, err := os.Create(filepath.Join(t.TempDir(), "scratch"))
		if err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		err = p.Write(&out, plate, func(w io.Writer) error {
			_, err := io.WriteString(w, now)
			return err
		}, scratch)
		scratch.Close()
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		q, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
		if err != nil || q.Comment != "tide table" || len(q.File) != len(p.z.File) {
			t.Fatalf("%s: %v, %d entries", name, err, len(q.File))
		}
		for i, f := range q.File {
			o := p.z.File[i]
			if f.Name != o.Name || f.Method != o.Method || f.Comment != o.Comment ||
				f.Mode() != o.Mode() || !f.Modified.Equal(o.Modified) {
				t.Errorf("%s: %+v was %+v", name, f.FileHeader, o.FileHeader)
			}
			want, checked := now, true
			switch {
			case f.Name == plate.Name:
			case strings.HasPrefix(f.Name, plate.Name) && strings.HasSuffix(f.Name, ".md5") &&
				textOf(t, o) != md5of("another"):
				want = strings.Replace(textOf(t, o), md5of(was), md5of(now), 1)
				want = strings.Replace(want, strings.ToUpper(md5of(was)), strings.ToUpper(md5of(now)), 1)
			case strings.HasPrefix(f.Name, plate.Name) && strings.HasSuffix(f.Name, ".sha256"):
				want = sha256of(now) + "  plate.gcode\n"
			default:
				want, checked = textOf(t, o), false
				if !bytes.Equal(rawOf(t, f), rawOf(t, o)) {
					t.Errorf("%s: %s is packed otherwise", name, f.Name)
				}
			}
			if got := textOf(t, f); got != want {
				t.Errorf("%s: %s holds %q, want %q", name, f.Name, got, want)
			}
			if checked && f.Name == plate.Name && f.Flags&8 != 0 {
				t.Errorf("%s: the sizes of %s stand behind it", name, f.Name)
			}
		}
	}
}

// TestPlates chooses by name, by the last part of it, and by number.
func TestPlates(t *testing.T) {
	p, err := OpenPack(bytes.NewReader(layouts(t)["folders"]))
	if err != nil || len(p.Plates) != 2 || p.Others != 5 || p.Alone() {
		t.Fatalf("%+v %v", p, err)
	}
	for which, want := range map[string]string{"2": "Metadata/plate_2.gcode",
		"plate_2.gcode": "Metadata/plate_2.gcode", "Metadata/plate_1.gcode": "Metadata/plate_1.gcode"} {
		if got, err := p.Plate(which); err != nil || got.Name != want {
			t.Errorf("%s: %v %v", which, got, err)
		}
	}
	if _, err := p.Plate(""); !errors.Is(err, ErrSeveral) ||
		!strings.Contains(err.Error(), "Metadata/plate_2.gcode") {
		t.Error(err)
	}
	for _, which := range []string{"3", "0", "plate_9.gcode"} {
		if _, err := p.Plate(which); err == nil {
			t.Errorf("there is a plate %s", which)
		}
	}
	for i := range p.Plates {
		if got := p.Picture(&p.Plates[i]); string(got) != []string{"one", "two"}[i] {
			t.Errorf("the picture of plate %d is %q", i+1, got)
		}
	}
}

// TestCrowded refuses an archive of very many files before they are listed.
func TestCrowded(t *testing.T) {
	var parts []part
	for k := range 40_000 {
		parts = append(parts, part{fmt.Sprint("tide-table/", k), "", zip.Store})
	}
	data := packOf(t, false, append(parts, part{"a.gcode", was, zip.Deflate})...)
	if _, err := OpenPack(bytes.NewReader(data)); !errors.Is(err, ErrCrowded) {
		t.Error(err)
	}
}

// FuzzPack writes archives with other G-code: what comes out opens, and holds that.
func FuzzPack(f *testing.F) {
	f.Add([]byte("PK\x05\x06"), "G1 X1\n")
	f.Fuzz(func(t *testing.T, data []byte, text string) {
		p, err := OpenPack(bytes.NewReader(data))
		if err != nil {
			return
		}
		plate := &p.Plates[len(p.Plates)-1]
		var scratch memory
		var out bytes.Buffer
		if err := p.Write(&out, plate, func(w io.Writer) error {
			_, err := io.WriteString(w, text)
			return err
		}, &scratch); err != nil {
			return
		}
		q, err := OpenPack(bytes.NewReader(out.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		again, err := q.Plate(plate.Name)
		if err != nil {
			t.Fatal(err)
		}
		var got bytes.Buffer
		if _, err := q.Extract(&got, again, Limits{}); err != nil || got.String() != text {
			t.Fatalf("%q %v, want %q", got.String(), err, text)
		}
	})
}

// memory is a scratch file in memory.
type memory struct {
	data []byte
	at   int
}

func (m *memory) Write(p []byte) (int, error) {
	m.data = append(m.data, p...)
	return len(p), nil
}

func (m *memory) Read(p []byte) (int, error) {
	if m.at == len(m.data) {
		return 0, io.EOF
	}
	n := copy(p, m.data[m.at:])
	m.at += n
	return n, nil
}

func (m *memory) Seek(to int64, whence int) (int64, error) {
	if whence != io.SeekStart {
		return 0, fmt.Errorf("seek from %d", whence)
	}
	m.at = int(to)
	return to, nil
}
