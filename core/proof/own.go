package proof

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
)

// Otherwise is a run of lines of an edited file, both ends included, and what may
// differ within it.
type Otherwise struct {
	Lines                  [2]int64
	Speed, Flow, Fan, Heat bool
}

func (o Otherwise) none() bool { return !o.Speed && !o.Flow && !o.Fan && !o.Heat }

// active is a change that is in force.
type active struct {
	Otherwise
	change plan.Change // what it says; without an id where that is not known
	began  bool        // its first lines have ended
}

// marks follows what the comments of Dogear's own say, as they come.
type marks struct {
	bond   bool   // a bond pass is laid
	inside string // id of the ear, change or joint whose lines are read
	jump   *Jump
	tool   int32 // whose heat a change changes
	open   map[string]*active
	warm   []int64 // nozzle temperatures of the filament that is in
}

// read follows a mark that was handed over as data, or stands in a block whose seal fits.
func (k *marks) read(w *walker, m *mark.Mark) {
	switch m.Kind {
	case mark.Ear, mark.Change, mark.Back, mark.Over, mark.Slow, mark.Joint, mark.Mute, mark.HeadsUp:
		if k.inside = m.ID; m.Ends {
			k.inside = ""
		}
	}
	switch m.Kind {
	case mark.Bond:
		k.bond = !m.Ends
	case mark.Slow:
		switch {
		case m.EndsIt():
			delete(k.open, "slow")
		case !m.Ends:
			k.open["slow"] = &active{Otherwise: Otherwise{Speed: true}, began: true}
		}
	case mark.Change:
		if !m.Ends {
			k.open[m.ID], k.tool = &active{}, w.m.Tool
			return
		}
		if a := k.open[m.ID]; a != nil {
			a.read(m.Kept)
			a.began = true
		}
	case mark.Back:
		if !m.Ends {
			delete(k.open, m.ID)
		}
	case mark.Ease:
		delete(k.open, "ease")
	case mark.Ear:
		if m.Ends {
			k.ear(w, m.Kept)
		}
	}
}

// ear takes what a block remembers of its ear.
func (k *marks) ear(w *walker, text []byte) {
	var e plan.Remembered
	if json.Unmarshal(text, &e) != nil {
		return
	}
	if e.Ear.Kind == plan.Colour && e.Ear.Filament != "" {
		k.warm = nil
		if e.Filament != nil {
			k.heats(e.Filament.Nozzle[:]...)
		}
	}
	for i := range w.x.standing {
		if s := &w.x.standing[i]; s.id == e.Ear.ID {
			s.from = w.mLine
		}
	}
}

// heats notes at which temperatures the filament may be laid, °C.
func (k *marks) heats(t ...float64) {
	for _, v := range t {
		if v > 0 {
			k.warm = append(k.warm, int64(math.Round(v*1e6)))
		}
	}
}

// wanted reports whether the filament that is in asks for a temperature.
func (k *marks) wanted(v int64) bool { return slices.Contains(k.warm, v) }

// otherwise says what may be laid otherwise at this place.
func (k *marks) otherwise() Otherwise {
	var o Otherwise
	for _, a := range k.open {
		o.Speed, o.Flow, o.Fan, o.Heat = o.Speed || a.Speed, o.Flow || a.Flow, o.Fan ||
			a.Fan, o.Heat || a.Heat
	}
	return o
}

// inForce looks whether each change does what it says, at a laying move.
func (k *marks) inForce(w *walker, o, m *gcode.State) {
	if len(k.open) == 0 || k.open["ease"] != nil {
		return
	}
	for id, a := range k.open {
		c := &a.change
		if c.ID == "" || !a.began {
			continue
		}
		what := ""
		switch {
		case c.Fan != nil && m.Fan != int64(math.Round(*c.Fan*2.55))*1e6:
			what = "the fan"
		case c.Nozzle != 0 && o.Nozzle() >= gcode.Cold && m.Nozzle() != int64(math.Round(c.Nozzle*1e6)):
			what = "the nozzle's heat"
		case c.Speed != 0 && k.open["slow"] == nil && math.Abs(m.Speed()-o.Speed()*c.Speed/100) > 1e-4:
			what = "the speed"
		case c.Flow != 0 && math.Abs(m.Flow()-o.Flow()*c.Flow/100) > 1e-4:
			what = "the flow"
		}
		if what != "" {
			w.cmp.differs("change-not-in-force", "change "+id+" does not hold here: "+what+" is not what "+
				"it says", w.mLine, w.oLine)
			a.change.ID = "" // once will do
		}
	}
}

// read takes what a change remembers of itself.
func (a *active) read(text []byte) {
	var k plan.RememberedChange
	if json.Unmarshal(text, &k) == nil {
		a.set(k.Change)
	}
}

func (a *active) set(c plan.Change) {
	a.change = c
	a.Speed, a.Flow, a.Fan, a.Heat = c.Speed != 0, c.Flow != 0, c.Fan != nil, c.Nozzle != 0
}

// Own is what a file that Dogear has written says of itself in blocks whose seal fits: where it
// lays something otherwise than the original on purpose.
type Own struct {
	Again   [][2]int64  // lines that lay something once more, both ends included
	Changed []Otherwise // lines within which something is laid otherwise
	ears    []marked
	marks   []mark.Placed
	broken  []mark.Placed // first lines of blocks whose seal does not fit
}

// Marks reads what Dogear has written into a file about itself.
func Marks(src layer.Source) (*Own, error) {
	o := &Own{}
	var err error
	if o.marks, o.broken, err = mark.Believed(src); errors.Is(err, mark.ErrFalse) {
		o.marks = nil // where so much is made up nothing is believed
	} else if err != nil {
		return nil, err
	}
	open := map[string]int{} // changes that have not ended
	for i := range o.marks {
		o.read(&o.marks[i], open)
	}
	for id, at := range open { // to the end of the file
		if id != "slow" {
			o.Changed[at].Lines[1] = math.MaxInt64
		}
	}
	slices.SortFunc(o.Changed, func(a, b Otherwise) int { return int(a.Lines[0] - b.Lines[0]) })
	return o, nil
}

// read follows one mark. open has the changes that have not ended yet.
func (o *Own) read(m *mark.Placed, open map[string]int) {
	line := m.Line
	begin := func(id string, what Otherwise) {
		open[id] = len(o.Changed)
		what.Lines = [2]int64{line, line}
		o.Changed = append(o.Changed, what)
	}
	end := func(id string) bool {
		at, ok := open[id]
		if ok {
			o.Changed[at].Lines[1] = line
			delete(open, id)
		}
		return ok
	}
	switch {
	case m.Kind == mark.Bond && m.Ends:
		if n := len(o.Again); n > 0 {
			o.Again[n-1][1] = line
		}
	case m.Kind == mark.Bond:
		o.Again = append(o.Again, [2]int64{line, line})
	case m.EndsIt():
		end("slow")
	case m.Kind == mark.Slow && !m.Ends:
		begin("slow", Otherwise{Speed: true})
	case m.Kind == mark.Change && !m.Ends:
		begin(m.ID, Otherwise{})
	case m.Kind == mark.Change:
		if at, ok := open[m.ID]; ok {
			var a active
			a.read(m.Kept)
			a.Lines = o.Changed[at].Lines
			o.Changed[at] = a.Otherwise
		}
	case m.Kind == mark.Back && m.Ends:
		if !end(m.ID) { // a pick-up that begins within a change
			o.Changed = append(o.Changed, Otherwise{[2]int64{1, line}, true, true, true, true})
		}
	case m.Kind == mark.Ear && m.Ends:
		if e, ok := remember(m.Kept, line); ok {
			o.ears = append(o.ears, e)
		}
	}
}

// within returns the marks of a run of lines, counted from its first one.
func (o *Own) within(from, n int64) []mark.Placed {
	lo, _ := slices.BinarySearchFunc(o.marks, from, func(m mark.Placed, l int64) int {
		return cmp.Compare(m.Line, l)
	})
	var out []mark.Placed
	for _, m := range o.marks[lo:] {
		if m.Line >= from+n {
			break
		}
		m.Line -= from
		out = append(out, m)
	}
	return out
}

// distrust says which blocks look like ours and are not, since their seals do not fit.
func (o *Own) distrust() []finding.Finding {
	var out []finding.Finding
	for i := range o.broken[:min(len(o.broken), maxOfOne)] {
		m := &o.broken[i]
		out = append(out, finding.Finding{Level: finding.Care, Code: "seal-broken", Line: m.Line,
			Message: fmt.Sprintf("The comments say that Dogear has written this (%s %s), but the seal does "+
				"not fit: somebody has changed it, or made it up. Nothing it says of itself is believed.",
				m.Kind, m.ID)})
	}
	return out
}
