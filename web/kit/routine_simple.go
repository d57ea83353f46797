package kit

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/web/fields"
	"dogear/web/say"
)

// simpleView is a routine as one form: what most people want to say of a stop.
type simpleView struct {
	plan.Simple
	Places        []fields.Choice
	XText, YText  string
	Meanwhile     []fields.Choice // hot, warm, cold
	Until         []fields.Choice // somebody makes it go on, or a time
	Before, After string
	BondText      string
}

// How warm a nozzle is while it waits.
const (
	staysHot  = "hot"
	staysWarm = "warm"
	goesCold  = "cold"
)

// simpleOf shows a routine as a form; nil where it is none.
func simpleOf(r plan.Routine, pr *plan.Printer) *simpleView {
	s, ok := r.Simple()
	if !ok {
		return nil
	}
	v := &simpleView{Simple: s, Before: strings.Join(s.Before, "\n"),
		After: strings.Join(s.After, "\n"), Places: placesOf(pr, s.Park)}
	if s.Park.X != nil && s.Park.Y != nil {
		v.XText, v.YText = fmt.Sprint(*s.Park.X), fmt.Sprint(*s.Park.Y)
	}
	warm, cold := float64(plan.WarmWait), float64(plan.ColdWait)
	is := staysHot
	switch {
	case s.Cool >= 100:
		is, warm = staysWarm, s.Cool
	case s.Cool > 0:
		is, cold = goesCold, s.Cool
	}
	v.Meanwhile = []fields.Choice{fields.Choose(staysHot, "stays hot", is == staysHot),
		fields.Choose(staysWarm, fmt.Sprintf("warm, %g °C", warm), is == staysWarm),
		fields.Choose(goesCold, fmt.Sprintf("cold, %g °C", cold), is == goesCold)}
	v.Until = []fields.Choice{fields.Choose("", "I make it go on", s.Wait == 0), fields.Choose("time",
		"a time is over", s.Wait > 0)}
	if s.Bond > 0 {
		v.BondText = fmt.Sprintf("%g", s.Bond*100)
	}
	return v
}

// placesOf lists where the head can go aside to, with the one of a step.
func placesOf(pr *plan.Printer, st plan.Step) []fields.Choice {
	own := st.X != nil || st.Y != nil
	out := []fields.Choice{fields.Choose("", "the printer's park place", st.At == "" && !st.Keep &&
		!own),
		fields.Choose("keep:", "nowhere: stays where it is", st.Keep), fields.Choose("xy:",
			"a place of its own", own)}
	names := slices.Sorted(maps.Keys(pr.Places))
	if st.At != "" && !slices.Contains(names, st.At) {
		names = append(names, st.At)
	}
	for _, n := range names {
		out = append(out, fields.Choose("at:"+n, "the place “"+n+"”", st.At == n))
	}
	return out
}

// readPark reads where the head goes aside to.
func readPark(form fields.Form, place, x, y string) (st plan.Step, err error) {
	switch what, name, _ := strings.Cut(form.Value(place), ":"); what {
	case "keep":
		st.Keep = true
	case "at":
		st.At = fields.Clip(name)
	case "xy":
		var ax, ay float64
		if ax, err = form.Number(x, -2000, 2000); err == nil {
			ay, err = form.Number(y, -2000, 2000)
		}
		if form.Value(x) == "" || form.Value(y) == "" { // chosen just now: begin at the corner
			ax, ay = 5, 5
		}
		st.X, st.Y = &ax, &ay
	}
	return st, err
}

// readSimple reads the form; what it does not show stays as it was.
func readSimple(form fields.Form, was plan.Routine) (plan.Routine, error) {
	s, ok := was.Simple()
	if !ok {
		return nil, say.Sentence(fiber.StatusConflict,
			"somebody else has changed this routine just now; "+
				"load the page again")
	}
	times, bond := 0.0, 0.0
	for _, n := range []struct {
		name string
		to   *float64
		high float64
	}{{"tones", &times, 20}, {"draw_back", &s.Retract.MM, 100}, {"up", &s.Lift, 500},
		{"purge", &s.Purge.MM, 2000}, {"bond_pass", &bond, 100}} {
		var err error
		if *n.to, err = form.Number(n.name, 0, n.high); err != nil {
			return nil, err
		}
	}
	s.Tone.Times, s.Bond = int(times), bond/100
	if s.Tone.HZ == 0 {
		s.Tone.HZ, s.Tone.MS = fresh["tone"].HZ, fresh["tone"].MS
	}
	if s.Tone.Times == 0 {
		s.Tone = plan.Step{}
	}
	if s.Retract.MM == 0 {
		s.Retract = plan.Step{}
	} else if s.Retract.Speed == 0 {
		s.Retract.Speed = fresh["retract"].Speed
	}
	if s.Purge.MM == 0 {
		s.Purge = plan.Step{}
	} else if s.Purge.Speed == 0 {
		s.Purge.Speed = fresh["purge"].Speed
	}
	var err error
	if s.Park, err = readPark(form, "place", "x", "y"); err != nil {
		return nil, err
	}
	switch form.Value("meanwhile") {
	case staysHot:
		s.Cool = 0
	case staysWarm:
		if s.Cool < 100 {
			s.Cool = plan.WarmWait
		}
	case goesCold:
		if s.Cool == 0 || s.Cool >= 100 {
			s.Cool = plan.ColdWait
		}
	}
	if form.Value("until") == "" {
		s.Wait, s.Warn = 0, 0
	} else if s.Wait, err = form.Number("seconds", 0, 86400); err != nil {
		return nil, err
	} else if s.Wait == 0 {
		s.Wait, s.Warn = 120, 20
	} else {
		s.Warn = min(max(s.Warn, 10), s.Wait)
	}
	s.Message = fields.Clip(form.Value("message"))
	s.Before, s.After = fields.Lines(form.Value("before")), fields.Lines(form.Value("after"))
	return s.Routine(), nil
}
