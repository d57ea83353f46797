package proof_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestCrowd lets more people prove more prints at once than answers are kept: each gets theirs.
func TestCrowd(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	var prints []int64
	for n := range 20 {
		id := c.Upload(append([]byte(fmt.Sprintf("; copy %d\n", n)), file...),
			fmt.Sprintf("wall%d.gcode", n))
		if code, body := c.Form(fmt.Sprintf("/prints/%d/ears", id), "where", "13", "kind",
			"colour"); code != 200 {
			t.Fatal(code, body)
		}
		prints = append(prints, id)
	}
	var wg sync.WaitGroup
	for _, id := range prints {
		one := *c
		wg.Go(func() {
			code, body := one.Do("GET", fmt.Sprintf("/prints/%d/write", id), nil, nil)
			if code != 200 || !strings.Contains(body, "; dogear ear ") {
				t.Errorf("print %d: %d, %d bytes", id, code, len(body))
			}
		})
	}
	wg.Wait()
}
