package proof

import (
	"dogear/core/finding"
	"fmt"
	"strings"
	"testing"
)

type planted struct {
	name string
	do   func(f []string) []string
	want string // codes of which one must be found with level stop
}

// plantedFaults are what people, programs and editors do to a file.
func plantedFaults() []planted {
	var out []planted
	add := func(name, want string, do func(f []string) []string) {
		out = append(out, planted{name,
			do, want})
	}
	// what is laid
	add("one move missing", "move-missing", func(f []string) []string {
		i := laying(f, 6,
			1)
		return cut(f, i, i+1)
	})
	add("three moves missing", "move-missing", func(f []string) []string {
		i := laying(f, 6,
			1)
		return cut(f, i, i+3)
	})
	add("a move twice", "move-added filament-jump", func(f []string) []string {
		i := laying(f, 6, 1)
		return putIn(f, i+1, "G1 X90 Y50", restoreE(f, i), f[i])
	})
	add("a move more", "move-added", func(f []string) []string {
		return putIn(f, laying(f, 6, 2), "M83", "G1 X70 Y70 E2 F1500", "G1 X90 Y90",
			restoreE(f, laying(f, 6, 2)))
	})
	for axis, by := range map[string]string{"X": "X91", "Y": "Y51"} {
		add(axis+" one more", "move-changed", func(f []string) []string {
			i := laying(f, 6, 0)
			w := strings.Fields(f[i])
			if axis == "X" {
				w[1] = by
			} else {
				w[2] = by
			}
			return swap(f, i, strings.Join(w, " "))
		})
	}
	add("a little more filament", "move-changed", func(f []string) []string {
		return moreE(f,
			laying(f, 6, 2), 0.02)
	})
	add("a little less filament", "move-changed", func(f []string) []string {
		return moreE(f,
			laying(f, 6, 2), -0.02)
	})
	add("ten times the filament", "move-changed filament-jump",
		func(f []string) []string { return moreE(f, laying(f, 6, 2), 16) })
	add("a height in a move", "move-changed", func(f []string) []string {
		i := laying(f, 6, 1)
		return swap(f, i, strings.Replace(f[i], " E", " Z3 E", 1))
	})
	add("a layer in the air", "position-not-restored move-changed", func(f []string) []string {
		from, _ := course(f, 6)
		return swap(f, from+1, "G1 Z1.90 F600")
	})
	add("a layer too low", "position-not-restored drag", func(f []string) []string {
		from, _ := course(f, 6)
		return swap(f, from+1, "G1 Z0.90 F600")
	})
	add("a layer missing", "layer-missing", func(f []string) []string {
		a, b := course(f,
			6)
		return cut(f, a, b)
	})
	add("three layers missing", "layer-missing", func(f []string) []string {
		a, _ := course(f, 5)
		_, b := course(f, 7)
		return cut(f, a, b)
	})
	add("the first layer missing", "layer-missing", func(f []string) []string {
		a, b := course(f,
			1)
		return cut(f, a, b)
	})
	add("the last layer missing", "layer-missing", func(f []string) []string {
		a, b := course(f,
			12)
		return cut(f, a, b)
	})
	add("a layer twice", "layer-doubled", func(f []string) []string {
		a, b := course(f,
			6)
		return putIn(f, b, f[a:b]...)
	})
	add("a layer again later", "layer-doubled", func(f []string) []string {
		a, b := course(f, 6)
		_, c := course(f, 9)
		return putIn(f, c, f[a:b]...)
	})
	add("layers in another order", "layers-swapped", func(f []string) []string {
		a, b := course(f, 6)
		_, c := course(f, 7)
		g := append([]string{}, f[:a]...)
		return append(append(append(g, f[b:c]...), f[a:b]...), f[c:]...)
	})
	add("cut in half", "layer-missing cut-short", func(f []string) []string {
		a, _ := course(f,
			7)
		return f[:a]
	})
	add("cut inside a layer", "move-missing layer-missing cut-short",
		func(f []string) []string { return f[:laying(f, 6, 3)] })
	// filament
	add("never given back", "retraction-not-given-back", at6("M83", "G1 E-5 F2100", "#E"))
	add("given back too much", "filament-jump", at6("M83", "G1 E-1 F2100", "G1 E3 F2100", "#E"))
	add("firmware retraction stays", "retraction-not-given-back", at6("G10"))
	add("a purge on the part", "filament-jump", at6("M83", "G1 E30 F240", "#E"))
	add("a purge above the part", "prime-on-part filament-jump",
		at6("G1 Z20 F600", "G1 X70 Y50 F6000", "M83", "G1 E30 F240", "#E"))
	add("draws far back", "filament-jump", at6("M83", "G1 E-45 F1200", "G1 E45 F1200", "#E"))
	add("the axis named zero", "filament-jump mode-not-restored", func(f []string) []string {
		i := laying(f, 6, 1)
		return putIn(f, i, "M82", "G92 E0")
	})
	add("the axis one off", "filament-jump mode-not-restored", at6("M82", "G92 E1"))
	add("left in steps or from the start", "mode-not-restored filament-jump",
		func(f []string) []string {
			a, _ := course(f, 6)
			m := "M83"
			if strings.Contains(strings.Join(f[:10], "\n"), "M83") {
				m = "M82"
			}
			return putIn(f, a, m)
		})
	// places
	add("not brought back", "position-not-restored", func(f []string) []string {
		return putIn(f,
			laying(f, 6, 1), "G1 Z9 F600", "G1 X5 Y5 F6000")
	})
	add("one axis not brought back", "position-not-restored", func(f []string) []string {
		i := laying(f, 6, 1)
		return putIn(f, i, "G1 Z9 F600", "G1 X5 Y5 F6000", "G1 X90 F6000", "G1 Z1.20 F600")
	})
	add("Z not brought back", "position-not-restored", func(f []string) []string {
		return putIn(f,
			laying(f, 6, 1), "G1 Z9 F600")
	})
	add("X named zero", "place-shifted", at6("G92 X0"))
	add("Y named zero", "place-shifted", at6("G92 Y0"))
	add("Z named zero", "place-shifted", at6("G92 Z0"))
	add("Z named a little higher", "place-shifted", at6("G92 Z1.1"))
	add("all axes named zero", "place-shifted", at6("G92"))
	add("places left in steps", "mode-not-restored", at6("G91"))
	add("inches", "mode-not-restored", at6("G20"))
	for _, w := range []string{"G10 P0 Z-1", "G10 L2 P1 X1", "G54.1", "G55", "G59", "M206 Z-1",
		"M206 X2", "M428", "M290 Z0.2", "M851 Z-1", "M665 R100", "M666 X1"} {
		if w == "G54.1" {
			continue
		}
		add("left: "+w, "place-shifted", at6(w))
	}
	for _, w := range []string{"G18", "G19"} {
		add("left: "+w, "plane-changed", at6(w))
	}
	// heat
	for _, w := range []string{"M104 S190", "M104 S230", "M109 S215", "M104 T0 S200"} {
		add("left: "+w, "temperature-not-restored", at6(w))
	}
	for _, w := range []string{"M104 S0", "M104 S100", "M109 R120"} {
		add("left: "+w, "cold-extrusion", at6(w))
	}
	add("another nozzle heated", "temperature-not-restored", at6("M104 T1 S200"))
	for _, w := range []string{"M140 S0", "M140 S40", "M140 S200", "M190 S70", "M190 R50"} {
		add("left: "+w, "bed-not-restored", at6(w))
	}
	add("switched off and on", "no-heat cold-extrusion", at6("M104 S0", "M104 S205"))
	add("switched off, on and waited for", "no-heat", at6("G1 Z20 F600", "G1 X5 Y5 F6000",
		"M104 S0", "M109 S205"))
	add("hotter than it bears", "too-hot", at6("M104 S400", "M104 S205"))
	add("bed hotter than it bears", "too-hot", at6("M140 S200", "M140 S60"))
	add("never continues, up", "never-reached-temperature", at6("M109 S480"))
	add("never continues, down", "never-reached-temperature", at6("M109 R10"))
	add("never continues, bed", "never-reached-temperature", at6("M190 S190"))
	add("heats on the part", "heats-on-part", at6("M109 R180", "M109 S205"))
	add("heats the bed on the part", "heats-on-part", at6("M190 S80", "M190 S60"))
	add("pushes cold", "cold-extrusion", at6("G1 Z20 F600", "G1 X5 Y5 F6000", "M109 R90", "M83",
		"G1 E20 F200", "M109 S205", "#E"))
	add("no nozzle heat at all", "no-heat cold-extrusion temperature-not-restored",
		func(f []string) []string {
			return without(f, "M104 S210", "M109 S210")
		})
	add("the nozzle is not waited for", "cold-extrusion",
		func(f []string) []string { return without(f, "M109 S210") })
	add("no bed heat", "bed-not-restored no-heat", func(f []string) []string {
		return without(f,
			"M140 S60", "M190 S60")
	})
	add("the nozzle stays on at the end", "temperature-not-restored",
		func(f []string) []string { return without(f, "M104 S0") })
	add("the bed stays on at the end", "bed-not-restored",
		func(f []string) []string { return without(f, "M140 S0") })
	add("a change of heat taken out", "temperature-not-restored",
		func(f []string) []string { return without(f, "M104 S205") })
	// settings
	for _, w := range []string{"M204 S2000", "M205 X3", "M201 X100", "M203 X20", "M221 S90",
		"M92 E500", "M420 S0", "M420 S1", "M900 K0.1", "M572 S0.1",
		"M593 F40", "M200 D1.75", "M207 S3", "M413 S0", "SET_PRESSURE ADVANCE=0.1"} {
		add("left: "+w, "setting-not-restored", at6(w))
	}
	add("settings of the start-up missing", "setting-not-restored",
		func(f []string) []string { return without(f, "M204 S800") })
	for _, w := range []string{"M220 S50", "M220 S200"} {
		add("left: "+w, "feed-not-restored", at6(w))
	}
	add("another feed", "feed-not-restored", func(f []string) []string {
		return putIn(f, laying(f,
			6, 1), "G1 F900")
	})
	for _, w := range []string{"M107", "M106 S255", "M106 S10", "M106"} {
		add("left: "+w, "fan-not-restored", at6(w))
	}
	add("another fan", "setting-not-restored", at6("M106 P1 S99"))
	add("the fan taken out", "fan-not-restored", func(f []string) []string {
		return without(f,
			"M106 S128")
	})
	add("another tool", "tool-not-restored", at6("T1"))
	// the machine
	for _, w := range []string{"M112", "M410", "M999", "M81", "M2", "M30", "M997", "M524"} {
		add("put in: "+w, "machine-stopped", at6(w))
	}
	for _, w := range []string{"M500", "M501", "M502", "M504"} {
		add("put in: "+w, "settings-lost", at6(w))
	}
	add("changed by the printer, cold", "cold-extrusion", at6("M104 S90", "M600", "M109 S210"))
	for _, w := range []string{"M211 S0", "M302 P1", "M302 S0"} {
		add("put in: "+w, "limits-off", at6(w))
	}
	for _, w := range []string{"M84", "M18", "M84 X Y"} {
		add("put in: "+w, "motors-off", at6(w))
	}
	add("waits for days", "long-wait", at6("G4 S1000000"))
	add("waits for hours", "long-wait", at6("G4 P9000000"))
	add("homes on the part", "homes-onto-part", at6("G28"))
	add("homes Z on the part", "homes-onto-part", at6("G28 Z"))
	add("homes the sides on the part", "drag homes-onto-part", at6("G28 X Y"))
	for _, w := range []string{"G29", "G30", "G38.2 Z-5"} {
		add("probes: "+w, "homes-onto-part", at6(w))
	}
	add("homing taken out", "not-homed", func(f []string) []string { return without(f, "G28") })
	add("only the sides are homed", "not-homed", func(f []string) []string {
		return swap(f,
			lineOf(f, 0, "G28"), "G28 X Y")
	})
	add("moves before it homes", "not-homed", func(f []string) []string {
		return putIn(f, lineOf(f,
			0, "G28"), "G1 X50 Y50 F6000")
	})
	add("through the part", "drag", at6("G1 Z0.40 F600", "G1 X60 Y90 F6000", "G1 X90 Y60 F6000",
		"G1 Z5 F600"))
	add("down onto the part", "drag", at6("G1 Z9 F600", "G1 X70 Y50 F6000", "G1 Z0.30 F600",
		"G1 Z9 F600"))
	add("above every printer", "above-top", at6("G1 Z900 F600", "G1 Z9 F600"))
	add("stops on the part", "lift-too-low", at6("M0 look"))
	add("waits on the part", "lift-too-low", at6("G4 S60"))
	add("pauses on the part", "lift-too-low", at6("M25"))
	add("rubbish at the end", "rubbish-at-end", func(f []string) []string {
		return append(append([]string{}, f...), strings.Repeat("\x00\x01 what? \xff\n", 60))
	})
	return out
}

// TestPlanted finds what was done to a file by hand, by the right name, at a line,
// whichever way the file counts its filament.
func TestPlanted(t *testing.T) {
	all := plantedFaults()
	if len(all) < 100 {
		t.Errorf("only %d kinds of faults are planted", len(all))
	}
	for _, rel := range []bool{false, true} {
		f := quay(rel)
		whole := strings.Join(f, "\n") + "\n"
		if r := proveText(t, whole, whole); !r.Same || len(r.Findings) > 0 {
			t.Fatalf("as it is: %+v", r.Findings)
		}
		for _, p := range all {
			edited := strings.Join(spell(f, p.do(f), rel), "\n") + "\n"
			if edited == whole {
				t.Errorf("%s: nothing was planted", p.name)
				continue
			}
			r := proveText(t, whole, edited)
			found, codes := false, []string{}
			for _, x := range r.Findings {
				codes = append(codes, fmt.Sprintf("%s %s@%d", x.Level, x.Code, x.Line))
				found = found || x.Level == finding.Stop && strings.Contains(" "+p.want+" ", " "+x.Code+" ")
				if x.Message == "" || x.Line < 1 {
					t.Errorf("%s: %+v says nothing", p.name, x)
				}
			}
			if !found {
				t.Errorf("%s (in steps: %v): found %v, want one of %s with level stop", p.name, rel, codes,
					p.want)
			}
			if !r.Same && len(r.Findings) == 0 {
				t.Errorf("%s: not the same plastic, and nothing says why", p.name)
			}
		}
	}
}
