package pickup_test

import (
	"bytes"
	"image"
	"image/jpeg"
	"strings"
	"testing"

	"dogear/store"
	"dogear/web/pickup"
	"dogear/web/webtest"
)

// jpegOf is a picture of some size.
func jpegOf(t *testing.T, w, h int) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, w, h)), nil); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// TestPhoto lays a picture under a pick-up's page, pins it, and takes it away; what is no
// picture, or too large, is refused and changes nothing.
func TestPhoto(t *testing.T) {
	c, p := webtest.WallOnShelf(t)
	u := p + "/pickup"
	c.Steps(t, []webtest.Step{{u + "/evidence", []string{"kind", "touch", "value", "9"}, 200,
		"layer 30"}})
	put := func(data []byte, status int, want string) {
		t.Helper()
		code, body := c.Do("POST", u+"/photo", bytes.NewReader(data),
			map[string]string{"Content-Type": "image/jpeg"})
		if code != status || !strings.Contains(body, want) {
			t.Errorf("%d, want %d with %q in %.300s", code, status, want, body)
		}
	}
	whole := jpegOf(t, 40, 30)
	put([]byte("GIF89a"), 422, "no picture")
	put([]byte("<svg onload=alert(1)>"), 422, "no picture")
	put(whole[:40], 422, "no picture")
	put(jpegOf(t, pickup.MaxDots+1, 1), 422, "no picture")
	put(make([]byte, pickup.MaxPhoto+1), 413, "too large")
	c.Page(t, u, "Lay a picture of the part under the page")
	put(whole, 200, "Now pin it")
	c.Page(t, u, "Pin it again", "Take it away")
	code, got := c.Do("GET", p+"/photos/1", nil, nil)
	if code != 200 || got != string(whole) {
		t.Errorf("%d, %d bytes", code, len(got))
	}
	pins := []string{"px1", ".2", "py1", ".9", "x1", "80", "y1", "101",
		"px2", "1.7", "py2", "-1", "x2", "139", "y2", "118.9"}
	c.Steps(t, []webtest.Step{
		{u + "/photo/pin", pins[:14], 422, "place of the picture is missing"},
		{u + "/photo/pin", append(pins[:14:14], "y2", "NaN"), 422, "place of the picture is missing"},
		{u + "/photo/pin", []string{"px1", "0", "py1", "0", "x1", "1", "y1", "1", "px2", "0", "py2", "0",
			"x2", "2", "y2", "2"}, 422, "different ones"},
		{u + "/photo/pin", pins, 200,
			strings.ReplaceAll(`"pins":[[0.2,0.9],[1,0]],"at":[[80,101],[139,118.9]]`, `"`, "&#34;")},
		{u + "/photo/remove", nil, 200, "taken away"},
		{u + "/photo/pin", pins, 404, "no picture any more"},
		{u + "/undo", nil, 200, "Pin it again"},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
		{u + "/write", nil, 200, ""},
	})
	c.Page(t, p+"/pickups/1", "How it looked", p+"/photos/1")
	for _, no := range []string{p + "/photos/2", p + "/photos/x", "/prints/9/photos/1"} {
		if code, _ := c.Do("GET", no, nil, nil); code != 404 {
			t.Errorf("%s: %d", no, code)
		}
	}
	for range store.MaxPhotos - 1 {
		put(whole, 200, "Now pin it")
	}
	put(whole, 409, "20 pictures")
}
