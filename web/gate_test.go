package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"regexp"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/core/release"
	"dogear/demo"
)

// TestGate refuses a file that would harm the part, says where, and writes it when one
// has taken each finding upon oneself; undone, it is refused again.
func TestGate(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	if code, text := c.form(p+"/plan", "plan", `{"format":"dogear-plan/1","mutes":[{"from":1,`+
		`"to":1}],`+
		`"ears":[{"id":"look","before_layer":9,"kind":"own lines","lines":["M502"]}]}`); code != 200 {
		t.Fatal(code, text)
	}
	c.page(t, p+"/proof", "Dogear will not write this file", "M502 puts the maker",
		"I accept the risk",
		"See ear 1 below")
	if code, _ := c.do("GET", p+"/write", nil, nil); code != 409 {
		t.Errorf("written all the same: %d", code)
	}
	_, body := c.do("GET", p+"/proof", nil, nil)
	found := regexp.MustCompile(`name="name" value="(settings-lost@\d+)"`).FindStringSubmatch(body)
	if found == nil {
		t.Fatal("the finding cannot be accepted")
	}
	c.steps(t, []step{
		{p + "/proof/accept", []string{"name", found[1]}, 422, "ick the box"},
		{p + "/proof/accept", []string{"name", "all", "sure", "1"}, 422, "names no finding"},
		{p + "/proof/accept", []string{"name", found[1], "sure", "1"}, 200, ""},
	})
	if code, text := c.do("GET", p+"/write", nil, nil); code != 200 ||
		!strings.Contains(text, "; "+found[1]+" ") {
		t.Errorf("%d: accepted, but not written, or not named", code)
	}
	c.page(t, p+"/proof", "let pass; the file names it", "Undo")
	c.steps(t, []step{{p + "/undo", nil, 200, ""}})
	if code, _ := c.do("GET", p+"/write", nil, nil); code != 409 {
		t.Errorf("undone, but written: %d", code)
	}
}

// TestOtherModel lays a saved plan onto another model only when that is asked for.
func TestOtherModel(t *testing.T) {
	c := newClient(t, archive.Limits{})
	var ids []int64
	for name, solid := range map[string]demo.Solid{"gauge.gcode": demo.TideGauge(),
		"wall.gcode": demo.HarbourWall(0.3)} {
		file, _ := demo.Slice(solid, demo.DialectNamed("plain"))
		id, refused := c.bring(name, file)
		if refused != "" {
			t.Fatal(refused)
		}
		ids = append(ids, id)
	}
	from, to := fmt.Sprintf("/prints/%d", ids[0]), fmt.Sprintf("/prints/%d", ids[1])
	c.steps(t, []step{{from + "/ears", []string{"before", "5", "kind", "insert"}, 200, ""}})
	_, saved := c.do("GET", from+"/plan", nil, nil)
	var doc struct {
		File struct {
			Shape *struct{ Height float64 }
		}
	}
	if err := json.Unmarshal([]byte(saved), &doc); err != nil || doc.File.Shape == nil ||
		doc.File.Shape.Height == 0 {
		t.Fatalf("the plan does not say what shape it was made for: %v", err)
	}
	c.steps(t, []step{
		{to + "/plan", []string{"plan", saved}, 200, "was made for another model"},
		{to + "/plan", []string{"plan", saved, "other", "1"}, 200, "The plan is applied"},
	})
}

// TestGateKnowsTheFile removes a print and brings another with the same marks: nothing
// that was kept of the first is shown, or written, for the second.
func TestGateKnowsTheFile(t *testing.T) {
	c := newClient(t, archive.Limits{})
	var out [2]string
	var ids [2]int64
	for k, solid := range []demo.Solid{demo.TideGauge(), demo.HarbourWall(0.3)} {
		file, _ := demo.Slice(solid, demo.DialectNamed("plain"))
		id, refused := c.bring("a.gcode", file)
		if refused != "" || id == ids[0] {
			t.Fatal("a number was given twice: ", id, refused)
		}
		ids[k] = id
		p := fmt.Sprintf("/prints/%d", id)
		c.steps(t, []step{{p + "/plan", []string{"plan", `{"format":"dogear-plan/1","mutes":[],` +
			`"ears":[{"id":"look","before_layer":9,"kind":"own lines","lines":["M117 look"]}]}`}, 200, ""}})
		var code int
		if code, out[k] = c.do("GET", p+"/write", nil, nil); code != 200 {
			t.Fatal(code, out[k])
		}
		if n := len(out[k]) - len(file); n < 100 || n > 2000 {
			t.Errorf("print %d: %d bytes more than the file, out of an ear", k, n)
		}
		c.steps(t, []step{{p + "/remove", nil, 200, ""}})
	}
}

// TestGateGivesUp works on no answer that nobody waits for: newer marks of a print, or
// many other questions, end an examination, and one of another print goes on.
func TestGateGivesUp(t *testing.T) {
	g := newGate()
	defer g.stop()
	begin := func(key, of string) *asking {
		return g.ask(key, of, func(ctx context.Context, _ release.Asked) (*release.Release, error) {
			<-ctx.Done()
			return nil, ctx.Err()
		})
	}
	old, other := begin("a", "plan of 1"), begin("b", "plan of 2")
	if begin("a", "plan of 1") != old {
		t.Error("the same question is worked on twice")
	}
	begin("c", "plan of 1")
	if _, err := old.within(t.Context(), 0); !errors.Is(err, context.Canceled) {
		t.Error("older marks are still examined: ", err)
	}
	if ready, _ := other.within(t.Context(), 10*time.Millisecond); ready {
		t.Error("the examination of another print was given up")
	}
	for k := range mostKept {
		begin(fmt.Sprint("many", k), fmt.Sprint("plan of ", 10+k))
	}
	if _, err := other.within(t.Context(), 0); !errors.Is(err, context.Canceled) {
		t.Error("what is not kept any more is still examined: ", err)
	}
}

// TestGateAlone gives up what nobody waits for any more, and goes on with what somebody
// asks after.
func TestGateAlone(t *testing.T) {
	g := newGate()
	g.grace = 100 * time.Millisecond
	defer g.stop()
	ended := make(chan string, 2)
	begin := func(key string) *asking {
		return g.ask(key, key, func(ctx context.Context, _ release.Asked) (*release.Release, error) {
			<-ctx.Done()
			ended <- key
			return nil, ctx.Err()
		})
	}
	begin("left")
	watched := begin("watched")
	for k := range 40 {
		_, _ = watched.within(t.Context(), 10*time.Millisecond) // as a page does that shows a bar
		select {
		case key := <-ended:
			if key != "left" {
				t.Fatal("what somebody asks after was given up")
			}
			return
		default:
		}
		if k == 39 {
			t.Error("what nobody waits for goes on")
		}
	}
}

// TestGone sees whether the other side of a connection has closed it, and takes nothing
// from one that has not.
func TestGone(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	there, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	here, err := patient{l}.Accept()
	if err != nil {
		t.Fatal(err)
	}
	defer here.Close()
	if gone(here) {
		t.Error("it is there")
	}
	if _, err := there.Write([]byte("GET")); err != nil {
		t.Fatal(err)
	}
	time.Sleep(20 * time.Millisecond)
	b := make([]byte, 3)
	if gone(here) {
		t.Error("it has said something")
	}
	if _, err := io.ReadFull(here, b); err != nil || string(b) != "GET" {
		t.Errorf("%q %v", b, err)
	}
	there.Close()
	for k := 0; !gone(here); k++ {
		if k > 200 {
			t.Fatal("it has gone")
		}
		time.Sleep(5 * time.Millisecond)
	}
}
