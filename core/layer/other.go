package layer

import (
	"bytes"
	"fmt"

	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/gcode"
)

// other books a command that does not move the head.
func (r *reader) other(s []byte, at int64) {
	c, a := &r.c, &r.a
	if c.Letter == 'G' || c.Letter == 'M' || c.Letter == 'T' {
		r.manner.commands = true
	}
	switch a.Kind {
	case gcode.Stop:
		r.ix.Stops = append(r.ix.Stops, Stop{Line: r.line, Word: c.Word(), Before: len(r.ix.Layers),
			Ear: r.own.inEar})
	case gcode.Dwell:
		r.p.wait(a.Dwell)
		if a.Dwell >= longDwell {
			r.wait(c.Word())
		}
	case gcode.Lasting:
		r.p.settings(c)
	case gcode.Home, gcode.Probe:
		r.p.wait(0)
	case gcode.Message:
		r.l.comment(s, r.line, r.m.Pos[2])
	case gcode.Progress:
		if v := c.Value('R'); r.left == 0 && v > 0 {
			r.left = float64(v) / 1e6
		}
	case gcode.Heat:
		if c.Code == 104 || c.Code == 109 {
			if c.Has('T') {
				r.heats |= 1 << (c.Value('T') / 1e6 & 63)
			}
			r.ix.Heats = append(r.ix.Heats, Place{r.line, at})
		}
		if r.m.Nozzle() == 0 {
			r.faults.ended = true
		}
	case gcode.Motors:
		r.faults.ended = true
	case gcode.Unknown, gcode.Macro:
		r.stranger()
		if asksForHand.Match(c.Name) {
			r.wait(c.Word())
		}
	case gcode.ToolSet:
		if r.m.Tool != r.tool {
			r.tool = r.m.Tool
			r.wait(c.Word())
		}
	case gcode.Nothing:
		if (c.Letter == 'G' && (c.Code == 0 || c.Code == 1)) || c.Letter == 'M' || c.Letter == 'T' {
			break // a feed alone, a question to the printer
		}
	}
	r.between(at, a.Kind == gcode.Pull, false)
}

func (r *reader) bad() {
	r.faults.badLines++
	if r.faults.badLines <= 5 {
		b := r.c.Bad[0]
		code, then := "bad-number", ". The word is left out, as a printer does."
		switch b.Err {
		case gcode.ErrSecond:
			code, then = "second-command", ". It is left out here too."
		case gcode.ErrPower:
			then = ". The word is left out here."
		}
		r.note(finding.Care, code, r.line, "Line "+figures.Count(r.line)+", "+b.Error()+then)
	}
}

// odds looks for bytes that make printers read a line otherwise than it looks.
func (r *reader) odds(s []byte) {
	if i := bytes.IndexByte(s, 0); i >= 0 {
		if r.faults.nuls++; r.faults.nuls <= 3 {
			r.note(finding.Care, "nul-bytes", r.line,
				fmt.Sprintf("Line %s, column %d: there are zero bytes in "+
					"this line. Printers skip what is behind them, or the whole line.",
					figures.Count(r.line), i+1))
		}
	}
	for len(s) > 0 && s[len(s)-1] == '\r' {
		s = s[:len(s)-1]
	}
	if i := bytes.IndexByte(s, '\r'); i >= 0 {
		if r.faults.returns++; r.faults.returns <= 3 {
			r.note(finding.Care, "lone-return", r.line,
				fmt.Sprintf("Line %s, column %d: there is a carriage "+
					"return inside this line. Some printers take what is behind it for a line of its own; "+
					"here it belongs to this one.", figures.Count(r.line), i+1))
		}
	}
}

func (r *reader) wrongSum() {
	r.faults.sumsWrong++
	if r.faults.sumsWrong <= 3 {
		r.note(finding.Care, "checksum", r.line,
			"The checksum of line "+figures.Count(r.line)+" does not fit "+
				"the line. A printer that checks would ask for it again.")
	}
}

// stranger counts a command nobody here knows.
func (r *reader) stranger() {
	c := &r.c
	if string(c.Name) == "%" {
		return // the mark at either end of a tape
	}
	if c.Letter == '?' && r.faults.strange == 0 && (len(c.Name) == 0 || c.Name[0] != '@') {
		r.faults.strange = r.line
	}
	for _, b := range c.Name {
		if b < ' ' || b > '~' {
			return // no word anybody wrote; see rubbish-at-end
		}
	}
	var buf [48]byte
	key := buf[:0]
	if len(c.Name) > 0 {
		key = append(key, c.Name[:min(len(c.Name), 40)]...)
	} else {
		key = append(key, c.Word()...)
	}
	if n := r.faults.unknown[string(key)]; n != nil {
		n.n++
		return
	}
	if len(r.faults.unknown) < 200 {
		r.faults.unknown[string(key)] = &count{1, r.line}
	}
}

func (r *reader) note(level finding.Level, code string, line int64, message string) {
	r.ix.Findings = append(r.ix.Findings, finding.Finding{Level: level, Code: code, Line: line,
		Message: message})
}

// sample learns from a laying line how the file writes its numbers.
func (r *reader) sample(s []byte) {
	r.manner.sampled++
	pl := &r.ix.Places
	for i := 0; i < len(s) && s[i] != ';'; i++ {
		b := s[i]
		if b >= 'a' && b <= 'z' {
			r.manner.lower++
		}
		var to *int
		switch b | 0x20 {
		case 'x', 'y':
			to = &pl.XY
		case 'z':
			to = &pl.Z
		case 'e':
			to = &pl.E
		default:
			continue
		}
		for i++; i < len(s) && s[i] != '.' && s[i] > ' ' && s[i]|0x20 < 'a'; i++ {
		}
		if i < len(s) && s[i] == '.' {
			n := 0
			for i++; i < len(s) && s[i]-'0' <= 9; i++ {
				n++
			}
			*to = max(*to, min(n, 6))
		}
		i--
	}
}

// odd notes something strange about run i.
func (r *reader) odd(i int, code, what string) {
	line := r.ix.Layers[i].First
	r.note(finding.Care, code, line, "Line "+figures.Count(line)+" "+what)
}

// unfollowed notes moves that are not followed, or not all of the way.
func (r *reader) unfollowed() {
	c := &r.c
	const straight = ": where it ends is right, the way between is drawn straight."
	kind, code, what := 0, "curve", "moves along a curve that Dogear does not follow"+straight
	switch {
	case c.Code == 53:
		kind, code = 1, "machine-places"
		what = "moves by the machine's own places. Dogear does not know where the head is then, until " +
			"the next absolute move says so."
	case c.Has('A') || c.Has('B'):
		kind, code = 2, "other-axis"
		what = "moves an axis A or B, which Dogear does not follow. If your printer drives its " +
			"filament " +
			"with it, Dogear sees nothing of what it lays."
	case c.Code < 5:
		kind, code = 3, "plane"
		what = "draws an arc that does not lie level (" + r.m.Plane() + ")" + straight
	}
	if r.faults.strays[kind]++; r.faults.strays[kind] == 1 {
		r.note(finding.Care, code, r.line, "Line "+figures.Count(r.line)+" "+what)
	}
}
