package apply

import (
	"bytes"
	"fmt"
	"math"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Changed is a change of a plan as it will stand in the file: some lines where it
// begins, and some where it ends that put everything back.
type Changed struct {
	Change      plan.Change
	From, Until routine.Fold
	Lines       []routine.Line // where it begins
	Back        []routine.Line // where it ends
}

// holds reports whether a change is in force in front of a line, behind what an
// ear does there.
func (c *Changed) holds(line int64) bool { return c.From.Line < line && line <= c.Until.Line }

// fan is the S value of the fan, millionths.
func (c *Changed) fan() int64 { return int64(math.Round(*c.Change.Fan*2.55)) * 1e6 }

// placeChanges finds where the changes of a plan lie in the file.
func (r *Result) placeChanges(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	for i := range p.Changes {
		c := Changed{Change: p.Changes[i]}
		fail := func(err error) error {
			return &plan.Error{Err: fmt.Errorf("change %s: %w",
				c.Change.ID, err)}
		}
		var err error
		if c.From, err = Locate(src, ix, &plan.Ear{BeforeLayer: c.Change.BeforeLayer,
			BeforeLine: c.Change.BeforeLine}); err != nil {
			return fail(err)
		}
		if c.Change.UntilLayer == len(ix.Layers)+1 {
			c.Until, err = Behind(src, ix)
		} else {
			c.Until, err = Locate(src, ix, &plan.Ear{BeforeLayer: c.Change.UntilLayer,
				BeforeLine: c.Change.UntilLine})
		}
		if err != nil {
			return fail(err)
		}
		if c.Until.Line <= c.From.Line {
			return fail(fmt.Errorf("it ends in front of line %d, before it begins in front of line %d",
				c.Until.Line, c.From.Line))
		}
		for k := range r.Changes {
			o := &r.Changes[k]
			if what := c.Change.Clash(&o.Change); what != "" && c.From.Line < o.Until.Line &&
				o.From.Line < c.Until.Line {
				return fail(fmt.Errorf("change %s changes the %s there already", o.Change.ID, what))
			}
		}
		r.Changes = append(r.Changes, c)
	}
	return nil
}

// Behind is the fold behind the last layer: in front of the first line that is
// neither a wipe nor a retraction nor blank.
func Behind(src layer.Source, ix *layer.Index) (routine.Fold, error) {
	n := len(ix.Layers)
	last := ix.Layers[n-1].Last
	f := routine.Fold{Line: ix.Lines + 1, Layer: n, Seconds: ix.Seconds}
	err := ix.Walk(src, n, ix.Lines+1, func(line int64, text []byte, _ *gcode.Command, a *gcode.Act,
		_ *gcode.Machine) bool {
		if line <= last || a.Kind == gcode.Pull || len(bytes.TrimSpace(text)) == 0 {
			return true
		}
		f.Line = line
		return false
	})
	if err != nil {
		return f, err
	}
	if f.Offset, err = ix.OffsetOf(src, f.Line); err != nil {
		return f, err
	}
	f.At, err = ix.StateAt(src, f.Line)
	return f, err
}

// InForce returns the state in front of a line, behind what an ear does there, as the
// changes make it.
func (r *Result) InForce(line int64, s gcode.State) gcode.State {
	for i := range r.Changes {
		if c := &r.Changes[i]; c.holds(line) {
			s = c.force(s)
		}
	}
	return s
}

// behind is [Result.InForce] without the changes that end in front of the line: what
// another change finds that begins there.
func (r *Result) behind(line int64, s gcode.State) gcode.State {
	for i := range r.Changes {
		if c := &r.Changes[i]; c.holds(line) && c.Until.Line != line {
			s = c.force(s)
		}
	}
	return s
}

// force returns a state of the file's as the change makes it.
func (c *Changed) force(s gcode.State) gcode.State {
	ch := &c.Change
	if ch.Fan != nil {
		s.Fan = c.fan()
	}
	if ch.Nozzle != 0 && s.Tool == c.From.At.Tool && s.Nozzle() >= gcode.Cold {
		s = s.WithNozzle(int64(math.Round(ch.Nozzle * 1e6)))
	}
	if ch.Speed != 0 {
		s = s.With("M220 S" + factor(ch.Speed*s.Speed()))
	}
	if ch.Flow != 0 {
		s = s.With("M221 S" + factor(ch.Flow*s.Flow()))
	}
	return s
}

// Factors are by how much the changes in force in front of a line multiply the
// file's own speed and flow; 1 leaves them.
func (r *Result) Factors(line int64) (speed, flow float64) {
	speed, flow = 1, 1
	for i := range r.Changes {
		c := &r.Changes[i]
		if !c.holds(line) {
			continue
		}
		if c.Change.Speed != 0 {
			speed = c.Change.Speed / 100
		}
		if c.Change.Flow != 0 {
			flow = c.Change.Flow / 100
		}
	}
	return speed, flow
}

// heated reports whether a change sets the nozzle on a line.
func (r *Result) heated(line int64) bool {
	for i := range r.Changes {
		if c := &r.Changes[i]; c.Change.Nozzle != 0 && c.From.Line <= line && line < c.Until.Line {
			return true
		}
	}
	return false
}

// mayChange says why a change cannot be made.
func (r *Result) mayChange(p *plan.Plan, c *Changed) error {
	ch := &c.Change
	switch {
	case mutes(p, c.From.Line) || mutes(p, c.Until.Line):
		return fmt.Errorf("change %s begins or ends in muted lines", ch.ID)
	case ch.Nozzle == 0:
		return nil
	case c.From.At.Nozzle() < gcode.Cold || !c.From.At.Stated():
		return fmt.Errorf("change %s sets the nozzle to %g °C, but the file does not say how hot it "+
			"is there, so Dogear could not put it back; leave the heat alone", ch.ID, ch.Nozzle)
	}
	for k := range r.Blocks {
		if b := &r.Blocks[k]; b.Fold.Line > c.From.Line && b.Fold.Line < c.Until.Line &&
			routine.Wants(p, &b.Ear, b.Fold.Layer) != 0 {
			return fmt.Errorf("change %s sets the nozzle to %g °C, but at ear %s a filament brings a "+
				"temperature of its own; let the change end there", ch.ID, ch.Nozzle, b.Ear.ID)
		}
	}
	return nil
}

// changes writes the changes: their first lines, what the file itself says
// between them, and what puts everything back.
func (r *Result) changes(src layer.Source, ix *layer.Index, p *plan.Plan, st routine.Style) error {
	for i := range r.Changes {
		c := &r.Changes[i]
		if err := r.mayChange(p, c); err != nil {
			return err
		}
		ch := &c.Change
		from, until := r.behind(c.From.Line, c.From.At), r.behind(c.Until.Line, c.Until.At)
		a := routine.NewScript(from, st)
		a.Mark(mark.Mark{Kind: mark.Change, ID: ch.ID, Title: routine.Clean(strings.ReplaceAll(
			ch.Words(), "°", ""))}, "other print settings from here on")
		kept := mark.JSON(plan.RememberedChange{Change: *ch})
		if !st.Plain {
			a.Remember(kept)
		}
		z := routine.NewScript(r.InForce(c.Until.Line, c.Until.At), st)
		z.Mark(mark.Mark{Kind: mark.Back, ID: ch.ID, Title: "as the file has it"},
			"from here on as it was")
		if ch.Speed != 0 {
			a.Put("M220 S"+factor(ch.Speed*c.From.At.Speed()), fmt.Sprintf("at %g %% of its speed",
				ch.Speed))
			z.Put("M220 S"+factor(until.Speed()*100), "speed as it was")
		}
		if ch.Flow != 0 {
			a.Put("M221 S"+factor(ch.Flow*c.From.At.Flow()), fmt.Sprintf("with %g %% of its filament",
				ch.Flow))
			z.Put("M221 S"+factor(until.Flow()*100), "filament as it was")
		}
		if ch.Fan != nil {
			a.Put("M106 S"+factor(float64(c.fan())/1e6), fmt.Sprintf("fan at %g %%", *ch.Fan))
			z.Fan(&until)
		}
		if ch.Nozzle != 0 {
			tool := c.From.At.Tool
			a.Put(fmt.Sprintf("M104 S%g", ch.Nozzle), fmt.Sprintf("nozzle to %g C on the way", ch.Nozzle))
			back := until.Target(tool)
			for k := range r.Blocks { // the filament that is laid there may have a heat of its own
				if b := &r.Blocks[k]; b.Fold.Line <= c.From.Line && b.Ear.Kind == plan.Colour &&
					b.Ear.Filament != "" {
					back = until.Target(tool)
					if b.Warm > 0 && back >= gcode.Cold {
						back = int64(math.Round(b.Warm * 1e6))
					}
				}
			}
			word := "M104 "
			if until.Tool != tool { // it is told by its number, since another one prints by then
				word = fmt.Sprintf("M104 T%d ", tool)
			}
			z.Put(word+routine.Word('S', gcode.Nano(back)), "nozzle as it was")
		}
		a.Seal(mark.Mark{Kind: mark.Change, ID: ch.ID, Kept: kept})
		z.Seal(mark.Mark{Kind: mark.Back, ID: ch.ID})
		c.Lines, c.Back = a.Lines(), z.Lines()
	}
	// Where one ends and another begins, the end comes first.
	for i := range r.Changes {
		r.insertChange(src, &r.Changes[i].Until, r.Changes[i].Back)
	}
	for i := range r.Changes {
		r.insertChange(src, &r.Changes[i].From, r.Changes[i].Lines)
		if err := r.between(src, ix, p, &r.Changes[i]); err != nil {
			return err
		}
	}
	return nil
}

// factor writes a percentage.
func factor(v float64) string {
	return strings.TrimSuffix(string(gcode.AppendMM(nil, gcode.FromMM(math.Round(v*1000)/1000), 0)),
		".0")
}

// insertChange inserts lines at a fold, behind what an ear puts there.
func (r *Result) insertChange(src layer.Source, f *routine.Fold, lines []routine.Line) {
	r.Extras = append(r.Extras, Extra{Line: f.Line, Lines: lines})
	r.insert(src, f.Offset, lines)
}

// between rewrites lines of the file that would bring the old fan, temperature or
// factor back.
func (r *Result) between(src layer.Source, ix *layer.Index, p *plan.Plan, c *Changed) error {
	ch := &c.Change
	off := int64(0)
	first := max(ix.At(c.From.Line), 0)
	if first > 0 {
		off = ix.Layers[first-1].Offset
	}
	return ix.Walk(src, first, c.Until.Line, func(line int64, text []byte, cmd *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		at := off
		off += int64(len(text))
		if line < c.From.Line || mutes(p, line) {
			return true
		}
		switch {
		case a.Kind == gcode.FanSet && ch.Fan != nil && (!cmd.Has('P') || cmd.Value('P') == 0):
			v := gcode.Nano(c.fan())
			now, ok := reword(text, 'S', v)
			if cmd.Has('S') && cmd.Value('S') == int64(v) {
				return true
			}
			if !ok {
				if now = instead(text, "M106 "+routine.Word('S', v)); ix.Lower {
					now = bytes.ToLower(now)
				}
			}
			r.replaceLine(line, at, bytes.Clone(text), now, fmt.Sprintf("the fan stays at %g %% here",
				*ch.Fan))
		case a.Kind == gcode.Heat && (cmd.Code == 104 || cmd.Code == 109) && ch.Nozzle != 0 &&
			toolOf(cmd, m.Tool) == c.From.At.Tool:
			letter := byte('S')
			if !cmd.Has(letter) {
				letter = 'R'
			}
			want := int64(ch.Nozzle * 1e6)
			if cmd.Value(letter) < gcode.Cold || cmd.Value(letter) == want {
				return true
			}
			if now, ok := reword(text, letter, gcode.Nano(want)); ok {
				r.replaceLine(line, at, bytes.Clone(text), now, fmt.Sprintf("the nozzle stays at %g C here",
					ch.Nozzle))
			}
		case cmd.Is('M', 220) && cmd.Has('S') && ch.Speed != 0, cmd.Is('M', 221) && cmd.Has('S') &&
			ch.Flow != 0:
			share := ch.Speed
			if cmd.Code == 221 {
				share = ch.Flow
			}
			was := float64(cmd.Value('S')) / 1e6
			if now, ok := reword(text, 'S', gcode.FromMM(math.Round(was*share*10)/1000)); ok {
				r.replaceLine(line, at, bytes.Clone(text), now,
					fmt.Sprintf("%g %% of what the file sets itself", share))
			}
		}
		return true
	})
}

// toolOf is the tool that a heater's line is for.
func toolOf(cmd *gcode.Command, active int32) int32 {
	if cmd.Has('T') {
		return int32(cmd.Value('T') / 1_000_000)
	}
	return active
}
