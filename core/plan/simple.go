package plan

import (
	"reflect"
	"slices"
)

// Simple is a routine as most people want it: the printer sounds, goes aside, waits, purges and
// comes back. [Simple.Routine] writes it as steps; [Routine.Simple] reads it back from them.
type Simple struct {
	Tone    Step // its pitch, length and times; no times for none
	Retract Step // how far the filament is drawn back; no mm for not at all
	Lift    float64
	Park    Step     // where it waits
	Cool    float64  // °C while it waits; 0 for as hot as it was
	Before  []string // own lines in front of the wait
	Message string
	Wait    float64  // s; 0 for until somebody makes it go on
	Warn    float64  // s before the end of that: a tone
	After   []string // own lines behind the wait
	Purge   Step     // how much is pushed through; no mm for nothing
	Bond    float64  // share of its filament with which the layer below is laid once more; 0 for not
}

// Heats of a nozzle that waits, °C: warm is below what makes filament ooze and quickly hot
// again, cold is safe to touch for a moment.
const (
	WarmWait = 150
	ColdWait = 50
)

// Routine is what it is as steps.
func (s *Simple) Routine() Routine {
	var r Routine
	add := func(when bool, st Step) {
		if when {
			r = append(r, st)
		}
	}
	named := func(do string, st Step) Step {
		st.Do = do
		return st
	}
	add(s.Tone.Times > 0, named("tone", s.Tone))
	add(s.Retract.MM > 0, named("retract", s.Retract))
	add(s.Lift > 0, Step{Do: "lift", MM: s.Lift})
	add(!s.Park.Keep, named("park", s.Park))
	add(s.Cool > 0, Step{Do: "cool", Celsius: s.Cool})
	add(len(s.Before) > 0, Step{Do: "lines", Lines: s.Before})
	add(s.Message != "", Step{Do: "say", Text: s.Message})
	if s.Wait > 0 {
		add(true, Step{Do: "wait", Seconds: s.Wait, Warn: s.Warn})
	} else {
		add(true, Step{Do: "stop"})
	}
	add(len(s.After) > 0, Step{Do: "lines", Lines: s.After})
	add(s.Cool > 0, Step{Do: "heat", Wait: true})
	add(s.Purge.MM > 0, named("purge", s.Purge))
	add(s.Bond > 0, Step{Do: "bond", Flow: s.Bond})
	return append(r, Step{Do: "return"}, Step{Do: "restore"})
}

// Simple reads a routine as a simple one; ok is false where it does something else, or in
// another order.
func (r Routine) Simple() (s Simple, ok bool) {
	s.Park.Keep = true
	waited := false
	for _, st := range r {
		do := st.Do
		st.Do = ""
		switch do {
		case "tone":
			s.Tone = st
		case "retract":
			s.Retract = st
		case "lift":
			s.Lift = st.MM
		case "park":
			s.Park = st
		case "cool":
			s.Cool = st.Celsius
		case "say":
			s.Message = st.Text
		case "stop", "wait":
			waited = true
			s.Wait, s.Warn = st.Seconds, st.Warn
		case "lines":
			if waited {
				s.After = st.Lines
			} else {
				s.Before = st.Lines
			}
		case "purge":
			s.Purge = st
		case "bond":
			s.Bond = st.Flow
		}
	}
	return s, waited && same(s.Routine(), r)
}

// same reports whether two routines do the same.
func same(a, b Routine) bool {
	return slices.EqualFunc(a, b, func(x, y Step) bool { return reflect.DeepEqual(x, y) })
}
