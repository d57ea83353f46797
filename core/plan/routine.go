package plan

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
)

// Routine is the ordered steps at an ear. The last two are always "return" and
// "restore".
type Routine []Step

// Step is one step of a routine. Which fields count depends on Do.
type Step struct {
	Do      string   `json:"do"`
	Text    string   `json:"text,omitempty"`    // say
	HZ      float64  `json:"hz,omitempty"`      // tone
	MS      float64  `json:"ms,omitempty"`      // tone
	Times   int      `json:"times,omitempty"`   // tone
	MM      float64  `json:"mm,omitempty"`      // retract, lift, unload, load, purge
	Speed   float64  `json:"speed,omitempty"`   // mm/s
	X       *float64 `json:"x,omitempty"`       // park
	Y       *float64 `json:"y,omitempty"`       // park
	Keep    bool     `json:"keep,omitempty"`    // park: stay where it is
	At      string   `json:"at,omitempty"`      // park: a named place of the printer
	Percent *float64 `json:"percent,omitempty"` // fan
	Celsius float64  `json:"celsius,omitempty"` // heat, cool
	Wait    bool     `json:"wait,omitempty"`    // heat, cool
	Seconds float64  `json:"seconds,omitempty"` // wait
	Warn    float64  `json:"warn,omitempty"`    // wait: a tone so many seconds before it ends
	Lines   []string `json:"lines,omitempty"`   // lines
	Flow    float64  `json:"flow,omitempty"`    // bond
}

// Steps are the values of Do, in no order.
var Steps = []string{"say", "tone", "retract", "lift", "park", "fan", "heat", "cool", "wait",
	"stop", "unload", "load", "purge", "wipe", "lines", "bond", "return", "restore"}

// ErrEnds is the cause when a routine does not put everything back.
var ErrEnds = errors.New(`the last two steps must be "return" and "restore"`)

// Check says what is wrong with a routine.
func (r Routine) Check() error {
	n := len(r)
	if n < 2 || r[n-2].Do != "return" || r[n-1].Do != "restore" {
		return ErrEnds
	}
	for i, s := range r {
		if !slices.Contains(Steps, s.Do) {
			return fmt.Errorf("step %d: there is no step %q", i+1, s.Do)
		}
		if (s.Do == "return" || s.Do == "restore") && i < n-2 {
			return fmt.Errorf("step %d: %w", i+1, ErrEnds)
		}
		if s.MM < 0 || s.Speed < 0 || s.Seconds < 0 || s.MM > 2000 || s.Times < 0 || s.Times > 100 ||
			!(s.Seconds <= 86400) || !within(s.Warn, 0, s.Seconds) ||
			s.Flow != 0 && !within(s.Flow, 0.01, 1) || !within(s.HZ, 0, 20000) ||
			!within(s.MS, 0, 60000) || s.Speed > 1000 {
			return fmt.Errorf("step %d (%s): a number is out of range", i+1, s.Do)
		}
		if !within(s.Celsius, 0, 600) {
			return fmt.Errorf("step %d (%s): %g °C is out of range", i+1, s.Do, s.Celsius)
		}
		for name, v := range map[string]*float64{"x": s.X, "y": s.Y} {
			if v != nil && !within(*v, -farthest, farthest) {
				return fmt.Errorf("step %d (%s): %s %g mm is out of range; say %d to %d", i+1, s.Do, name,
					*v, -farthest, farthest)
			}
		}
		if s.Percent != nil && !within(*s.Percent, 0, 500) {
			return fmt.Errorf("step %d (%s): %g %% is out of range", i+1, s.Do, *s.Percent)
		}
		if err := CheckLines("a line", append([]string{s.Text}, s.Lines...)...); err != nil {
			return fmt.Errorf("step %d (%s): %w", i+1, s.Do, err)
		}
	}
	return nil
}

// Usual names the built-in routine of each kind of ear.
var Usual = map[string]string{Colour: "swap by hand", Insert: "drop something in",
	Nozzle: "nozzle swap", Own: "own lines"}

// Builtin returns the routines that ship, by name.
func Builtin() map[string]Routine {
	end := Routine{{Do: "return"}, {Do: "restore"}}
	tones := Step{Do: "tone", HZ: 880, MS: 200, Times: 3}
	return map[string]Routine{
		"printer does it all": append(Routine{{Do: "stop"}}, end...),
		"swap by hand": append(Routine{
			tones, {Do: "retract", MM: 2, Speed: 35}, {Do: "lift", MM: 10}, {Do: "park"},
			{Do: "say", Text: "Load {filament}, then resume"}, {Do: "stop"}, {Do: "purge", MM: 30, Speed: 4},
		}, end...),
		"timed window": append(Routine{
			tones, {Do: "retract", MM: 2, Speed: 35}, {Do: "lift", MM: 10}, {Do: "park"},
			{Do: "say", Text: "Load {filament} now"}, {Do: "wait", Seconds: 120, Warn: 20}, {Do: "purge",
				MM: 30, Speed: 4},
		}, end...),
		"drop something in": append(Routine{
			tones, {Do: "retract", MM: 2, Speed: 35}, {Do: "lift", MM: 25}, {Do: "park"},
			{Do: "say", Text: "{note}, then resume"}, {Do: "stop"},
		}, end...),
		"drop many things in": append(Routine{
			tones, {Do: "retract", MM: 2, Speed: 35}, {Do: "lift", MM: 25}, {Do: "park"},
			{Do: "cool", Celsius: 150}, {Do: "say", Text: "{note}, then resume"}, {Do: "stop"},
			{Do: "heat", Wait: true}, {Do: "purge", MM: 8, Speed: 3}, {Do: "bond", Flow: 0.3},
		}, end...),
		"nozzle swap": append(Routine{
			// A nozzle is loosened and tightened hot, without filament in it.
			tones, {Do: "retract", MM: 2, Speed: 35}, {Do: "lift", MM: 40}, {Do: "park"},
			{Do: "unload", Speed: 25},
			{Do: "say", Text: "Filament out, put in {nozzle} hot, then resume"},
			{Do: "stop"}, {Do: "load", Speed: 5}, {Do: "purge", MM: 20, Speed: 3},
		}, end...),
		"sound only": append(Routine{tones}, end...),
		"own lines":  append(Routine{{Do: "lines"}}, end...),
	}
}

// BuiltinNames returns the names of the routines that ship, in the order in
// which they are offered.
func BuiltinNames() []string {
	return []string{"swap by hand", "printer does it all", "timed window", "drop something in",
		"drop many things in", "nozzle swap", "sound only", "own lines"}
}

// StopOf returns the word with which the printer is stopped at an ear.
func (p *Plan) StopOf(e *Ear) string {
	if e.Stop != "" {
		return e.Stop
	}
	return p.Printer.StopWord(e.Kind)
}

// RoutineOf returns the steps at an ear: its own, the named one, or the
// built-in one of its kind. Where the printer does it all, steps it does itself
// are left out.
func (p *Plan) RoutineOf(e *Ear) (Routine, error) {
	if p.Printer == nil {
		p.Printer = Generic()
	}
	var r Routine
	name := ""
	switch {
	case len(e.Routine) == 0 || string(e.Routine) == "null":
		if name = p.Printer.Routine[e.Kind]; name == "" {
			name = Usual[e.Kind]
		}
	case e.Routine[0] == '[':
		if err := json.Unmarshal(e.Routine, &r); err != nil {
			return nil, fmt.Errorf("the routine cannot be read: %w", err)
		}
	default:
		if err := json.Unmarshal(e.Routine, &name); err != nil {
			return nil, errors.New("the routine must be a name or a list of steps")
		}
	}
	if r == nil {
		var ok bool
		if r, ok = p.Routines[name]; !ok {
			if r, ok = Builtin()[name]; !ok {
				return nil, fmt.Errorf("there is no routine %q", name)
			}
		}
	}
	if err := r.Check(); err != nil {
		return nil, err
	}
	if !DoesItAll(p.StopOf(e)) {
		return r, nil
	}
	var out Routine
	for _, s := range r {
		switch s.Do {
		case "retract", "lift", "park", "unload", "load", "purge", "wipe":
		default:
			out = append(out, s)
		}
	}
	return out, nil
}
