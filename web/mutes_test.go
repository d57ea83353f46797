package web

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/apply"
	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/core/routine"
	"dogear/demo"
	"dogear/store"
)

func TestNames(t *testing.T) {
	for in, want := range map[string]string{
		"harbour_wall-coarse.gcode": "Harbour wall coarse", "BUOY.GCODE": "BUOY", "x.gcode.gz": "X",
		"noext": "Noext", ".gcode": ".gcode", "a.b.nc": "A.b",
	} {
		if got := titleOf(in); got != want {
			t.Errorf("titleOf(%q) = %q, want %q", in, got, want)
		}
	}
	b := &book{print: store.Print{Name: "lighthouse.gcode"}}
	m := &marked{plan: &plan.Plan{First: "red"}}
	tag := "_" + m.name()[:3]
	if other := (&marked{plan: &plan.Plan{First: "white"}}).name(); m.name() == other {
		t.Errorf("other marks have the same name, %s", other)
	}
	res := &apply.Result{}
	for want, layers := range map[string][]int{
		"lighthouse_unchanged.gcode": nil, "lighthouse_stop-38.gcode": {38},
		"lighthouse_stop-2-5-7-9.gcode":   {2, 5, 7, 9},
		"lighthouse_5-stops-from-2.gcode": {2, 5, 7, 9, 11},
	} {
		res.Blocks = nil
		for _, n := range layers {
			res.Blocks = append(res.Blocks, apply.Block{Fold: routine.Fold{Layer: n}})
		}
		if layers != nil {
			want = strings.Replace(want, ".gcode", tag+".gcode", 1)
		}
		if got := outName(b, m, res); got != want {
			t.Errorf("%v: %q, want %q", layers, got, want)
		}
	}
	if got := show([]byte("G1 X1\x00\xff\r\n")); got != "G1 X1··" {
		t.Errorf("%q", got)
	}
}

// TestMutesThroughTheWeb mutes a path, proves it, and brings it back.
func TestMutesThroughTheWeb(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	path := fmt.Sprintf("/prints/%d", id)
	at := fmt.Sprint(truth.Layers[14].First)
	for _, s := range []struct {
		path string
		kv   []string
		code int
		want string
	}{
		{"/mutes", []string{"from", at, "to", at}, 200, "Bring back"},
		{"/mutes", []string{"from", at, "to", at}, 409, "muted twice"},
		{"/mutes", []string{"from", "9", "to", "8"}, 422, "from which line"},
		{"/mutes", []string{"from", "1", "to", "99999999"}, 422, "from which line"},
	} {
		if code, body := c.form(path+s.path, s.kv...); code != s.code || !strings.Contains(body, s.want) {
			t.Errorf("%s %v: %d %s", s.path, s.kv, code, body[:min(len(body), 200)])
		}
	}
	if _, body := c.do("GET", path+"/proof", nil, nil); !strings.Contains(body,
		"Same plastic, less what is muted") {
		t.Error("the proof does not say what is muted")
	}
	if _, body := c.do("GET", path+"/proof", nil, nil); !strings.Contains(body,
		"; dogear muted: G1 X") || !strings.Contains(body, "this goes on as if they had run") ||
		!strings.Contains(body, "tide-gauge_muted_") {
		t.Error("the proof does not show the muted line and what is inserted behind it")
	}
	_, out := c.do("GET", path+"/write", nil, nil)
	if strings.Count(out, "; dogear muted: G1 X") != 1 {
		t.Error("the line is not a comment in the written file")
	}
	if code, body := c.form(path+"/mutes/remove", "from", at, "to", at); code != 200 ||
		strings.Contains(body, "Bring back") {
		t.Error(code)
	}
	if _, out := c.do("GET", path+"/write", nil, nil); out != string(file) {
		t.Error("brought back, the file is not what it was")
	}
}

// TestLookBreaksDown lets the look at one print break down: others are looked at all the
// same.
func TestLookBreaksDown(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p, err := c.st.Print(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	b, err := c.s.opened.get(t.Context(), p)
	if err != nil {
		t.Fatal(err)
	}
	c.s.jobs.lookBehind(p, b.ix, &look{next: 1}) // nothing to look with
	select {
	case c.s.jobs.behind <- struct{}{}:
		<-c.s.jobs.behind
	case <-time.After(5 * time.Second):
		t.Fatal("the turn is never given on")
	}
	for k := 0; ; k++ {
		c.s.jobs.mu.Lock()
		over := !c.s.jobs.looking[id]
		c.s.jobs.mu.Unlock()
		if over {
			break
		}
		if k > 300 {
			t.Fatal("it never ends")
		}
		time.Sleep(10 * time.Millisecond)
	}
	select {
	case c.s.jobs.behind <- struct{}{}:
		<-c.s.jobs.behind
	case <-time.After(5 * time.Second):
		t.Fatal("the turn is never given on")
	}
}

// TestLargePrints opens a print before its landmarks are found; they come later.
func TestLargePrints(t *testing.T) {
	c := newClient(t, archive.Limits{})
	c.s.jobs.atOnce = 0
	c.s.jobs.behind <- struct{}{} // another print is being looked at
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	path := fmt.Sprintf("/prints/%d", id)
	if _, body := c.do("GET", path, nil, nil); !strings.Contains(body, "Still looking for landmarks") {
		t.Error("the bench does not say that landmarks are missing")
	}
	before, err := c.s.versionOf(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	<-c.s.jobs.behind
	body := ""
	for range 200 {
		if _, body = c.do("GET", path+"/book", nil, nil); strings.Contains(body, "10 islands go on") {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if !strings.Contains(body, "10 islands go on") {
		t.Error("the landmarks never come")
	}
	for _, at := range []string{path, path + "/finds"} {
		if _, body := c.do("GET", at, nil, nil); strings.Contains(body, "Still looking for landmarks") ||
			!strings.Contains(body, "Worth a look") {
			t.Errorf("%s does not show them", at)
		}
	}
	if now, err := c.s.versionOf(t.Context(), id); err != nil || now != before+" looked" {
		t.Errorf("an open bench is told %q, then %q (%v)", before, now, err)
	}
}
