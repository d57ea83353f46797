package pickup

import (
	"errors"
	"fmt"

	"dogear/core/apply"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Where a pick-up starts.
const (
	Redo = "redo" // lays the last layer again
	Next = "next" // begins with the layer after the last good one
	Mid  = "mid"  // begins with a line inside a layer
)

// How the printer finds its height again.
const (
	ByKept  = "kept"  // the motors were held; what the printer shows is true
	ByTouch = "touch" // the nozzle is brought down onto the part by hand
	ByClear = "clear" // Z is homed beside the part
)

// Choice is what a person decides about a pick-up.
type Choice struct {
	Start string `json:"start"`
	Layer int    `json:"layer,omitempty"` // last good layer
	// nobody has seen that Layer is whole, see [Belief.ByHeight]
	Measured bool  `json:"measured,omitempty"`
	Line     int64 `json:"line,omitempty"` // mid: the line to begin with
	// mid: percent of that line's move that lies on the part already; the rest of it is laid
	Along  float64     `json:"along,omitempty"`
	Z      string      `json:"z"`
	HomeAt *[2]float64 `json:"home_at,omitempty"` // clear: where Z is homed
	// touch: thickness of what lay between nozzle and part
	Feeler float64 `json:"feeler,omitempty"`
	DX     float64 `json:"dx,omitempty"` // mm by which everything is moved
	DY     float64 `json:"dy,omitempty"` //
	DZ     float64 `json:"dz,omitempty"` //
	// percent of the file's; of the eased layers, if there are any
	Flow      float64     `json:"flow,omitempty"`
	Nozzle    float64     `json:"nozzle,omitempty"`     // °C instead of the file's
	Bed       float64     `json:"bed,omitempty"`        // °C instead of the file's
	Ease      Ease        `json:"ease,omitzero"`        //
	Prime     float64     `json:"prime,omitempty"`      // mm of filament; 0 means 12
	PrimeAt   *[2]float64 `json:"prime_at,omitempty"`   //
	PrimeWait bool        `json:"prime_wait,omitempty"` // there the printer waits for somebody
	Lines     []string    `json:"lines,omitempty"`      // of somebody's own, behind the homing
	Clearance float64     `json:"clearance,omitempty"`  // mm above the highest plastic; 0 means 10
	LooseTop  bool        `json:"loose_top,omitempty"`  // print the rest by itself, on the bed
	// of a loose top: its first layer as the file's own, see [Choice.gentle]
	Gentle bool `json:"gentle,omitempty"`
	// of a loose top: mm of loops laid round it on the bed, which hold it down
	Brim float64 `json:"brim,omitempty"`
	// Flip turns verdicts on lines of the start-up: true keeps the line, false
	// mutes it.
	Flip map[int64]bool `json:"flip,omitempty"`
	// Accept are codes of findings of level "stop" that somebody takes upon
	// themselves.
	Accept []string `json:"accept,omitempty"`
}

// Ease makes the first layers gentler.
type Ease struct {
	Layers int     `json:"layers,omitempty"`
	Speed  float64 `json:"speed,omitempty"`  // percent
	Hotter float64 `json:"hotter,omitempty"` // °C
	Fan    bool    `json:"-"`                // it is slower than in the file
}

// What gentler layers are when nobody says how much: slower, so that they lie against the
// part, and hotter, so that they melt into it.
const (
	usualEaseSpeed  = 80 // percent
	usualEaseHotter = 5  // °C
)

// Eased is how the first layers are made gentler; where only their number is given, as usual.
func (c *Choice) Eased() Ease {
	e := c.Ease
	if e.Layers > 0 && e.Speed == 0 && e.Hotter == 0 && c.Flow == 0 {
		e.Speed, e.Hotter = usualEaseSpeed, usualEaseHotter
	}
	return e
}

// Start is the place where the new file begins.
type Start struct {
	Layer   int   // that is laid, or laid on
	Line    int64 // first line of the rest
	Offset  int64 // its byte offset
	Inside  bool
	At      gcode.State // before that line
	Kept    int         // last layer that is not laid again
	Lies    gcode.Nano  // top of the layer that was laid last, in part or whole
	Top     gcode.Nano  // of the highest plastic on the bed
	Next    [2]gcode.Nano
	HasNext bool    // the way to Next is an absolute travel
	AbsZ    bool    // the rest names a height before it lays anything
	Rest    *Rest   // of the move in front of Line, when that is cut
	Fold    int64   // byte offset of the layer's fold when Line lies behind it, see behindSteps
	warm    float64 // °C that the filament in use asks for
}

// ErrFromTheStart is the cause when nothing of the print is on the bed.
var ErrFromTheStart = errors.New("nothing is on the bed yet; print the file again from the start")

// ErrDone is the cause when nothing is left to print.
var ErrDone = errors.New("the print is done with that layer; nothing is left to pick up")

// Find works out where a choice starts.
func Find(src layer.Source, ix *layer.Index, c *Choice) (*Start, error) {
	if err := c.Check(); err != nil {
		return nil, err
	}
	n := len(ix.Layers)
	if n == 0 {
		return nil, errors.New("the file lays nothing")
	}
	e := plan.Ear{ID: "start"}
	s := &Start{}
	onBed := c.Layer // highest layer that lies there, in part or whole
	switch c.Start {
	case Redo, Next, "":
		s.Layer = c.Layer
		if c.Start != Redo {
			s.Layer++
		}
		switch {
		case c.Layer < 0 || c.Layer > n:
			return nil, fmt.Errorf("there is no layer %d; the print has %d", c.Layer, n)
		case s.Layer <= 1:
			return nil, ErrFromTheStart
		case s.Layer > n:
			return nil, ErrDone
		}
		e.BeforeLayer = s.Layer
	case Mid:
		switch {
		case c.Line < 1 || c.Line > ix.Lines:
			return nil, fmt.Errorf("there is no line %d; the file has %d", c.Line, ix.Lines)
		case c.Line <= ix.Layers[0].First:
			return nil, ErrFromTheStart
		case c.Line > ix.Layers[n-1].Last:
			return nil, ErrDone
		}
		e.BeforeLine = c.Line
	default:
		return nil, fmt.Errorf("the start %q is not known; there are redo, next and mid", c.Start)
	}
	f, err := apply.Locate(src, ix, &e)
	if err != nil {
		return nil, err
	}
	s.take(&f)
	if c.Start != Mid {
		if err := s.behindSteps(src, ix); err != nil {
			return nil, err
		}
	}
	if c.Start == Mid && c.Along != 0 {
		if err := s.cut(src, ix, c); err != nil {
			return nil, err
		}
	}
	s.Kept = s.Layer - 1
	if c.Start == Mid {
		onBed = s.Kept
		if s.Inside {
			onBed = s.Layer
		}
	}
	s.Lies = ix.Layers[max(onBed, 1)-1].Z
	s.Top = max(s.At.Top, s.Lies)
	err = ix.Walk(src, max(ix.At(s.Line), 0), min(s.Line+500, ix.Lines+1),
		func(line int64, _ []byte, cmd *gcode.Command, a *gcode.Act, m *gcode.Machine) bool {
			if line < s.Line {
				return true
			}
			if a.Kind == gcode.Lay {
				return false
			}
			s.AbsZ = cmd.Letter == 'G' && cmd.Code <= 1 && cmd.Has('Z') && !m.RelXYZ
			return !s.AbsZ
		})
	return s, err
}

// take takes the place of a fold.
func (s *Start) take(f *routine.Fold) {
	s.Layer, s.Line, s.Offset, s.Inside, s.At, s.Next, s.HasNext = f.Layer, f.Line, f.Offset, f.Inside,
		f.At, f.Next, f.HasNext
}

// behindSteps moves a start in front of the first laying move of its layer where places count in
// steps: else the head would have to stand just where the layer below has ended, deep between
// its walls or, of a loose top, on the bed itself. Nothing is moved when something happens on
// the way there that is more than a movement or a setting.
func (s *Start) behindSteps(src layer.Source, ix *layer.Index) error {
	first := ix.Layers[s.Layer-1].First
	if !s.At.RelXYZ || s.Line >= first {
		return nil
	}
	plain := true
	err := ix.WalkFrom(src, s.Line, first, func(_ int64, _ []byte, _ *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		switch a.Kind {
		case gcode.Stop, gcode.Home, gcode.Probe, gcode.ToolSet, gcode.Motors, gcode.Macro,
			gcode.Unknown:
			plain = false
		}
		plain = plain && m.RelXYZ
		return plain
	})
	if err != nil || !plain {
		return err
	}
	f, err := apply.Locate(src, ix, &plan.Ear{ID: "start", BeforeLine: first})
	if err == nil {
		s.Fold = s.Offset
		s.take(&f)
	}
	return err
}

// backTo puts the start back in front of what a plan puts in on the way to the first laying move
// of its layer.
func (s *Start) backTo(src layer.Source, ix *layer.Index, res *apply.Result) error {
	if res == nil || s.Fold == 0 {
		return nil
	}
	for _, e := range res.Edits {
		if e.Offset < s.Fold || e.Offset >= s.Offset {
			continue
		}
		f, err := apply.Locate(src, ix, &plan.Ear{ID: "start", BeforeLayer: s.Layer})
		if err == nil {
			s.take(&f)
		}
		return err
	}
	return nil
}

// land is where the head comes down, in machine coordinates without corrections. dz
// is by how much everything will be higher.
func (s *Start) land(dz gcode.Nano) [3]gcode.Nano {
	if s.Rest != nil {
		return s.Rest.From
	}
	at := s.At.Pos
	if s.HasNext {
		at[0], at[1] = s.Next[0], s.Next[1]
	}
	// Laid again, a layer lies there already, and a correction downwards begins only
	// with the next height that the file names: the head must not dive into the part.
	if s.AbsZ && !s.Inside {
		at[2] = max(at[2], s.Lies) - min(dz, 0)
	}
	return at
}
