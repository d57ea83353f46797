package kit

import (
	"reflect"
	"strings"
	"testing"

	"dogear/core/plan"
	"dogear/web/fields"
)

// TestReadSimple reads the form of a routine: each field changes what it is there for, and what the
// form does not show stays as it was.
func TestReadSimple(t *testing.T) {
	was := plan.Simple{Tone: plan.Step{Do: "tone", HZ: 440, MS: 300, Times: 2},
		Retract: plan.Step{Do: "retract", MM: 1.5, Speed: 30}, Lift: 12, Park: plan.Step{Keep: true},
		Cool: 130, Message: "Load it"}
	shown := map[string]string{"tones": "2", "draw_back": "1.5", "up": "12", "purge": "0",
		"bond_pass": "0", "place": "keep:", "meanwhile": "warm", "message": "Load it"}
	five := 5.0
	for name, c := range map[string]struct {
		typed map[string]string
		want  func(s *plan.Simple)
		err   string
	}{
		"nothing": {nil, func(*plan.Simple) {}, ""},
		"no tones": {map[string]string{"tones": "0"},
			func(s *plan.Simple) { s.Tone = plan.Step{} }, ""},
		"no draw-back": {map[string]string{"draw_back": "0"},
			func(s *plan.Simple) { s.Retract = plan.Step{} }, ""},
		"further up": {map[string]string{"up": "30"}, func(s *plan.Simple) { s.Lift = 30 }, ""},
		"purged": {map[string]string{"purge": "45"},
			func(s *plan.Simple) { s.Purge = plan.Step{MM: 45, Speed: 4} }, ""},
		"a bond pass": {map[string]string{"bond_pass": "30"},
			func(s *plan.Simple) { s.Bond = 0.3 }, ""},
		"at a place": {map[string]string{"place": "at:brush"},
			func(s *plan.Simple) { s.Park = plan.Step{At: "brush"} }, ""},
		"a new corner": {map[string]string{"place": "xy:"},
			func(s *plan.Simple) { s.Park = plan.Step{X: &five, Y: &five} }, ""},
		"hot": {map[string]string{"meanwhile": "hot"},
			func(s *plan.Simple) { s.Cool = 0 }, ""},
		"cold": {map[string]string{"meanwhile": "cold"},
			func(s *plan.Simple) { s.Cool = plan.ColdWait }, ""},
		"for a while": {map[string]string{"until": "time"},
			func(s *plan.Simple) { s.Wait, s.Warn = 120, 20 }, ""},
		"for 30 s": {map[string]string{"until": "time", "seconds": "30"},
			func(s *plan.Simple) { s.Wait, s.Warn = 30, 10 }, ""},
		"for 5 s": {map[string]string{"until": "time", "seconds": "5"},
			func(s *plan.Simple) { s.Wait, s.Warn = 5, 5 }, ""},
		"own lines": {map[string]string{"before": "M150 R255\n"},
			func(s *plan.Simple) { s.Before = []string{"M150 R255"} }, ""},
		"no number": {map[string]string{"up": "high"}, nil, "number"},
		"too far":   {map[string]string{"up": "900"}, nil, "500"},
		"nowhere":   {map[string]string{"place": "xy:", "x": "9999", "y": "1"}, nil, "2000"},
		"too long":  {map[string]string{"until": "time", "seconds": "99999"}, nil, "86400"},
	} {
		t.Run(name, func(t *testing.T) {
			form := fields.Form{}
			for k, v := range shown {
				form[k] = []string{v}
			}
			for k, v := range c.typed {
				form[k] = []string{v}
			}
			got, err := readSimple(form, was.Routine())
			if c.err != "" {
				if err == nil || !strings.Contains(err.Error(), c.err) {
					t.Errorf("%v, want something of %q", err, c.err)
				}
				return
			}
			want := was
			c.want(&want)
			if err != nil || !reflect.DeepEqual(got, want.Routine()) {
				t.Errorf("%+v (%v)\nwant %+v", got, err, want.Routine())
			}
		})
	}
	odd := plan.Routine{{Do: "stop"}, {Do: "tone", Times: 1}, {Do: "stop"}}
	if _, err := readSimple(fields.Form{}, odd); err == nil || !strings.Contains(err.Error(), "load") {
		t.Errorf("a routine that is no form any more: %v", err)
	}
}
