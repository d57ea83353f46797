package archive

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"strings"
	"testing"
)

func zipped(t *testing.T, names ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, n := range names {
		w, err := z.Create(n)
		if err != nil {
			t.Fatal(err)
		}
		if !strings.HasSuffix(n, "/") {
			if _, err := w.Write([]byte("G1 X1\n")); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func gzipped(t *testing.T, data []byte) []byte {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if _, err := z.Write(data); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestCopy(t *testing.T) {
	plain := []byte("G1 X1\n")
	gz := gzipped(t, plain)
	bomb := gzipped(t, make([]byte, 64<<20))
	for _, c := range []struct {
		name, file string
		data       []byte
		lim        Limits
		want       string
		err        error
	}{
		{"plain", "buoy.gcode", plain, Limits{}, "buoy.gcode", nil},
		{"gzip", "buoy.gcode.gz", gz, Limits{}, "buoy.gcode", nil},
		{"zip", "x.zip", zipped(t, "parts/", "parts/buoy.gcode"), Limits{}, "buoy.gcode", nil},
		{"gzip filled up with zeros", "buoy.gcode.gz", append(bytes.Clone(gz), make([]byte, 700)...),
			Limits{}, "buoy.gcode", nil},
		{"gzip with rubbish behind", "buoy.gcode.gz", append(bytes.Clone(gz), 0, 0, 7), Limits{}, "",
			ErrBroken},
		{"notes beside", "x.zip", zipped(t, "buoy.gcode", "__MACOSX/._buoy.gcode", ".DS_Store"), Limits{},
			"buoy.gcode", nil},
		{"dots in a word", "x.zip", zipped(t, "buoy..final.gcode"), Limits{}, "buoy..final.gcode", nil},
		{"a colon", "x.zip", zipped(t, "quay 10:30.gcode"), Limits{}, "quay 1030.gcode", nil},
		{"a drive", "x.zip", zipped(t, "c:/buoy.gcode"), Limits{}, "", ErrPath},
		{"climbing", "x.zip", zipped(t, "a/../../buoy.gcode"), Limits{}, "", ErrPath},
		{"empty zip", "x.zip", zipped(t), Limits{}, "", ErrNone},
		{"two files", "x.zip", zipped(t, "a.gcode", "b.gcode"), Limits{}, "", ErrSeveral},
		{"pictures beside", "x.3mf", zipped(t, "a.png", "plate_1.gcode", "b.xml"), Limits{},
			"plate_1.gcode", nil},
		{"a project", "x.3mf", zipped(t, "a.png", "b.xml"), Limits{}, "", ErrNoPlate},
		{"one under another name", "x.zip", zipped(t, "a.txt"), Limits{}, "a.txt", nil},
		{"twice one name", "x.zip", zipped(t, "a.gcode", "a.gcode"), Limits{}, "", ErrBroken},
		{"climbing", "x.zip", zipped(t, "../a.gcode"), Limits{}, "", ErrPath},
		{"absolute", "x.zip", zipped(t, "/etc/a.gcode"), Limits{}, "", ErrPath},
		{"drive", "x.zip", zipped(t, `c:\a.gcode`), Limits{}, "", ErrPath},
		{"cut gzip", "x.gz", gz[:len(gz)-6], Limits{}, "", ErrBroken},
		{"cut zip", "x.zip", zipped(t, "a.gcode")[:40], Limits{}, "", ErrBroken},
		{"bomb", "x.gz", bomb, Limits{}, "", ErrBomb},
		{"too big", "x.gcode", make([]byte, 2000), Limits{Size: 1000}, "", ErrTooBig},
		{"too big inside", "x.gz", gzipped(t, make([]byte, 2000)), Limits{Size: 1000}, "", ErrTooBig},
	} {
		t.Run(c.name, func(t *testing.T) {
			var out bytes.Buffer
			name, n, err := Copy(&out, bytes.NewReader(c.data), c.file, bytes.NewReader(c.data), c.lim)
			if !errors.Is(err, c.err) || err == nil && (name != c.want || n != int64(out.Len()) ||
				out.String() != string(plain)) {
				t.Errorf("%q, %d bytes, %v; want %q, %v", name, n, err, c.want, c.err)
			}
		})
	}
}

// TestMembers reads a .gz of two members, one behind the other, as one file.
func TestMembers(t *testing.T) {
	gz := gzipped(t, []byte("G1 X1\n"))
	for _, between := range []int{0, 300} {
		data := append(append(bytes.Clone(gz), make([]byte, between)...), gz...)
		var out bytes.Buffer
		if _, _, err := Copy(&out, bytes.NewReader(data), "quay.gz", nil, Limits{}); err != nil ||
			out.String() != "G1 X1\nG1 X1\n" {
			t.Errorf("%d zeros between: %q, %v", between, out.String(), err)
		}
	}
}

func TestClean(t *testing.T) {
	for in, want := range map[string]string{
		"../../etc/passwd": "passwd", `C:\prints\buoy.gcode`: "buoy.gcode",
		"a\x00b\n<c>.gcode": "abc.gcode",
		"":                  "print.gcode", "...": "print.gcode",
		"Kaimauer Süd.gcode":                "Kaimauer Süd.gcode",
		strings.Repeat("ä", 200) + ".gcode": strings.Repeat("ä", 57) + ".gcode",
	} {
		if got := Clean(in); got != want {
			t.Errorf("Clean(%q) = %q, want %q", in, got, want)
		}
	}
}

// FuzzCopy opens any bytes whatever: it never fails otherwise than with one of the
// reasons, and never gives more than the limit allows, under a name that is none of a path.
func FuzzCopy(f *testing.F) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, _ = z.Write([]byte("G1 X1\n"))
	_ = z.Close()
	f.Add(b.Bytes(), "buoy.gcode.gz")
	f.Add(append(bytes.Clone(b.Bytes()), 0, 0), "a/../b.gz")
	f.Add([]byte("G1 X1\n"), "quay.gcode")
	b.Reset()
	p := zip.NewWriter(&b)
	w, _ := p.Create("__MACOSX/._buoy.gcode")
	_, _ = w.Write([]byte("x"))
	w, _ = p.Create("parts/buoy..1.gcode")
	_, _ = w.Write([]byte("G1 X1\n"))
	_ = p.Close()
	f.Add(b.Bytes(), "x.zip")
	reasons := []error{ErrNone, ErrSeveral, ErrNoPlate, ErrMethod, ErrCrowded, ErrPath,
		ErrBroken, ErrTooBig,
		ErrBomb, ErrLocked}
	f.Fuzz(func(t *testing.T, data []byte, name string) {
		const most = 1 << 20
		var out bytes.Buffer
		got, n, err := Copy(&out, bytes.NewReader(data), name, bytes.NewReader(data), Limits{Size: most})
		if err != nil {
			for _, r := range reasons {
				if errors.Is(err, r) {
					return
				}
			}
			t.Fatal(err)
		}
		if n != int64(out.Len()) || n > most {
			t.Fatalf("%d bytes, %d written", n, out.Len())
		}
		if got == "" || len(got) > 120 || strings.ContainsAny(got, "/\\\x00:") || got == ".." {
			t.Fatalf("the name %q", got)
		}
	})
}
