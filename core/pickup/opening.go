package pickup

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/routine"
)

// Verdicts on the lines of the opening.
const (
	Kept    = "kept"
	Changed = "changed"
	Muted   = "muted"
	Added   = "added"
)

// Entry is one line of the opening. Line is 0 for a line that is added.
type Entry struct {
	Line    int64  `json:"line"`
	Was     string `json:"was,omitempty"`
	Verdict string `json:"verdict"`
	Now     string `json:"now,omitempty"`
	Why     string `json:"why"`
	Hurts   string `json:"-"` // code of what would happen if it were kept
	Moves   bool   `json:"-"` // it moves the head
}

// noOoze is the temperature at which a nozzle is warm, but lets nothing run, °C.
const noOoze = 150

// startup looks at the lines in front of layer 1.
func startup(src layer.Source, ix *layer.Index, s *Start, c *Choice) ([]Entry, error) {
	var out []Entry
	err := ix.Walk(src, 0, ix.Layers[0].Fold, func(line int64, text []byte, cmd *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		e := Entry{Line: line, Was: string(bytes.TrimRight(text, "\r\n"))}
		if cmd.Letter == 0 && !cmd.HasN {
			e.Verdict, e.Now = Kept, e.Was // a comment
			out = append(out, e)
			return true
		}
		bare := strip(e.Was)
		e.judge(ix, s, cmd, a, m)
		if keep, ok := c.Flip[line]; ok {
			switch {
			case keep && e.Verdict != Kept:
				e.Verdict, e.Why = Kept, "kept because you say so; "+e.Why
			case !keep && e.Verdict != Muted:
				e.Verdict, e.Why, e.Now = Muted, "left out because you say so", ""
			}
		}
		if e.Verdict == Kept {
			e.Now = bare
		}
		out = append(out, e)
		return true
	})
	return out, err
}

var (
	number   = regexp.MustCompile(`^\s*[Nn]\s*\d+\s*`)
	checksum = regexp.MustCompile(`\s*\*\s*\d+\s*(;.*)?$`)
)

// strip takes number and checksum off a line: its neighbours are not the same
// any more.
func strip(line string) string {
	if !number.MatchString(line) {
		return line
	}
	return checksum.ReplaceAllString(number.ReplaceAllString(line, ""), "$1")
}

// touchy are words that set where the bed is, look for it, or move the head.
var touchy = []int{23, 24, 28, 29, 30, 32, 48, 81, 112, 206, 280, 306, 401, 402, 410, 421, 423, 425,
	428, 665, 666}

// judge gives a verdict on a line of the start-up, with its reason.
func (e *Entry) judge(ix *layer.Index, s *Start, cmd *gcode.Command, a *gcode.Act,
	m *gcode.Machine) {
	mute := func(hurts, why string) { e.Verdict, e.Hurts, e.Why = Muted, hurts, why }
	keep := func(why string) { e.Verdict, e.Why = Kept, why }
	change := func(now, why string) { e.Verdict, e.Now, e.Why = Changed, now, why }
	switch a.Kind {
	case gcode.Lay, gcode.Travel, gcode.Pull, gcode.Push:
		e.moves(ix, s, a, m)
	case gcode.Home:
		if onlyXY(cmd) {
			mute("", "X and Y are homed again below, with the head lifted")
		} else {
			mute("homes-onto-part", "would bring the nozzle down onto the part")
		}
	case gcode.Probe:
		mute("homes-onto-part", "would feel for the bed where the part stands")
	case gcode.SetAxis:
		if cmd.Has('X') || cmd.Has('Y') || cmd.Has('Z') || !cmd.Has('E') {
			mute("position-not-restored", "would rename the place where the head is")
		} else {
			keep("filament axis; it is set exactly below")
		}
	case gcode.Heat:
		e.heats(s, cmd, change, mute)
	case gcode.Mode:
		keep("how places and filament are counted")
	case gcode.Lasting:
		if word := cmd.Word(); slices.Contains(located, word) || word == "G10" ||
			strings.HasPrefix(word, "G5") {
			mute("", "shifts places; it comes into force below, once the printer has homed")
			break
		}
		keep("a setting that stays in force")
	case gcode.FanSet:
		keep("fan; set below to what it was then")
	case gcode.Dwell:
		keep("a short wait")
	case gcode.ToolSet:
		if m.Tool == s.At.Tool {
			keep("the tool that prints")
		} else {
			mute("", fmt.Sprintf("tool %d prints there; it is chosen below", s.At.Tool))
		}
	case gcode.Motors:
		mute("position-not-restored", "would let the motors go, and the printer would lose its place")
	case gcode.Progress, gcode.Message:
		mute("", "only for the display")
	case gcode.Stop:
		mute("", "a stop of the start-up")
	case gcode.Macro:
		mute("homes-onto-part", "a word that only the printer knows; most likely it homes and primes")
	case gcode.Unknown:
		if cmd.Letter == 'M' && !slices.Contains(touchy, cmd.Code) {
			keep("unknown, but no movement; left as it is")
		} else {
			mute("homes-onto-part", "unknown; it may move the head")
		}
	default:
		if cmd.Letter == 'M' && slices.Contains(touchy, cmd.Code) {
			mute("", "not wanted with a part on the bed")
		} else {
			keep("does no harm")
		}
	}
}

func onlyXY(cmd *gcode.Command) bool {
	given := func(l byte) bool { return cmd.Has(l) || cmd.Bare(l) }
	return (given('X') || given('Y')) && !given('Z')
}

// moves gives a verdict on a movement of the start-up. None is needed; the
// reason says what this one would do.
func (e *Entry) moves(ix *layer.Index, s *Start, a *gcode.Act, m *gcode.Machine) {
	e.Verdict, e.Moves = Muted, true
	low := min(a.From[2], m.Pos[2])
	over := crosses(ix.Box, a.From, m.Pos)
	switch {
	case a.Kind == gcode.Lay && over:
		e.Hurts, e.Why = "prime-on-part", "primes along the bed where the part stands"
	case a.Kind == gcode.Lay || a.Kind == gcode.Push:
		e.Why = "primes; that is done beside the part, below"
	case a.Kind == gcode.Pull:
		e.Why = "draws the filament back; that is done below"
	case low < s.Top && (over || m.Known&3 != 3):
		e.Hurts, e.Why = "drag", fmt.Sprintf("%s mm lies inside the part, which is %s mm high", low,
			s.Top)
	default:
		e.Why = "a movement of the start-up; the way is worked out anew below"
	}
	if e.Hurts == "" && low < s.Top && over {
		e.Hurts = "drag"
	}
}

// crosses reports whether the box round a way meets the box of the part.
func crosses(box [4]gcode.Nano, a, b [3]gcode.Nano) bool {
	const m = 2 * gcode.MM
	return max(a[0], b[0]) > box[0]-m && min(a[0], b[0]) < box[2]+m && max(a[1], b[1]) > box[1]-m &&
		min(a[1], b[1]) < box[3]+m
}

func (e *Entry) heats(s *Start, cmd *gcode.Command, change func(now, why string),
	mute func(hurts, why string)) {
	word := byte('S')
	if !cmd.Has('S') {
		word = 'R'
	}
	v := cmd.Value(word)
	if cmd.Code == 140 || cmd.Code == 190 {
		bed := s.At.Bed()
		w := "M140" // it is waited for below, with the head lifted
		why := fmt.Sprintf("bed as it was at layer %d", s.Layer)
		if v != bed {
			why += fmt.Sprintf(", was %s", short(v))
		}
		change(w+" "+routine.Word('S', gcode.Nano(bed)), why)
		return
	}
	if cmd.Has('T') && cmd.Value('T')/1_000_000 != int64(s.At.Tool) {
		mute("", "another tool; it is heated below if it is needed")
		return
	}
	why := fmt.Sprintf("warm but not oozing until it is beside the part; then %s",
		short(s.At.Nozzle()))
	if v != s.At.Nozzle() {
		why += fmt.Sprintf(", was %s", short(v))
	}
	change(fmt.Sprintf("M104 S%d", noOoze), why)
}

// questions ask, one by one, for what a macro may have done that is done by nothing now, with
// what most printers do.
func questions(entries []Entry, own bool) []finding.Finding {
	var out []finding.Finding
	for _, e := range entries {
		if e.Verdict != Muted || !strings.HasPrefix(e.Why, "a word that only") {
			continue
		}
		name, _, _ := strings.Cut(strings.TrimSpace(e.Was), " ")
		ask := func(level finding.Level, text string) {
			out = append(out, finding.Finding{Level: level, Code: "macro-start", Line: e.Line,
				Message: strings.ReplaceAll(text, "NAME", name)})
		}
		if !own {
			ask(finding.Care, "NAME is left out: it most likely homes and primes where the part stands. "+
				"Does it load a stored bed mesh? On a printer that probes its bed it mostly does; then write "+
				"the line for that, often M420 S1, under “Lines of your own”. Without a probe: no.")
		}
		ask(finding.Note, "Does NAME set a pressure or a flow? Mostly not: the slicer writes that into "+
			"the file, and it is kept. If it does, write the line under “Lines of your own”.")
		ask(finding.Note,
			"Does NAME switch on a light, a fan of the enclosure or its heater? Do that by "+
				"hand before you start; nothing else depends on it.")
	}
	return out
}

// short writes a temperature.
func short(v int64) string { return string(gcode.AppendMM(nil, gcode.Nano(v), 0)) }
