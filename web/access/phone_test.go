package access_test

import (
	"image"
	"image/color"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"

	"dogear/demo"
	"dogear/web/access"
	"dogear/web/webtest"
)

// gauges brings two prints in, 1 and 2.
func gauges(c *webtest.Client) {
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	c.Upload(file, "gauge.gcode")
	c.Upload(append(file, "; another one\n"...), "another-gauge.gcode")
}

// TestPhone reads the code that is drawn for a phone's camera, as a camera would; what it leads to
// lets that phone in to one print, once.
func TestPhone(t *testing.T) {
	c, _ := webtest.Clocked(t)
	gauges(c)
	if _, text := c.Form("/prints/1/phone"); !strings.Contains(text, "serve --host") {
		t.Errorf("nobody reaches it: %s", text)
	}
	c.S.ReachedAt("https://192.0.2.7:8080")
	_, text := c.Form("/prints/1/phone")
	link := regexp.MustCompile(`https://192\.0\.2\.7:8080/in/[\w-]+`).FindString(text)
	side := regexp.MustCompile(`viewBox="0 0 (\d+) `).FindStringSubmatch(text)
	path := regexp.MustCompile(`<path d="([^"]+)"`).FindStringSubmatch(text)
	if link == "" || side == nil || path == nil {
		t.Fatal(text)
	}
	if got := readCode(t, side[1], path[1]); got != link {
		t.Errorf("the camera reads %q, the link is %q", got, link)
	}
	u, err := url.Parse(link)
	if err != nil {
		t.Fatal(err)
	}
	c.Page(t, u.Path, "Open the watch")
	c.Page(t, u.Path, "Open the watch") // looking at it uses nothing up
	if code, text := c.Form(u.Path); code != 200 {
		t.Errorf("%d %s", code, text)
	}
	if code, _ := c.Form(u.Path); code != 410 {
		t.Errorf("it lets in a second time: %d", code)
	}
	if code, _ := c.Form("/in/made-up"); code != 410 {
		t.Errorf("a link that was never made: %d", code)
	}
}

// readCode draws a path of squares as a picture and reads the code in it.
func readCode(t *testing.T, side, path string) string {
	t.Helper()
	const dots = 6
	n, err := strconv.Atoi(side)
	if err != nil {
		t.Fatal(err)
	}
	m := image.NewGray(image.Rect(0, 0, n*dots, n*dots))
	for i := range m.Pix {
		m.Pix[i] = 255
	}
	for _, s := range regexp.MustCompile(`M(\d+) (\d+)h(\d+)v1`).FindAllStringSubmatch(path, -1) {
		var v [3]int
		for k := range v {
			v[k], _ = strconv.Atoi(s[k+1])
		}
		for y := v[1] * dots; y < (v[1]+1)*dots; y++ {
			for x := v[0] * dots; x < (v[0]+v[2])*dots; x++ {
				m.SetGray(x, y, color.Gray{})
			}
		}
	}
	b, err := gozxing.NewBinaryBitmapFromImage(m)
	if err != nil {
		t.Fatal(err)
	}
	r, err := qrcode.NewQRCodeReader().Decode(b, nil)
	if err != nil {
		t.Fatal(err)
	}
	return r.GetText()
}

// TestPhoneSeesOne lets a phone in to one print of a Dogear that asks for a passphrase: the rest of
// the shelf stays shut.
func TestPhoneSeesOne(t *testing.T) {
	c, _ := webtest.Clocked(t)
	gauges(c)
	hash, err := access.HashPassphrase("low water at noon")
	if err != nil {
		t.Fatal(err)
	}
	c.S.ReachedAt("http://192.0.2.7:8080")
	_, text := c.Form("/prints/1/phone")
	link := regexp.MustCompile(`/in/[\w-]+`).FindString(text)
	c.S.Passphrase = hash
	if code, _ := c.Do("GET", "/prints/1/watch", nil, nil); code != 401 {
		t.Fatal(code)
	}
	if code, text := c.Form(link); code != 200 {
		t.Fatal(code, text)
	}
	for path, want := range map[string]int{"/prints/1/watch": 200, "/prints/1/watch/now": 200,
		"/": 403, "/prints/1": 403, "/prints/10/watch": 403, "/prints/2/watch": 403, "/kit": 403,
		"/watch": 403, "/prints/1/write": 403, "/assets/app.css": 200} {
		if code, _ := c.Do("GET", path, nil, nil); code != want {
			t.Errorf("%s: %d, want %d", path, code, want)
		}
	}
	if code, text := c.Form("/prints/1/watch/start"); code != 200 {
		t.Error(code, text)
	}
	for _, path := range []string{"/prints/1/remove", "/prints/1/phone", "/prints/2/watch/start"} {
		if code, _ := c.Form(path); code != 403 {
			t.Errorf("%s: %d", path, code)
		}
	}
}
