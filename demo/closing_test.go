package demo_test

import (
	"bytes"
	"fmt"
	"testing"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/plan"
	"dogear/demo"
)

// TestStopBehindClose changes the colour before every layer of a part in every dialect: what
// closes a layer, its wipe and its retraction, is run before the printer stops, never behind it
// in the new colour. A printer that honours no stop behind the mark gets it in front.
func TestStopBehindClose(t *testing.T) {
	for _, d := range dialects(t) {
		t.Run(d.Name, func(t *testing.T) {
			t.Parallel()
			file, _ := demo.Slice(small()["gauge"], d)
			ix := index(t, file)
			for _, early := range []bool{false, true} {
				pr := plan.Generic()
				pr.StopBeforeMark = early
				p := &plan.Plan{Format: plan.Format, Printer: pr, Filaments: map[string]plan.Filament{
					"red": {Purge: 20}, "white": {Purge: 40}}, First: "red"}
				for n := 2; n <= len(ix.Layers); n++ {
					p.Ears = append(p.Ears, plan.Ear{ID: fmt.Sprint("e", n), BeforeLayer: n,
						Kind: plan.Colour, Filament: []string{"white", "red"}[n%2]})
				}
				res, err := apply.Plan(bytes.NewReader(file), ix, p, nil)
				if err != nil {
					t.Fatal(err)
				}
				if got := behind(t, file, res); early && d.LateClose != (got > 0) || !early && got > 0 {
					t.Errorf("in front of the mark: %v; %d of %d stops are followed by what closes a "+
						"layer", early, got, len(p.Ears))
				}
				holds(t, file, ix, p)
			}
		})
	}
}

// behind counts the stops behind which the file wipes or retracts before it lays again.
func behind(t *testing.T, file []byte, res *apply.Result) (n int) {
	t.Helper()
	var out bytes.Buffer
	edit.Sort(res.Edits)
	if _, err := edit.Write(&out, bytes.NewReader(file), res.Edits); err != nil {
		t.Fatal(err)
	}
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	ours, open := false, false
	for l := range bytes.Lines(out.Bytes()) {
		if bytes.HasPrefix(l, []byte("; dogear ear e")) {
			ours = !bytes.Contains(l, []byte(" ends"))
			open = open || !ours
		}
		c.Parse(l)
		m.Exec(&c, &a)
		switch {
		case ours:
		case a.Kind == gcode.Lay || a.Kind == gcode.Travel:
			open = false
		case open && (a.Kind == gcode.Pull || c.Is('G', 10)):
			n++
			open = false
		}
	}
	return n
}
