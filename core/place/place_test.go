package place

import (
	"strings"
	"testing"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// tower has 50 layers of 0.2 mm, two minutes each; the file counts them from 0.
func tower() *layer.Index {
	ix := &layer.Index{Lines: 5010, Seconds: 6000}
	for i := range 50 {
		ix.Layers = append(ix.Layers, layer.Layer{Z: gcode.Nano(i+1) * gcode.MM / 5,
			Height: gcode.MM / 5, Object: 1, Fold: int64(10 + 100*i), Begin: float64(120 * i),
			HasNumber: true, Number: int64(i)})
	}
	return ix
}

func TestParse(t *testing.T) {
	for _, c := range []struct {
		text string
		want []int
		line int64
		said string
	}{
		{"38", []int{38}, 0, "Layer 38"},
		{"layer 7", []int{7}, 0, "Layer 7"},
		{" Before Layer 7 ", []int{7}, 0, "Layer 7"},
		{"file 37", []int{38}, 0, "The file's 37 is layer 38"},
		{"# 0", []int{1}, 0, "The file's 0 is layer 1"},
		{"2.60 mm", []int{13, 14}, 0, "2.6 mm is the top of layer 13"},
		{"2,6mm", []int{13, 14}, 0, "2.6 mm is the top of layer 13"},
		{"7.45", []int{38, 39}, 0, "7.45 mm lies in layer 38"},
		{"at 7.45 mm", []int{38, 39}, 0, "7.45 mm lies in layer 38"},
		{"z7.45", []int{38, 39}, 0, "7.45 mm lies in layer 38"},
		{"7.404", []int{37, 38}, 0, "7.404 mm is the top of layer 37"},
		{"z 0", []int{1}, 0, "0 mm is where layer 1 begins"},
		{"10mm", []int{50}, 0, "10 mm is the top of layer 50"},
		{"line 10", []int{1}, 10, "Line 10 belongs to layer 1"},
		{"line 1", []int{1}, 1, "Line 1 belongs to layer 1"},
		{"line 110", []int{2}, 110, "Line 110 belongs to layer 2"},
		{"l 5010", []int{50}, 5010, "Line 5010 belongs to layer 50"},
		{"0%", []int{1}, 0, "0 % of the time falls into layer 1"},
		{"50 %", []int{26}, 0, "50 % of the time falls into layer 26"},
		{"100%", []int{50}, 0, "falls into layer 50"},
		{"1h", []int{31}, 0, "1:00:00 into the print falls into layer 31"},
		{"1h20", []int{41}, 0, "1:20:00"},
		{"1 h 20 min", []int{41}, 0, "1:20:00"},
		{"1:20", []int{41, 1}, 0, "hours and minutes, or minutes and seconds"},
		{"5:00", []int{3}, 0, "0:05:00"}, {"0:20", []int{11, 1}, 0, "hours and minutes"},
		{"20 min", []int{11}, 0, "0:20:00"},
		{"0:05:00", []int{3}, 0, "0:05:00"},
		{"1:20:30", []int{41}, 0, "1:20:30"},
		{"90 s", []int{1}, 0, "0:01:30"},
		{"130s", []int{2}, 0, "0:02:10"},
	} {
		t.Run(c.text, func(t *testing.T) {
			p, err := Parse(tower(), nil, c.text)
			var got []int
			for _, f := range p.Folds {
				got = append(got, f.Layer)
			}
			if err != nil || len(got) != len(c.want) || got[0] != c.want[0] ||
				got[len(got)-1] != c.want[len(c.want)-1] || p.Line != c.line ||
				!strings.Contains(p.Said, c.said) {
				t.Errorf("%+v %v, want %v, line %d, %q", p, err, c.want, c.line, c.said)
			}
		})
	}
}

func TestRefused(t *testing.T) {
	for text, want := range map[string]string{
		"0": "no layer 0", "51": "this print has 50", "99999999999999999999": "no layer",
		"file 50": "no layer that it calls 50", "11mm": "10.00 mm high", "line 0": "no line 0",
		"line 6000": "the file has 5010", "101%": "not in the file", "9h": "done before that",
		"soon": "write a layer", "": "write a layer", "NaN mm": "write a layer",
		"file 99999999999999999999": "write a layer",
	} {
		if p, err := Parse(tower(), nil, text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %+v %v, want %q", text, p, err, want)
		}
	}
	plain := tower()
	for i := range plain.Layers {
		plain.Layers[i].HasNumber = false
	}
	if _, err := Parse(plain, nil, "file 3"); err == nil ||
		!strings.Contains(err.Error(), "does not number") {
		t.Error(err)
	}
}

// TestObjects checks that a height reached by several objects offers the folds of each.
func TestObjects(t *testing.T) {
	ix := tower()
	for i := 25; i < 50; i++ {
		ix.Layers[i].Object = 2
		ix.Layers[i].Z -= 5 * gcode.MM
	}
	p, err := Parse(ix, nil, "2.6 mm")
	if err != nil || len(p.Folds) != 4 || p.Folds[0].Layer != 13 || p.Folds[3].Layer != 39 {
		t.Errorf("%+v %v", p, err)
	}
	if _, err := p.Only(); err == nil || !strings.Contains(err.Error(), "“layer 14” (after 13, "+
		"from "+
		"2.60 mm up)") {
		t.Error(err)
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"38", "7.4 mm", "1:20:05", "50%", "file -3", "line 12"} {
		f.Add(s)
	}
	ix := tower()
	f.Fuzz(func(t *testing.T, text string) {
		p, err := Parse(ix, nil, text)
		if err != nil {
			return
		}
		if len(p.Folds) == 0 || p.Said == "" || p.Line < 0 || p.Line > ix.Lines {
			t.Fatalf("%q: %+v", text, p)
		}
		for _, o := range p.Folds {
			if o.Layer < 1 || o.Layer > len(ix.Layers) || o.Words == "" {
				t.Fatalf("%q: %+v", text, p)
			}
		}
	})
}
