package handshake_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"dogear/core/gate"
	"dogear/core/gcode"
	"dogear/core/handshake"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/printer"
)

// watch is somebody who stands beside a printer with a handshake: it lets the file run, goes
// to the printer when it stands still, and answers what was to be seen.
func watch(t *testing.T, f *handshake.File, pr *plan.Printer,
	h printer.Habits) *handshake.Answers {
	t.Helper()
	src := bytes.NewReader(f.Text())
	p := printer.New(src, &layer.Index{Bytes: src.Size()}, pr, nil)
	p.Adopt(h)
	yes, no := true, false
	a := &handshake.Answers{Tones: &no, Messages: &no, Back: &yes}
	for _, try := range f.Tries {
		a.Each = append(a.Each, handshake.Answer{Word: try.Word, Did: handshake.WentOn})
	}
	stood := 0
	for range 1000 {
		more := p.Run(math.Inf(1))
		for _, e := range p.Take() {
			switch e.Kind {
			case "tone":
				a.Tones = &yes
			case "message":
				a.Messages = &yes
			case "harm", "motors":
				if strings.Contains(e.Text, "motors") {
					a.Back = &no
				}
			case "parks":
				stood = -1
			case "stop":
				i := slices.IndexFunc(f.Tries, func(y handshake.Try) bool {
					return e.Line >= y.Stop && e.Line <= y.Last
				})
				if i < 0 {
					t.Fatalf("it stands still at line %d, where no word is tried", e.Line)
				}
				one := &a.Each[i]
				one.On = handshake.ByKnob
				switch {
				case stood < 0:
					one.Did = handshake.Parked
				case e.Line > f.Tries[i].Stop+int64(len(pr.SettleAfter)):
					one.Did = handshake.Late
				default:
					one.Did = handshake.Waited
				}
				stood = 1
			}
		}
		if p.State != printer.Waiting {
			if more {
				t.Fatal("it goes on for ever")
			}
			return a
		}
		if a.Held == nil { // once, two minutes
			p.Rest(120)
			held := !slices.ContainsFunc(p.Take(),
				func(e printer.Event) bool { return e.Kind == "motors" })
			a.Held = &held
		}
		p.Resume()
	}
	t.Fatal("it never ends")
	return nil
}

// TestCircle asks a printer of each kind, and looks whether what it answers is what it is.
func TestCircle(t *testing.T) {
	for _, c := range []struct {
		kind                  string
		colour, insert        string
		settles               bool
		silent, blank, sleeps bool
		ignores               []string
	}{
		{kind: "knob", colour: "M600", insert: "M0",
			ignores: []string{"M226", "M400 U1", "@pause", "PAUSE", "M601"}},
		{kind: "card", colour: "M25", insert: "M25", settles: true, silent: true, blank: true,
			ignores: []string{"M0", "M226", "M400 U1", "@pause", "PAUSE", "M601", "M600"}},
		{kind: "macros", colour: "M600", insert: "M25", silent: true,
			ignores: []string{"M0", "M226", "M400 U1", "@pause"}},
		{kind: "host", colour: "@pause", insert: "@pause", settles: true, blank: true,
			ignores: []string{"M0", "M25", "M226", "M400 U1", "PAUSE", "M601", "M600"}},
		{kind: "one-word", colour: "M400 U1", insert: "M400 U1", silent: true,
			ignores: []string{"M0", "M25", "M226", "@pause", "PAUSE", "M601", "M600"}},
		{kind: "deaf", colour: "G4 S120", insert: "G4 S120", ignores: handshake.Usual},
		{kind: "sleepy", colour: "M0", insert: "M0", sleeps: true,
			ignores: []string{"M25", "M400 U1", "@pause", "PAUSE", "M601", "M600"}},
	} {
		t.Run(c.kind, func(t *testing.T) {
			kind, ok := printer.KindOf(c.kind)
			if !ok {
				t.Fatal("no such kind")
			}
			pr := plan.Generic()
			pr.Assumed = false
			r, f, err := gate.Handshake(context.Background(), pr, nil)
			if err != nil {
				t.Fatal(err)
			}
			if s := r.Stopped(); s != nil {
				t.Fatalf("the file may not be written: %s %s", s.Code, s.Message)
			}
			got, said, err := handshake.Learn(*pr, watch(t, f, pr, kind.Habits), "2026-11-26")
			if err != nil {
				t.Fatal(err)
			}
			if got.StopWord(plan.Colour) != c.colour || got.StopWord(plan.Insert) != c.insert {
				t.Errorf("stops with %s and %s, want %s and %s", got.StopWord(plan.Colour),
					got.StopWord(plan.Insert), c.colour, c.insert)
			}
			if (len(got.SettleBefore) > 0) != c.settles || got.Silent != c.silent ||
				got.Blank != c.blank || (got.Holds > 0) != c.sleeps || got.Asked != "2026-11-26" {
				t.Errorf("%+v", got)
			}
			if !slices.Equal(got.Ignores, c.ignores) {
				t.Errorf("ignores %q, want %q", got.Ignores, c.ignores)
			}
			if len(said) == 0 || !got.KnowsStop(c.insert) || !got.KnowsStop(c.colour) {
				t.Errorf("%q", said)
			}
			// Asked once more with what it has answered, it waits at once.
			again, _, err := handshake.Learn(got, watch(t, remake(t, &got, c.insert), &got,
				kind.Habits), "")
			if c.kind != "deaf" && (err != nil || again.StopWord(plan.Insert) != c.insert) {
				t.Errorf("asked again: %v, %s", err, again.StopWord(plan.Insert))
			}
		})
	}
}

func remake(t *testing.T, pr *plan.Printer, word string) *handshake.File {
	t.Helper()
	if plan.StopsFor(word) > 0 {
		word = "M0"
	}
	f, err := handshake.Make(pr, []string{word})
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// TestCold runs handshakes for beds of every kind through the machine: nothing is heated, no
// filament moves, and the head stays over the bed.
func TestCold(t *testing.T) {
	for _, bed := range [][4]float64{{0, 0, 220, 220}, {-90, -90, 90, 90}, {0, 0, 80, 80},
		{-33, 8, 302, 260}} {
		for n := 1; n <= len(handshake.Usual); n++ {
			pr := &plan.Printer{Bed: bed, Top: 60, StayAwake: []string{"M84 S7200"}}
			f, err := handshake.Make(pr, handshake.Usual[:n])
			if err != nil {
				t.Fatal(err)
			}
			var m gcode.Machine
			var c gcode.Command
			var a gcode.Act
			begun := false // homing leads to where nobody knows yet
			for _, l := range f.Lines {
				c.Parse([]byte(l.Text))
				m.Exec(&c, &a)
				x, y, z := m.Pos[0].Millimetres(), m.Pos[1].Millimetres(), m.Pos[2].Millimetres()
				if a.Kind == gcode.Heat || a.DE != 0 || a.Kind == gcode.Motors {
					t.Fatalf("%s: heats, feeds or lets go", l.Text)
				}
				begun = begun || strings.HasPrefix(l.Text, "G1 X")
				if a.Kind == gcode.Travel && begun && (x < bed[0] || x > bed[2] || y < bed[1] || y > bed[3] ||
					z < 2 || z > 60) {
					t.Fatalf("bed %v: %s leads to %v", bed, l.Text, m.Pos)
				}
			}
			if len(f.Tries) != n || f.Mark == 0 || f.Back <= f.Mark {
				t.Fatalf("%+v", f)
			}
			strokes := 0
			for _, l := range f.Lines[f.Tries[n-1].First-1 : f.Tries[n-1].Stop] {
				if strings.HasPrefix(l.Text, "G1 X") {
					strokes++
				}
			}
			if strokes != 2*n+1 {
				t.Errorf("try %d has %d moves", n, strokes)
			}
		}
	}
}

func TestRefusedWords(t *testing.T) {
	pr := plan.Generic()
	for _, words := range [][]string{{""}, {"G28"}, {"M104 S200"}, {"G4 S3"}, {"M0", "M0"},
		{"M0\nG28"}, strings.Fields("A1 A2 A3 A4 A5 A6 A7 A8 A9 A10")} {
		if _, err := handshake.Make(pr, words); err == nil {
			t.Errorf("%q is tried", words)
		}
	}
	small := &plan.Printer{Bed: [4]float64{0, 0, 60, 60}, Top: 100}
	if _, err := handshake.Make(small, nil); err == nil {
		t.Error("a bed of 60 mm is taken")
	}
}

func TestLearn(t *testing.T) {
	yes, no := true, false
	for _, c := range []struct {
		name   string
		a      handshake.Answers
		stop   string
		resume string
		says   string
	}{
		{"one that nothing continues", handshake.Answers{Each: []handshake.Answer{
			{"M0", handshake.Waited, handshake.Never}, {"M25", handshake.Waited, handshake.OnDisplay}}},
			"M25", "on its display", "nothing makes it continue"},
		{"one that goes on by itself", handshake.Answers{Each: []handshake.Answer{
			{"M0", handshake.Waited, handshake.Itself}}}, "G4 S120", "", "goes straight on at M0"},
		{"not back", handshake.Answers{Back: &no, Held: &no, Each: []handshake.Answer{
			{"M226", handshake.Waited, handshake.ByKnob}}}, "M226", "press the knob",
			"did not find back"},
		{"an odd word", handshake.Answers{Tones: &yes, Each: []handshake.Answer{
			{"WAIT_HERE", handshake.Waited, handshake.OnPage}}}, "WAIT_HERE", "on its page",
			"waits at WAIT_HERE"},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, said, err := handshake.Learn(*plan.Generic(), &c.a, "2026-11-26")
			if err != nil || p.StopWord(plan.Insert) != c.stop || p.Resume != c.resume ||
				!strings.Contains(fmt.Sprint(said), c.says) {
				t.Errorf("%v %q %q %q", err, p.StopWord(plan.Insert), p.Resume, said)
			}
		})
	}
	// A routine that somebody chose stays; one that goes with another way of stopping does not.
	was := *plan.Generic()
	was.Routine = map[string]string{plan.Insert: "quiet drop", plan.Colour: "printer does it all"}
	p, _, err := handshake.Learn(was, &handshake.Answers{Each: []handshake.Answer{
		{"M0", handshake.Waited, handshake.ByKnob}}}, "2026-11-26")
	if err != nil || len(p.Routine) != 1 || p.Routine[plan.Insert] != "quiet drop" ||
		len(was.Routine) != 2 {
		t.Errorf("%v %v, was %v", err, p.Routine, was.Routine)
	}
	if _, _, err := handshake.Learn(*plan.Generic(), &handshake.Answers{}, ""); err == nil {
		t.Error("nothing was seen, and it was learned from")
	}
	if _, _, err := handshake.Learn(*plan.Generic(), &handshake.Answers{Each: []handshake.Answer{
		{"M0", "danced", ""}}}, ""); err == nil {
		t.Error("danced")
	}
}

// TestHappen looks whether what is told of each kind is what somebody beside it would note.
func TestHappen(t *testing.T) {
	for _, k := range printer.Kinds() {
		t.Run(k.Key, func(t *testing.T) {
			pr := plan.Generic()
			f, err := handshake.Make(pr, nil)
			if err != nil {
				t.Fatal(err)
			}
			seen := map[int][]string{}
			for i, h := range handshake.Happen(f, pr, k.Habits) {
				seen[h.Try] = append(seen[h.Try], h.What)
				if i > 0 && h.What == handshake.IsDone && h.Time > 600 {
					t.Errorf("it takes %g s", h.Time)
				}
			}
			for i, want := range watch(t, f, pr, k.Habits).Each {
				var order []string
				for _, w := range seen[i+1] {
					if w == handshake.StandsStill || w == handshake.Wags || w == handshake.ParksAside {
						order = append(order, w)
					}
				}
				is := map[string]string{handshake.WentOn: "[wags]", handshake.Waited: "[still wags]",
					handshake.Late: "[wags still]", handshake.Parked: "[parks still wags]"}[want.Did]
				if fmt.Sprint(order) != is {
					t.Errorf("%s: %v, but it %s", want.Word, order, want.Did)
				}
			}
		})
	}
}
