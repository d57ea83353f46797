package main

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/md5"
	"encoding/hex"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dogear/core/layer"
	"dogear/demo"
	"dogear/demo/demotest"
)

// packs writes the harbour wall as it comes packed: one plate with pictures, two plates in
// folders, and alone in an archive and in a .gz.
func packs(t *testing.T) (dir string, wall []byte) {
	t.Helper()
	dir = t.TempDir()
	wall, _ = demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	sum := md5.Sum(wall)
	for name, files := range map[string][][2]string{
		"one.3mf": {{"settings.xml", "<tide/>"}, {"Metadata/plate_1.png", "picture"},
			{"Metadata/plate_1.gcode", string(wall)},
			{"Metadata/plate_1.gcode.md5", hex.EncodeToString(sum[:])}},
		"two.zip":   {{"a.gcode", string(wall)}, {"b.gcode", "G28\n"}, {"readme.txt", "two plates"}},
		"alone.zip": {{"wall.gcode", string(wall)}},
	} {
		write1(t, filepath.Join(dir, name), demotest.Zip(t, files...))
	}
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if _, err := z.Write(wall); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	write1(t, filepath.Join(dir, "wall.gcode.gz"), b.Bytes())
	write1(t, filepath.Join(dir, "wall.gcode"), wall)
	write1(t, filepath.Join(dir, "p.json"), []byte(`{"format":"dogear-plan/1","ears":[`+
		`{"id":"a1","before_layer":20,"kind":"own lines","lines":["M117 high water"]}]}`))
	return dir, wall
}

func write1(t *testing.T, name string, data []byte) {
	t.Helper()
	if err := os.WriteFile(name, data, 0o600); err != nil {
		t.Fatal(err)
	}
}

func read1(t *testing.T, name string) []byte {
	t.Helper()
	data, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// inside returns what is in an archive, by name, and the names in their order.
func inside(t *testing.T, name string) (map[string]string, string) {
	t.Helper()
	z, err := zip.OpenReader(name)
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	out, names := map[string]string{}, ""
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		out[f.Name] = string(data)
		names += f.Name + " "
	}
	return out, names
}

// TestPacked edits packed prints: what is written is the same archive, with the one plate as a
// plain file would be written.
func TestPacked(t *testing.T) {
	dir, _ := packs(t)
	at := func(name string) string { return filepath.Join(dir, name) }
	plan := at("p.json")
	dogear := func(want int, args ...string) {
		t.Helper()
		if got := run(args); got != want {
			t.Fatalf("%v ends with %d", args, got)
		}
	}
	dogear(0, "apply", at("wall.gcode"), "--plan", plan, "-o", at("want.gcode"))
	want := string(read1(t, at("want.gcode")))
	dogear(0, "pickup", at("wall.gcode"), "--layer", "30", "-o", at("picked.gcode"))
	for _, c := range []struct {
		file, out, plate, entry string
		args                    []string
		want                    string
	}{
		{"one.3mf", "1.3mf", "", "Metadata/plate_1.gcode", []string{"apply", "--plan", plan}, want},
		{"one.3mf", "1.gcode", "", "Metadata/plate_1.gcode", []string{"apply", "--plan", plan}, want},
		{"two.zip", "2.zip", "1", "a.gcode", []string{"apply", "--plan", plan}, want},
		{"two.zip", "3.zip", "a.gcode", "a.gcode", []string{"pickup", "--layer", "30"},
			string(read1(t, at("picked.gcode")))},
		{"alone.zip", "4.zip", "", "wall.gcode", []string{"apply", "--plan", plan}, want},
	} {
		t.Run(c.file, func(t *testing.T) {
			args := append([]string{c.args[0], at(c.file)}, c.args[1:]...)
			args = append(args, "-o", at(c.out))
			if c.plate != "" {
				dogear(1, args...) // which of the two nobody has said
				args = append(args, "--plate", c.plate)
			}
			dogear(0, args...)
			was, names := inside(t, at(c.file))
			is, now := inside(t, at(c.out))
			if names != now {
				t.Errorf("%s: %s were %s", c.out, now, names)
			}
			for name, text := range is {
				sum := md5.Sum([]byte(c.want))
				switch {
				case name == c.entry && text != c.want:
					t.Errorf("%s: %s is not what a plain file would be", c.out, name)
				case name == c.entry+".md5" && text != hex.EncodeToString(sum[:]):
					t.Errorf("%s: the checksum does not hold", c.out)
				case !strings.HasPrefix(name, c.entry) && text != was[name]:
					t.Errorf("%s: %s has changed", c.out, name)
				}
			}
		})
	}
	dogear(0, "apply", at("alone.zip"), "--plan", plan, "-o", at("5.gcode"))
	if string(read1(t, at("5.gcode"))) != want {
		t.Error("an archive with one file gives the file")
	}
	dogear(1, "layers", at("two.zip"), "--plate", "3")
	dogear(1, "layers", at("wall.gcode"), "--plate", "1")
}

// TestPackedInPlace edits packed files where they lie: once and twice are the same, and
// FILE.orig holds the bytes that the slicer wrote.
func TestPackedInPlace(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	dir, wall := packs(t)
	for _, name := range []string{"one.3mf", "alone.zip", "wall.gcode.gz", "wall.gcode"} {
		file := filepath.Join(dir, name)
		was := read1(t, file)
		args := []string{"apply", file, "--plan", filepath.Join(dir, "p.json"), "--in-place"}
		if run(args) != 0 {
			t.Fatal(name)
		}
		once := read1(t, file)
		if run(args) != 0 || !bytes.Equal(once, read1(t, file)) {
			t.Errorf("%s: a second time is another", name)
		}
		if bytes.Equal(once, was) || !bytes.Equal(read1(t, file+origSuffix), was) {
			t.Errorf("%s: what it was does not lie beside it", name)
		}
		if err := os.Remove(file + origSuffix); err != nil {
			t.Fatal(err)
		}
		other := filepath.Join(dir, "q.json")
		write1(t, other, bytes.Replace(read1(t, args[3]), []byte("20"), []byte("21"), 1))
		args[3] = other
		if run(args) != 0 { // what it was is taken out of the file again
			t.Fatal(name)
		}
		d, err := (plated{}).open(file+origSuffix, layer.Options{})
		if err != nil {
			t.Fatal(err)
		}
		got, err := io.ReadAll(io.NewSectionReader(d.src, 0, d.src.Size()))
		d.close()
		if err != nil || !bytes.Equal(got, wall) {
			t.Errorf("%s: %d bytes beside it, want %d: %v", name, len(got), len(wall), err)
		}
	}
}
