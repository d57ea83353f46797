package plan

import (
	"fmt"
	"strings"
)

// Words says what a step does, in the words of a person at a printer.
func (s Step) Words(p *Plan, e *Ear) string {
	switch s.Do {
	case "say":
		t := strings.ReplaceAll(s.Text, "{filament}", p.FilamentName(e.Filament))
		if e.Note != "" {
			t = strings.ReplaceAll(t, "{note}", e.Note)
		}
		return "Says “" + strings.ReplaceAll(t, "{note}", "Put it in") + "”"
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
		if s.Wait {
			return fmt.Sprintf("%s to %g °C and waits for it", verb, s.Celsius)
		}
		return fmt.Sprintf("%s to %g °C", verb, s.Celsius)
	case "wait":
		return fmt.Sprintf("Waits %g s", s.Seconds)
	case "stop":
		if DoesItAll(p.StopOf(e)) {
			return "The printer parks, changes and comes back by itself"
		}
		return "Waits for you"
	case "unload":
		return fmt.Sprintf("Draws the filament out, %g mm", s.MM)
	case "load":
		return fmt.Sprintf("Feeds filament in, %g mm", s.MM)
	case "purge":
		mm := s.MM
		if f, ok := p.Filaments[e.Filament]; ok && f.Purge > 0 && e.Kind == Colour {
			mm = f.Purge
		}
		return fmt.Sprintf("Pushes %g mm through; wipe it off", mm)
	case "wipe":
		return "Wipes the nozzle"
	case "lines":
		return "Your own lines"
	case "bond":
		return "Lays the last layer once more, thinly"
	case "return":
		return "Back over the part from above, then down"
	case "restore":
		return "Axis, speed, fan and modes as they were"
	}
	return s.Do
}
