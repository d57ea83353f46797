package proof

import (
	"bytes"
	"encoding/json"
	"io"
	"math"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// MutePrefix stands in front of a line that was left out.
const MutePrefix = "; dogear muted: "

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
	text   []byte  // that a block remembers
	warm   []int64 // nozzle temperatures of the filament that is in
}

// mark is a comment of Dogear's own taken apart.
type mark struct {
	kind, id, rest string
	ends           bool
}

func markIn(line []byte) (mark, bool) {
	text, ok := strings.CutPrefix(string(bytes.TrimRight(line, "\r\n")), "; dogear ")
	if !ok {
		return mark{}, false
	}
	m := mark{rest: text}
	text, m.ends = strings.CutSuffix(text, " ends")
	m.kind, m.id, _ = strings.Cut(text, " ")
	m.id, _, _ = strings.Cut(m.id, ":")
	return m, true
}

// read follows one line.
func (k *marks) read(w *walker, line []byte) {
	m, ok := markIn(line)
	if !ok {
		return
	}
	switch m.kind {
	case "ear", "change", "back", "over", "slow", "joint", "mute", "heads-up":
		if k.inside = m.id; m.ends {
			k.inside = ""
		}
	}
	switch m.kind {
	case "bond":
		k.bond = !m.ends
	case "slow":
		switch {
		case strings.HasSuffix(m.rest, ": over"):
			delete(k.open, "slow")
		case !m.ends:
			k.open["slow"] = &active{Otherwise: Otherwise{Speed: true}, began: true}
		}
	case "change":
		if !m.ends {
			k.text = nil
			k.open[m.id], k.tool = &active{}, w.m.Tool
			return
		}
		if a := k.open[m.id]; a != nil {
			a.read(k.text)
			a.began = true
		}
	case "back":
		if !m.ends {
			delete(k.open, m.id)
		}
	case "ease":
		delete(k.open, "ease")
	case ">":
		k.text = append(k.text, strings.TrimPrefix(m.rest, "> ")...)
	case "ear":
		if !m.ends {
			k.text = nil
			return
		}
		k.ear(w)
	}
}

// ear takes what a block remembers of its ear.
func (k *marks) ear(w *walker) {
	var e struct {
		Ear      plan.Ear       `json:"ear"`
		Filament *plan.Filament `json:"filament"`
	}
	if json.Unmarshal(k.text, &e) != nil {
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
	var k struct {
		Change plan.Change `json:"change"`
	}
	if json.Unmarshal(text, &k) == nil {
		a.set(k.Change)
	}
}

func (a *active) set(c plan.Change) {
	a.change = c
	a.Speed, a.Flow, a.Fan, a.Heat = c.Speed != 0, c.Flow != 0, c.Fan != nil, c.Nozzle != 0
}

// Own is what a file that Dogear has written says of itself: where it lays
// something otherwise than the original on purpose.
type Own struct {
	Again   [][2]int64  // lines that lay something once more, both ends included
	Changed []Otherwise // lines within which something is laid otherwise
	ears    []marked
}

// Marks reads what Dogear has written into a file about itself.
func Marks(r io.Reader) (*Own, error) {
	o := &Own{}
	lines := gcode.NewScanner(r)
	var c gcode.Command
	var kept []byte
	open := map[string]int{} // changes that have not ended
	line := int64(1)
	for ; lines.Scan(&c); line++ {
		if c.Letter != 0 || c.Comment == nil {
			continue
		}
		m, ok := markIn(lines.Text())
		if !ok {
			continue
		}
		switch {
		case m.kind == "bond" && m.ends:
			if n := len(o.Again); n > 0 {
				o.Again[n-1][1] = line
			}
		case m.kind == "bond":
			o.Again = append(o.Again, [2]int64{line, line})
		case m.kind == "slow" && strings.HasSuffix(m.rest, ": over"):
			if at, ok := open["slow"]; ok {
				o.Changed[at].Lines[1] = line
				delete(open, "slow")
			}
		case m.kind == "slow" && !m.ends:
			open["slow"] = len(o.Changed)
			o.Changed = append(o.Changed, Otherwise{Lines: [2]int64{line, line}, Speed: true})
		case m.kind == "change" && !m.ends:
			kept = nil
			open[m.id] = len(o.Changed)
			o.Changed = append(o.Changed, Otherwise{Lines: [2]int64{line, line}})
		case m.kind == "change":
			if at, ok := open[m.id]; ok {
				var a active
				a.read(kept)
				a.Lines = o.Changed[at].Lines
				o.Changed[at] = a.Otherwise
			}
			kept = nil
		case m.kind == "back" && m.ends:
			if at, ok := open[m.id]; ok {
				o.Changed[at].Lines[1] = line
				delete(open, m.id)
			} else { // a pick-up that begins within a change
				o.Changed = append(o.Changed, Otherwise{[2]int64{1, line}, true, true, true, true})
			}
		case m.kind == ">":
			kept = append(kept, strings.TrimPrefix(m.rest, "> ")...)
		case m.kind == "ear" && m.ends:
			if e, ok := remember(kept, line); ok {
				o.ears = append(o.ears, e)
			}
			kept = nil
		case m.kind == "ear":
			kept = nil
		}
	}
	for id, at := range open { // to the end of the file
		if id != "slow" {
			o.Changed[at].Lines[1] = line
		}
	}
	slices.SortFunc(o.Changed, func(a, b Otherwise) int { return int(a.Lines[0] - b.Lines[0]) })
	return o, lines.Err()
}

// ours reads the marks of a file, when it has any.
func ours(src layer.Source, ix *layer.Index) (*Own, error) {
	if ix.Ours == 0 {
		return &Own{}, nil
	}
	return Marks(io.NewSectionReader(src, 0, src.Size()))
}
