package bench_test

import (
	"fmt"
	"regexp"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestOldNews sends no margin to a page that shows the marks as they are: news that is older than
// its last change must not take the report of that away.
func TestOldNews(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.Upload(file, "gauge.gcode"))
	version := func(body string) map[string]string {
		t.Helper()
		m := regexp.MustCompile(`data-version="([0-9a-f]+)"`).FindStringSubmatch(body)
		if m == nil {
			t.Fatal(body)
		}
		return map[string]string{"X-Version": m[1], "HX-Request": "true"}
	}
	_, body := c.Do("GET", p+"/margin", nil, nil)
	before := version(body)
	_, body = c.Form(p+"/ears", "before", "5", "kind", "stop")
	after := version(body)
	if code, body := c.Do("GET", p+"/margin", nil, after); code != 204 || body != "" {
		t.Errorf("%d %s", code, body)
	}
	if code, body := c.Do("GET", p+"/margin", nil, before); code != 200 ||
		version(body)["X-Version"] != after["X-Version"] {
		t.Errorf("%d %s", code, body)
	}
}
