package plan

import (
	"fmt"
	"reflect"
	"testing"
)

// TestSimple reads the routines that ship as simple ones, where they are, and writes them back.
func TestSimple(t *testing.T) {
	for name, want := range map[string]bool{"swap by hand": true, "timed window": true,
		"drop something in": true, "drop many things in": true, "printer does it all": true,
		"nozzle swap": false, "sound only": false, "own lines": false} {
		r := Builtin()[name]
		s, ok := r.Simple()
		if ok != want {
			t.Errorf("%q is simple: %v", name, ok)
		}
		if got := s.Routine(); ok && !reflect.DeepEqual(got, r) {
			t.Errorf("%q comes back as %v", name, got)
		}
	}
	end := Routine{{Do: "return"}, {Do: "restore"}}
	for name, r := range map[string]Routine{
		"purges first": {{Do: "purge", MM: 3}, {Do: "stop"}}, "two stops": {{Do: "stop"}, {Do: "stop"}},
		"cools for good": {{Do: "cool", Celsius: 90}, {Do: "stop"}},
		"waits to cool":  {{Do: "cool", Celsius: 90, Wait: true}, {Do: "stop"}, {Do: "heat", Wait: true}},
		"fan":            {{Do: "fan"}, {Do: "stop"}}, "nothing": {},
	} {
		if s, ok := append(r, end...).Simple(); ok {
			t.Errorf("%s: %+v", name, s)
		}
	}
	x := 3.0
	s := Simple{Tone: Step{HZ: 440, MS: 90, Times: 2}, Retract: Step{MM: 4, Speed: 30}, Lift: 5,
		Park: Step{X: &x, Y: &x}, Cool: ColdWait, Before: []string{"M42"}, Message: "{note}",
		Wait: 90, Warn: 9, After: []string{"M43"}, Purge: Step{MM: 12}, Bond: 0.2}
	r := s.Routine()
	if err := r.Check(); err != nil {
		t.Error(err)
	}
	if got, ok := r.Simple(); !ok || !reflect.DeepEqual(got, s) {
		t.Errorf("%+v", got)
	}
}

// TestNoLanding names no way back where the head is not sent away: the printer comes back by
// itself, or only sounds.
func TestNoLanding(t *testing.T) {
	for _, c := range []struct {
		e    Ear
		back bool
	}{
		{Ear{Kind: Colour}, true}, {Ear{Kind: Colour, Stop: "m600 B3"}, false},
		{Ear{Kind: Insert, Stop: "PAUSE"}, false},
		{Ear{Kind: Insert, Routine: []byte(`"sound only"`)}, false},
		// its bond pass leads away
		{Ear{Kind: Insert, Routine: []byte(`"drop many things in"`), Stop: "M600"}, true},
	} {
		t.Run(fmt.Sprintf("%s %s %s", c.e.Kind, c.e.Stop, c.e.Routine), func(t *testing.T) {
			p := &Plan{Printer: Generic()}
			got := (Step{Do: "return"}).Words(p, &c.e)
			if (got == "Back over the part from above, then down") != c.back {
				t.Errorf("%+v: %q", c.e, got)
			}
		})
	}
}
