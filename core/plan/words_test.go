package plan

import "testing"

// TestStepWords says of every step what it does.
func TestStepWords(t *testing.T) {
	p := Generic()
	doc := &Plan{Printer: p, Filaments: map[string]Filament{"white": {Name: "Gull white", Purge: 45}}}
	ear := &Ear{ID: "a1", Kind: Colour, Filament: "white"}
	number := func(v float64) *float64 { return &v }
	told := map[string]bool{}
	for _, c := range []struct {
		step Step
		want string
	}{
		{Step{Do: "say", Text: "Now {filament}"}, "Says “Now Gull white”"},
		{Step{Do: "say", Text: "{note}"}, "Says “Put it in”"},
		{Step{Do: "tone"}, "Tone"},
		{Step{Do: "tone", Times: 3}, "Tone, three times"},
		{Step{Do: "tone", Times: 5}, "Tone, 5 times"},
		{Step{Do: "retract", MM: 1.5}, "Draws the filament back, 1.5 mm in all"},
		{Step{Do: "lift", MM: 2}, "Up, 2 mm above the highest plastic"},
		{Step{Do: "park"}, "Aside, to the park place"},
		{Step{Do: "park", Keep: true}, "Stays where it is"},
		{Step{Do: "park", At: "brush"}, "Aside, to the place “brush”"},
		{Step{Do: "park", X: number(5), Y: number(7.5)}, "Aside, to X 5 Y 7.5"},
		{Step{Do: "fan"}, "Fan as it was"},
		{Step{Do: "fan", Percent: number(0)}, "Fan at 0 %"},
		{Step{Do: "heat", Celsius: 215, Wait: true}, "Heats to 215 °C and waits for it"},
		{Step{Do: "cool", Celsius: 150}, "Cools to 150 °C"},
		{Step{Do: "heat"}, "Nozzle back to what the print needs"},
		{Step{Do: "heat", Wait: true}, "Nozzle back to what the print needs, and waits for it"},
		{Step{Do: "wait", Seconds: 60}, "Waits 60 s"},
		{Step{Do: "wait", Seconds: 60, Warn: 10}, "Waits 60 s, with a tone 10 s before the end"},
		{Step{Do: "stop"}, "Waits for you"},
		{Step{Do: "unload", MM: 80}, "Draws the filament out, 80 mm"},
		{Step{Do: "unload"}, "Draws the filament out, as far as it says"},
		{Step{Do: "load", MM: 60}, "Feeds filament in, 60 mm"},
		{Step{Do: "load"}, "Feeds filament in, as far as it says"},
		{Step{Do: "purge"}, "Purges 45 mm; wipe it off"},
		{Step{Do: "wipe"}, "Wipes the nozzle"},
		{Step{Do: "lines"}, "Your own lines"},
		{Step{Do: "bond"}, "Lays the last layer once more, thinly"},
		{Step{Do: "return"}, "Back over the part from above, then down"},
		{Step{Do: "restore"}, "Axis, speed, fan and modes as they were"},
	} {
		told[c.step.Do] = true
		t.Run(c.want, func(t *testing.T) {
			if got := c.step.Words(doc, ear); got != c.want {
				t.Errorf("%+v: %q, want %q", c.step, got, c.want)
			}
		})
	}
	for _, do := range Steps {
		if !told[do] {
			t.Errorf("%s is not tried", do)
		}
	}
	timed := &Ear{ID: "a2", Kind: Insert, Stop: "G4 S120"}
	if got := (Step{Do: "stop"}).Words(doc, timed); got != "Waits 120 s, then goes on by itself" {
		t.Error(got)
	}
	alone := &Ear{ID: "a3", Kind: Insert, Stop: "M600"}
	if got := (Step{Do: "stop"}).Words(doc, alone); got != "The printer parks, changes and comes "+
		"back by itself" {
		t.Error(got)
	}
}
