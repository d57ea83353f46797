package web

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
)

// steps in which the file never says how its filament counts.
func openFile() []byte {
	var b bytes.Buffer
	b.WriteString("M104 S210\nM109 S210\nG28\nG90\nG92 E0\nG0 X20 Y20\nG1 Z0.2\nG91\n")
	for n := range 12 {
		if n > 0 {
			b.WriteString("G1 Z0.2\n")
		}
		for _, to := range []string{"X20 Y0", "X0 Y20", "X-20 Y0", "X0 Y-20"} {
			fmt.Fprintf(&b, "G1 %s E%d F1800\n", to, 1)
		}
	}
	b.WriteString("G90\nM104 S0\nM84\n")
	return b.Bytes()
}

// TestReadAgain says of a printer how it counts filament: the print is read again behind
// the open bench, and is written as that printer takes it.
func TestReadAgain(t *testing.T) {
	c := newClient(t, archive.Limits{})
	id, refused := c.bring("quay.gcode", openFile())
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	c.page(t, p, "On my printer it counts in steps then", "does not say how the filament counts")
	c.steps(t, []step{
		{p + "/axis", []string{"how", "sideways"}, 422, "steps, or start"},
		{p + "/axis", []string{"how", "start"}, 200, "From the start it is"},
	})
	deadline := time.Now().Add(20 * time.Second)
	for {
		_, text := c.do("GET", p, nil, nil)
		if strings.Contains(text, "as the printer&#39;s settings say") {
			break
		}
		if time.Now().After(deadline) {
			t.Fatal("it was not read again")
		}
		time.Sleep(20 * time.Millisecond)
	}
}
