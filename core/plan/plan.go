// Package plan holds what a person decided about a print, apart from the
// file's bytes: the ears, and the printer, filaments and routines they use.
//
// A plan is exchanged as JSON in the format dogear-plan/1, which
// docs/formats.md describes. [Parse] reads it and says in a sentence what is
// wrong with it; what it returns is complete, with the built-in printer and
// routines put in where the plan was silent.
package plan

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
)

// Format is the name of the plan format.
const Format = "dogear-plan/1"

// Kinds of ears.
const (
	Colour = "colour"
	Insert = "insert"
	Nozzle = "nozzle"
	Own    = "own lines"
)

// Plan is a list of ears and what they need.
type Plan struct {
	Format    string              `json:"format"`
	File      *File               `json:"file,omitempty"`
	Printer   *Printer            `json:"printer,omitempty"`
	Filaments map[string]Filament `json:"filaments,omitempty"`
	First     string              `json:"first_filament,omitempty"`
	Ears      []Ear               `json:"ears"`
	Mutes     []Span              `json:"mutes,omitempty"`
	Routines  map[string]Routine  `json:"routines,omitempty"`
}

// Span is a run of lines, both ends included. Muted lines become comments, and
// what comes behind them finds the machine as if they had been carried out.
type Span struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// File is the file a plan was made for.
type File struct {
	SHA256 string `json:"sha256,omitempty"`
	Name   string `json:"name,omitempty"`
}

// Printer is what must be known of a printer to stop it. Lengths in mm.
type Printer struct {
	Name         string            `json:"name,omitempty"`
	Bed          [4]float64        `json:"bed"` // min x, min y, max x, max y
	Top          float64           `json:"top"` // highest the nozzle can go
	Park         [2]float64        `json:"park"`
	G90MovesE    *bool             `json:"g90_moves_e,omitempty"` // G90 and G91 switch the filament axis too
	Stop         map[string]string `json:"stop,omitempty"`        // word by kind of ear
	SettleBefore []string          `json:"settle_before,omitempty"`
	SettleAfter  []string          `json:"settle_after,omitempty"`
}

// StopWord returns how this printer is told to stop for a kind of ear.
func (p *Printer) StopWord(kind string) string {
	if w := p.Stop[kind]; w != "" {
		return w
	}
	return "M0"
}

// Generic is the printer that is used when a plan names none.
func Generic() *Printer {
	return &Printer{Name: "generic printer", Bed: [4]float64{0, 0, 220, 220}, Top: 250, Park: [2]float64{5, 210}}
}

// Filament is a spool. Temperatures are °C: first layer, then the rest; zero
// means not known.
type Filament struct {
	Name   string     `json:"name"`
	Colour string     `json:"colour"`
	Nozzle [2]float64 `json:"nozzle,omitempty"`
	Bed    [2]float64 `json:"bed,omitempty"`
	Purge  float64    `json:"purge,omitempty"` // mm pushed through when it is loaded
}

// Ear is a marked fold. Exactly one of BeforeLayer, BeforeLine, AtHeight and
// FileNumber is set.
type Ear struct {
	ID          string          `json:"id"`
	BeforeLayer int             `json:"before_layer,omitempty"`
	BeforeLine  int64           `json:"before_line,omitempty"`
	AtHeight    *float64        `json:"at_height,omitempty"` // mm
	FileNumber  *int64          `json:"file_number,omitempty"`
	Z           *float64        `json:"z,omitempty"` // mm: where the fold lay in the file the plan was made for
	Kind        string          `json:"kind"`
	Filament    string          `json:"filament,omitempty"` // key in Plan.Filaments
	Routine     json.RawMessage `json:"routine,omitempty"`  // a name, or a list of steps
	Stop        string          `json:"stop,omitempty"`     // word instead of the printer's
	Land        string          `json:"land,omitempty"`     // "where it was" or "next start"
	Lines       []string        `json:"lines,omitempty"`    // of an "own lines" ear
	Insert      *InsertPart     `json:"insert,omitempty"`
	HeadsUp     *HeadsUp        `json:"heads_up,omitempty"`
	BondPass    *BondPass       `json:"bond_pass,omitempty"`
	Note        string          `json:"note,omitempty"`
}

// Where the head lands when it comes back.
const (
	WhereItWas = "where it was"
	NextStart  = "next start"
)

// InsertPart is what goes into a pocket. Lengths in mm.
type InsertPart struct {
	Shape  string  `json:"shape"`
	Across float64 `json:"across"`
	Height float64 `json:"height"`
	Steel  bool    `json:"steel,omitempty"`
}

// HeadsUp asks for a tone and a message before the ear.
type HeadsUp struct {
	Minutes float64 `json:"minutes,omitempty"`
	Layers  int     `json:"layers,omitempty"`
}

// BondPass asks for the last layer to be laid once more, thinly.
type BondPass struct {
	Flow float64 `json:"flow"` // share of the filament, 0…1
}

// Error is something wrong with a plan. Ear is its id or position; empty when
// the plan as a whole is meant.
type Error struct {
	Ear string
	Err error
}

func (e *Error) Error() string {
	if e.Ear == "" {
		return "plan: " + e.Err.Error()
	}
	return "plan, ear " + e.Ear + ": " + e.Err.Error()
}

// Unwrap returns the cause.
func (e *Error) Unwrap() error { return e.Err }

// ErrPlace is the cause when an ear does not say where it sits, or twice.
var ErrPlace = errors.New("say where it sits with exactly one of before_layer, before_line, at_height, file_number")

// maxPlan is the largest plan that is read, in bytes.
const maxPlan = 8 << 20

// Parse reads a plan.
func Parse(r io.Reader) (*Plan, error) {
	var p Plan
	d := json.NewDecoder(io.LimitReader(r, maxPlan))
	if err := d.Decode(&p); err != nil {
		return nil, &Error{"", fmt.Errorf("this is not JSON that can be read: %w", err)}
	}
	if err := p.Check(); err != nil {
		return nil, err
	}
	return &p, nil
}

// Check says what is wrong with the plan, and puts in the defaults.
func (p *Plan) Check() error {
	if p.Format != Format {
		return &Error{"", fmt.Errorf("the format is %q; %q is understood", p.Format, Format)}
	}
	if p.Printer == nil {
		p.Printer = Generic()
	}
	g := Generic()
	if p.Printer.Bed == ([4]float64{}) {
		p.Printer.Bed = g.Bed
	}
	if b := p.Printer.Bed; b[0] >= b[2] || b[1] >= b[3] {
		return &Error{"", errors.New("the printer's bed has no size")}
	}
	if p.Printer.Top <= 0 {
		p.Printer.Top = g.Top
	}
	if p.First != "" && len(p.Filaments) > 0 {
		if _, ok := p.Filaments[p.First]; !ok {
			return &Error{"", fmt.Errorf("first_filament %q is not among the filaments", p.First)}
		}
	}
	seen := map[string]bool{}
	for i := range p.Ears {
		e := &p.Ears[i]
		if e.ID == "" {
			e.ID = fmt.Sprintf("e%d", i+1)
		}
		if err := p.checkEar(e); err != nil {
			return &Error{e.ID, err}
		}
		if seen[e.ID] {
			return &Error{e.ID, errors.New("the id is used twice")}
		}
		seen[e.ID] = true
	}
	for i, m := range p.Mutes {
		if m.From < 1 || m.To < m.From {
			return &Error{"", fmt.Errorf("mute %d runs from line %d to line %d", i+1, m.From, m.To)}
		}
		for _, o := range p.Mutes[:i] {
			if m.From <= o.To && o.From <= m.To {
				return &Error{"", fmt.Errorf("lines %d to %d are muted twice", max(m.From, o.From), min(m.To, o.To))}
			}
		}
	}
	for name, r := range p.Routines {
		if err := r.Check(); err != nil {
			return &Error{"", fmt.Errorf("routine %q: %w", name, err)}
		}
	}
	return nil
}

func (p *Plan) checkEar(e *Ear) error {
	places := 0
	for _, set := range []bool{e.BeforeLayer != 0, e.BeforeLine != 0, e.AtHeight != nil, e.FileNumber != nil} {
		if set {
			places++
		}
	}
	if places != 1 {
		return ErrPlace
	}
	for _, r := range e.ID {
		if r <= ' ' || r > '~' || r == ';' || r == '(' || r == ')' {
			return fmt.Errorf("the id %q must be letters and digits", e.ID)
		}
	}
	switch e.Kind {
	case Colour, Insert, Nozzle, Own:
	case "":
		return errors.New("say its kind: colour, insert, nozzle or own lines")
	default:
		return fmt.Errorf("the kind %q is not known; there are colour, insert, nozzle and own lines", e.Kind)
	}
	switch e.Land {
	case "", WhereItWas, NextStart:
	default:
		return fmt.Errorf("land is %q; it can be %q or %q", e.Land, WhereItWas, NextStart)
	}
	if e.Filament != "" && len(p.Filaments) > 0 {
		if _, ok := p.Filaments[e.Filament]; !ok {
			return fmt.Errorf("the filament %q is not among the filaments", e.Filament)
		}
	}
	_, err := p.RoutineOf(e)
	return err
}

// FilamentName returns the name to show for a filament's key.
func (p *Plan) FilamentName(key string) string {
	if f, ok := p.Filaments[key]; ok && f.Name != "" {
		return f.Name
	}
	if key == "" {
		return "the next filament"
	}
	return key
}
