package reading_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
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

// TestLookBreaksDown lets the look at one print break down: others are looked at all the
// same.
func TestLookBreaksDown(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.Bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p, err := c.St.Print(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	b, err := c.S.Books.Get(t.Context(), p)
	if err != nil {
		t.Fatal(err)
	}
	c.S.Jobs.LookAtNothing(p, b.Ix) // nothing to look with
	select {
	case c.S.Jobs.Behind() <- struct{}{}:
		<-c.S.Jobs.Behind()
	case <-time.After(5 * time.Second):
		t.Fatal("the turn is never given on")
	}
	for k := 0; ; k++ {
		if !c.S.Jobs.Looking(id) {
			break
		}
		if k > 300 {
			t.Fatal("it never ends")
		}
		time.Sleep(10 * time.Millisecond)
	}
	select {
	case c.S.Jobs.Behind() <- struct{}{}:
		<-c.S.Jobs.Behind()
	case <-time.After(5 * time.Second):
		t.Fatal("the turn is never given on")
	}
}

// TestLargePrints opens a print before its landmarks are found; they come later.
func TestLargePrints(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	c.S.Jobs.AtOnce = 0
	c.S.Jobs.Behind() <- struct{}{} // another print is being looked at
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.Bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	path := fmt.Sprintf("/prints/%d", id)
	if _, body := c.Do("GET", path, nil, nil); !strings.Contains(body, "Still looking for landmarks") {
		t.Error("the bench does not say that landmarks are missing")
	}
	before, err := c.S.VersionOf(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	<-c.S.Jobs.Behind()
	body := ""
	for range 200 {
		if _, body = c.Do("GET", path+"/book", nil, nil); strings.Contains(body, "10 islands go on") {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if !strings.Contains(body, "10 islands go on") {
		t.Error("the landmarks never come")
	}
	for _, at := range []string{path, path + "/finds"} {
		if _, body := c.Do("GET", at, nil, nil); strings.Contains(body, "Still looking for landmarks") ||
			!strings.Contains(body, "Worth a look") {
			t.Errorf("%s does not show them", at)
		}
	}
	if now, err := c.S.VersionOf(t.Context(), id); err != nil || now != before+" looked" {
		t.Errorf("an open bench is told %q, then %q (%v)", before, now, err)
	}
}

// TestTakenOffWhileRead takes a print off the shelf that is being read again, by a newer version
// say, as any other.
func TestTakenOffWhileRead(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id := c.Upload(file, "gauge.gcode")
	c.S.Jobs.Turn() <- struct{}{} // somebody else's turn
	c.SQL(`UPDATE prints SET state = 'reading' WHERE id = ?`, id)
	p, err := c.St.Print(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	over := c.S.Jobs.Start(p)
	if code, body := c.Form(fmt.Sprintf("/prints/%d/remove", id)); code != 200 {
		t.Error(code, body)
	}
	<-c.S.Jobs.Turn()
	<-over
	if _, err := c.St.TakenOffPrint(t.Context(), id); err != nil {
		t.Errorf("it does not lie with what was taken off: %v", err)
	}
}
