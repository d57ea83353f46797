package printer

import (
	"fmt"
	"strings"

	"dogear/core/gcode"
)

// Fault is something that goes wrong.
type Fault struct {
	Kind   string // power, stop, runout, sensor, jam, skip-x, skip-y
	Line   int64  // when this line has been carried out,
	Layer  int    // or this layer begins,
	Minute float64
}

// Faults there are.
var Faults = []string{"power", "stop", "sensor", "runout", "jam", "skip-x", "skip-y"}

// ParseFault reads KIND@line:N, KIND@layer:N or KIND@minute:T.
func ParseFault(s string) (Fault, error) {
	bad := fmt.Errorf("%q is no fault; write KIND@line:N, KIND@layer:N or KIND@minute:T with one of "+
		"%s", s, strings.Join(Faults, ", "))
	kind, at, ok := strings.Cut(s, "@")
	what, num, ok2 := strings.Cut(at, ":")
	var v float64
	if _, err := fmt.Sscan(num, &v); err != nil || !ok || !ok2 || v <= 0 {
		return Fault{}, bad
	}
	f := Fault{Kind: kind}
	switch what {
	case "line":
		f.Line = int64(v)
	case "layer":
		f.Layer = int(v)
	case "minute":
		f.Minute = v
	default:
		return Fault{}, bad
	}
	for _, k := range Faults {
		if k == kind {
			return f, nil
		}
	}
	return Fault{}, bad
}

// Throw lets something go wrong when its time comes; a fault without a time
// comes at once.
func (p *Printer) Throw(f Fault) {
	if f.Line == 0 && f.Layer == 0 && f.Minute == 0 {
		p.fail(f)
		return
	}
	p.faults = append(p.faults, f)
}

// due lets faults come whose time it is.
func (p *Printer) due() bool {
	for i := 0; i < len(p.faults); i++ {
		f := p.faults[i]
		if f.Line > 0 && p.Line >= f.Line || f.Layer > 0 && p.Layer >= f.Layer || f.Minute > 0 &&
			p.Time >= f.Minute*60 {
			p.faults = append(p.faults[:i], p.faults[i+1:]...)
			i--
			p.fail(f)
		}
	}
	return p.State == Printing || p.State == Heating
}

// fail is what goes wrong.
func (p *Printer) fail(f Fault) {
	switch f.Kind {
	case "power":
		p.State = Dead
		p.nozzle.target, p.bed.target = 0, 0
		p.say("fault", "the power is gone")
	case "stop":
		p.State = Stopped
		p.say("fault", "somebody has pressed stop")
	case "sensor":
		p.State = Stopped
		p.say("fault", "the sensor says that the filament has run out")
	case "runout":
		p.jammed = true
		p.say("fault", "the filament has run out, and nothing has noticed")
	case "jam":
		p.jammed = true
		p.say("fault", "the nozzle is jammed; the head goes on moving")
	case "skip-x", "skip-y":
		k := 0
		if f.Kind == "skip-y" {
			k = 1
		}
		p.skip[k] += 3 * gcode.MM
		p.say("fault", "the head has hit something and lost its place by 3 mm")
	}
}
