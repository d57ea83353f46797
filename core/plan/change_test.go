package plan

import (
	"strings"
	"testing"
)

func TestChange(t *testing.T) {
	head := `{"format":"dogear-plan/1","ears":[],"changes":[`
	for _, c := range []struct{ in, err string }{
		{`{"id":"c1","before_layer":3,"until_layer":5,"speed":60}`, ""},
		{`{"before_line":30,"until_layer":5,"fan":0,"flow":104,"nozzle":225}`, ""},
		{`{"before_layer":3,"until_layer":5}`, "it changes nothing"},
		{`{"before_layer":3,"speed":60}`, "where it ends"},
		{`{"until_layer":3,"speed":60}`, "where it begins"},
		{`{"before_layer":3,"before_line":9,"until_layer":5,"speed":60}`, "where it begins"},
		{`{"before_layer":5,"until_layer":5,"speed":60}`, "ends before it begins"},
		{`{"before_line":50,"until_line":50,"speed":60}`, "ends before it begins"},
		{`{"before_layer":-5,"until_layer":5,"speed":60}`, "count from 1"},
		{`{"before_layer":3,"until_layer":5,"speed":5}`, "10 to 300"},
		{`{"before_layer":3,"until_layer":5,"flow":500}`, "50 to 150"},
		{`{"before_layer":3,"until_layer":5,"fan":101}`, "0 to 100"},
		{`{"before_layer":3,"until_layer":5,"nozzle":20}`, "170 to 450"},
		{`{"id":"a b","before_layer":3,"until_layer":5,"speed":60}`, "letters, digits"},
		{`{"id":"c1","before_layer":3,"until_layer":5,"speed":60},{"id":"c1","before_layer":7,` +
			`"until_layer":9,"speed":60}`, "used twice"},
	} {
		t.Run(c.in, func(t *testing.T) {
			_, err := Parse(strings.NewReader(head + c.in + "]}"))
			if c.err == "" && err != nil || c.err != "" &&
				(err == nil || !strings.Contains(err.Error(), c.err)) {
				t.Errorf("%v, want %q", err, c.err)
			}
		})
	}
	fan := 40.0
	c := Change{Speed: 60, Flow: 104, Fan: &fan, Nozzle: 225}
	if got := c.Words(); got != "speed 60 %, flow 104 %, fan 40 %, nozzle 225 °C" {
		t.Error(got)
	}
	for what, o := range map[string]Change{"speed": {Speed: 1}, "flow": {Flow: 1}, "fan": {Fan: &fan},
		"temperature": {Nozzle: 1}, "": {}} {
		if got := c.Clash(&o); got != what {
			t.Errorf("%q, want %q", got, what)
		}
	}
}
