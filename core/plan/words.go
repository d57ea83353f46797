package plan

import (
	"fmt"
	"slices"
	"strings"
)

// Words says what a step does, in the words of a person at a printer.
func (s Step) Words(p *Plan, e *Ear) string {
	switch s.Do {
	case "say":
		return "Says “" + p.Fill(s.Text, e) + "”"
	case "tone":
		switch max(s.Times, 1) {
		case 1:
			return "Tone"
		case 3:
			return "Tone, three times"
		}
		return fmt.Sprintf("Tone, %d times", s.Times)
	case "retract":
		return fmt.Sprintf("Draws the filament back, %g mm in all", s.MM)
	case "lift":
		return fmt.Sprintf("Up, %g mm above the highest plastic", s.MM)
	case "park":
		if s.Keep {
			return "Stays where it is"
		}
		switch {
		case s.At != "":
			return "Aside, to the place “" + s.At + "”"
		case s.X != nil && s.Y != nil:
			return fmt.Sprintf("Aside, to X %g Y %g", *s.X, *s.Y)
		}
		return "Aside, to the park place"
	case "fan":
		if s.Percent == nil {
			return "Fan as it was"
		}
		return fmt.Sprintf("Fan at %g %%", *s.Percent)
	case "heat", "cool":
		verb := "Heats"
		if s.Do == "cool" {
			verb = "Cools"
		}
		if s.Celsius == 0 {
			if s.Wait {
				return "Nozzle back to what the print needs, and waits for it"
			}
			return "Nozzle back to what the print needs"
		}
		if s.Wait {
			return fmt.Sprintf("%s to %g °C and waits for it", verb, s.Celsius)
		}
		return fmt.Sprintf("%s to %g °C", verb, s.Celsius)
	case "wait":
		if s.Warn > 0 {
			return fmt.Sprintf("Waits %g s, with a tone %g s before the end", s.Seconds, s.Warn)
		}
		return fmt.Sprintf("Waits %g s", s.Seconds)
	case "stop":
		if DoesItAll(p.StopOf(e)) {
			return "The printer parks, changes and comes back by itself"
		}
		if s := StopsFor(p.StopOf(e)); s > 0 {
			return fmt.Sprintf("Waits %g s, then goes on by itself", s)
		}
		return "Waits for you"
	case "unload":
		if s.MM == 0 {
			return "Draws the filament out, as far as it says"
		}
		return fmt.Sprintf("Draws the filament out, %g mm", s.MM)
	case "load":
		if s.MM == 0 {
			return "Feeds filament in, as far as it says"
		}
		return fmt.Sprintf("Feeds filament in, %g mm", s.MM)
	case "purge":
		return fmt.Sprintf("Purges %g mm; wipe it off", p.PurgeOf(e, s))
	case "wipe":
		return "Wipes the nozzle"
	case "lines":
		return "Your own lines"
	case "bond":
		return "Lays the last layer once more, thinly"
	case "return":
		if !p.leaves(e) {
			return "Goes on where it stands"
		}
		return "Back over the part from above, then down"
	case "restore":
		return "Axis, speed, fan and modes as they were"
	}
	return s.Do
}

// Fill puts what an ear is about into a text: {filament}, {note}, {nozzle} and
// {layer} are replaced.
func (p *Plan) Fill(text string, e *Ear) string {
	note := e.Note
	if note == "" && e.Insert != nil && e.Insert.Name != "" {
		note = "Put in " + e.Insert.Name
		if e.Count > 1 {
			note = fmt.Sprintf("Put in %d × %s", e.Count, e.Insert.Name)
		}
	}
	if note == "" {
		note = "Put it in"
	}
	nozzle := "the other nozzle"
	if e.Nozzle > 0 {
		nozzle = fmt.Sprintf("the %g mm nozzle", e.Nozzle)
	}
	return strings.NewReplacer("{filament}", p.FilamentName(e.Filament), "{note}", note, "{nozzle}",
		nozzle).Replace(text)
}

// leaves reports whether the head is sent away at an ear, so that it has to come back. A printer
// that does it all comes back by itself.
func (p *Plan) leaves(e *Ear) bool {
	r, err := p.RoutineOf(e)
	return err != nil || slices.ContainsFunc(r, func(s Step) bool {
		return slices.Contains([]string{"lift", "park", "wipe", "lines", "bond"}, s.Do)
	})
}
