package arrive_test

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/web/webtest"
)

func TestUploads(t *testing.T) {
	c := webtest.New(t, archive.Limits{Size: 4 << 20})
	for _, b := range []struct {
		name string
		data []byte
		want string
	}{
		{"nothing.gcode", nil, "nothing in this file"},
		{"big.gcode", bytes.Repeat([]byte("G1 X1\n"), 1<<20), "larger than the limit"},
		{"picture.gcode", []byte("\x89PNG\r\n\x1a\n"), "picture"},
		{"two.zip", webtest.ZipOf(t, "a.gcode", "b.gcode"), "several plates"},
		{"climbs.zip", webtest.ZipOf(t, "../a.gcode"), "outside of itself"},
		{"still.gcode", []byte("G28\n"), "never moves"},
		{"wide.gcode", []byte("\xff\xfeG\x001\x00"), "UTF-16"},
	} {
		t.Run(b.name, func(t *testing.T) {
			if _, refused := c.Bring(b.name, b.data); !strings.Contains(refused, b.want) {
				t.Errorf("%s: %q, want something with %q", b.name, refused, b.want)
			}
		})
	}
	if list, _ := c.St.Prints(context.Background()); len(list) != 0 {
		t.Errorf("%d refused prints are kept", len(list))
	}
	id, refused := c.Bring("one.zip", webtest.ZipOf(t, "deep/harbour_wall-coarse.gcode"))
	if refused != "" {
		t.Fatal(refused)
	}
	p, err := c.St.Print(context.Background(), id)
	if err != nil || p.Name != "harbour_wall-coarse.gcode" || p.Title != "Harbour wall coarse" {
		t.Errorf("%+v %v", p, err)
	}
}

// TestCancel breaks off the reading of a large file; nothing of it stays.
func TestCancel(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	var b bytes.Buffer
	b.WriteString("M83\n")
	for n := range 6000 {
		fmt.Fprintf(&b, "G1 Z%.2f F600\n", float64(n+1)*0.2)
		for k := range 200 {
			fmt.Fprintf(&b, "G1 X%d Y%d E.1\n", k%2*50, k)
		}
	}
	code, body := c.Do("POST", "/prints", &b, map[string]string{"X-File-Name": "tall.gcode",
		"Content-Type": "application/octet-stream"})
	if code != 201 {
		t.Fatal(code, body)
	}
	if code, body := c.Do("POST", "/prints/1/cancel", nil, nil); code != 204 {
		t.Fatal(code, body)
	}
	for range 200 {
		_, body = c.Do("GET", "/prints/1/reading", nil, nil)
		if strings.Contains(body, "refused") {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if !strings.Contains(body, "cancelled") {
		t.Error(body)
	}
	if list, _ := c.St.Prints(context.Background()); len(list) != 0 {
		t.Errorf("%d prints are kept", len(list))
	}
}
