package arrive_test

import (
	"archive/zip"
	"bytes"
	"crypto/md5"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"io"
	"net/url"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/demo/demotest"
	"dogear/web/webtest"
)

// TestPackedPrint brings in an archive with two plates, chooses one, marks it, and gets the
// archive back with that plate changed.
func TestPackedPrint(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	wall := string(file)
	var picture bytes.Buffer
	if err := png.Encode(&picture, image.NewRGBA(image.Rect(0, 0, 700, 500))); err != nil {
		t.Fatal(err)
	}
	sum := md5.Sum(file)
	files := [][2]string{{"m/plate_1.png", picture.String()}, {"m/plate_1.gcode", wall},
		{"m/plate_1.gcode.md5", hex.EncodeToString(sum[:])}, {"m/plate_2.gcode", wall},
		{"notes.txt", "tide"}}
	data := demotest.Zip(t, files...)
	bring := func(plate string) (int, string) {
		h := map[string]string{"X-File-Name": "harbour.3mf", "Content-Type": "application/octet-stream",
			"Accept": "application/json"}
		if plate != "" {
			h["X-Plate"] = url.PathEscape(plate)
		}
		return c.Do("POST", "/prints", bytes.NewReader(data), h)
	}
	if code, text := bring(""); code != 300 || !strings.Contains(text, "m/plate_2.gcode") {
		t.Fatalf("%d %s", code, text)
	}
	if code, text := bring("m/plate_9.gcode"); code != 422 {
		t.Errorf("%d %s", code, text)
	}
	code, text := bring("m/plate_1.gcode")
	var made struct{ ID int64 }
	if err := json.Unmarshal([]byte(text), &made); err != nil || code != 201 {
		t.Fatalf("%d %s", code, text)
	}
	if why := c.Read(made.ID); why != "" {
		t.Fatal(why)
	}
	p := fmt.Sprint("/prints/", made.ID)
	shelf := c.Page(t, "/", "Harbour, plate 1", p+"/picture")
	if strings.Contains(shelf, "harbour.3mf.gcode") {
		t.Error("another name")
	}
	code, jpeg := c.Do("GET", p+"/picture", nil, nil)
	if m, kind, err := image.DecodeConfig(strings.NewReader(jpeg)); code != 200 || err != nil ||
		kind != "jpeg" || m.Width > 350 {
		t.Errorf("the picture: %d, %s %dx%d %v", code, kind, m.Width, m.Height, err)
	}
	if code, text = c.Form(p+"/ears", "before", "20", "kind", "stop"); code != 200 {
		t.Fatalf("%d %s", code, text)
	}
	code, out := c.Do("GET", p+"/write", nil, nil)
	z, err := zip.NewReader(strings.NewReader(out), int64(len(out)))
	if code != 200 || err != nil || len(z.File) != len(files) {
		t.Fatalf("%d %v %.80q", code, err, out)
	}
	plain := ""
	for i, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r)
		if err != nil || f.Name != files[i][0] {
			t.Fatal(f.Name, err)
		}
		switch sum := md5.Sum([]byte(plain)); f.Name {
		case "m/plate_1.gcode":
			if plain = string(data); !strings.Contains(plain, "; dogear ear") {
				t.Error("the plate is not marked")
			}
		case "m/plate_1.gcode.md5":
			if string(data) != hex.EncodeToString(sum[:]) {
				t.Error("the checksum does not hold")
			}
		default:
			if string(data) != files[i][1] {
				t.Errorf("%s has changed", f.Name)
			}
		}
	}
	packedElsewhere(t, c, made.ID, out)
}

// packedElsewhere goes the other ways that lead out of a packed print and into it: a file beside it
// is called G-code, its archive is proved by hand plate for plate, and an archive that Dogear has
// written is given back as one.
func packedElsewhere(t *testing.T, c *webtest.Client, id int64, written string) {
	t.Helper()
	p := fmt.Sprint("/prints/", id)
	if code, text := c.Form(p+"/pickup/choice", "layer", "30"); code != 200 {
		t.Fatal(code, text)
	}
	if code, _ := c.Do("GET", p+"/pickup/touch", nil, nil); code != 200 ||
		!strings.Contains(c.Named, `"harbour_touch-check-30.gcode"`) {
		t.Errorf("%d, the touch check is called %s", code, c.Named)
	}
	code, text := c.Do("POST", p+"/byhand", strings.NewReader(written), map[string]string{
		"X-File-Name": "harbour.3mf", "HX-Request": "true", "Content-Type": "application/octet-stream"})
	if code != 200 || !strings.Contains(text, "Same plastic") {
		t.Errorf("its archive, by hand: %d %.200s", code, text)
	}
	if code, text := c.Form(p + "/remove"); code != 200 { // so that it is not given its marks again
		t.Fatal(code, text)
	}
	code, text = c.Do("POST", "/prints", strings.NewReader(written), map[string]string{
		"X-File-Name": "harbour_stop-20.3mf", "X-Plate": url.PathEscape("m/plate_1.gcode"),
		"Content-Type": "application/octet-stream"})
	var marked struct{ ID int64 }
	if err := json.Unmarshal([]byte(text), &marked); err != nil || code != 201 {
		t.Fatal(code, text)
	}
	if why := c.Read(marked.ID); why != "" {
		t.Fatal(why)
	}
	if code, text := c.Form(fmt.Sprint("/prints/", marked.ID, "/takeout")); code != 200 {
		t.Fatal(code, text)
	}
	if why := c.Read(marked.ID + 1); why != "" {
		t.Fatal(why)
	}
	_, again := c.Do("GET", fmt.Sprint("/prints/", marked.ID+1, "/write"), nil, nil)
	z, err := zip.NewReader(strings.NewReader(again), int64(len(again)))
	if err != nil || len(z.File) != 5 {
		t.Errorf("what was taken out is an archive no more: %v, %.40q", err, again)
	}
}
