package web_test

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/web/site"
	"dogear/web/webtest"
)

func TestStrangersAreRefused(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file := []byte("M83\nG1 Z.2\nG1 X9 E1\nM104 S0\n")
	for name, h := range map[string]map[string]string{
		"other host":    {"Host": "evil.example:8080"},
		"other origin":  {"Origin": "http://evil.example"},
		"other site":    {"Sec-Fetch-Site": "cross-site"},
		"no token":      {site.CSRFHeader: ""},
		"wrong token":   {site.CSRFHeader: "guess"},
		"rebound name":  {"Host": "127.0.0.1.evil.example"},
		"opaque origin": {"Origin": "null"},
	} {
		if code, body := c.Do("POST", "/prints", bytes.NewReader(file), h); code < 400 {
			t.Errorf("%s: %d %s", name, code, body)
		}
	}
	if list, _ := c.St.Prints(context.Background()); len(list) != 0 {
		t.Errorf("%d prints were taken", len(list))
	}
	if code, _ := c.Do("GET", "/", nil,
		map[string]string{"Host": "evil.example"}); code != http.StatusMisdirectedRequest {
		t.Error(code)
	}
	for _, path := range []string{"/assets/../server.go", "/assets/%2e%2e/server.go", "/prints/x",
		"/prints/99", "/nowhere"} {
		if code, _ := c.Do("GET", path, nil, nil); code != 404 {
			t.Errorf("%s: %d", path, code)
		}
	}
}

// TestNothingBecomesHTML brings a file whose name and comments are markup.
func TestNothingBecomesHTML(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	evil := `<script>alert(1)</script>`
	file := "; " + evil + "\nM83\nG1 Z.2\nG1 X9 E1\n; " + evil + "\n" + "G1 Z.4\nG1 X0 E1\n" +
		"<img src=x>\nM104 S0\n"
	id, refused := c.Bring(evil+"\"'.gcode", []byte(file))
	if refused != "" {
		t.Fatal(refused)
	}
	path := fmt.Sprintf("/prints/%d", id)
	if code, body := c.Form(path+"/ears", "before", "2", "kind", "stop"); code != 200 {
		t.Fatal(code, body)
	}
	code, body := c.Form(path+"/ears/a1", "has_note", "1", "note", evil+"\nG28")
	if code != 200 || strings.Contains(body, "<script>alert") {
		t.Error(code, body)
	}
	for _, p := range []string{"/", path, path + "/proof"} {
		if _, body := c.Do("GET", p, nil, nil); strings.Contains(body, "<script>alert") ||
			strings.Contains(body, "<img src=x") {
			t.Errorf("%s lets markup of a file through", p)
		}
	}
	_, out := c.Do("GET", path+"/write", nil, nil)
	for l := range strings.Lines(out) {
		if strings.HasPrefix(l, "G28") {
			t.Error("a note became a line of its own")
		}
	}
}
