package reading_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/web/webtest"
)

// TestReadAgain says of a printer how it counts filament: the print is read again behind
// the open bench, and is written as that printer takes it.
func TestReadAgain(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	id, refused := c.Bring("quay.gcode", openFile())
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	c.Page(t, p, "On my printer it counts in steps then", "does not say how the filament counts")
	c.Steps(t, []webtest.Step{
		{p + "/axis", []string{"how", "sideways"}, 422, "steps, or start"},
		{p + "/axis", []string{"how", "start"}, 200, "From the start it is"},
	})
	deadline := time.Now().Add(20 * time.Second)
	for {
		_, text := c.Do("GET", p, nil, nil)
		if strings.Contains(text, "as the printer&#39;s settings say") {
			break
		}
		if time.Now().After(deadline) {
			t.Fatal("it was not read again")
		}
		time.Sleep(20 * time.Millisecond)
	}
}
