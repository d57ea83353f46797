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
	"regexp"
	"slices"
	"strings"
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

// Kinds are all kinds, in the order in which they are offered.
var Kinds = []string{Colour, Insert, Nozzle, Own}

// Plan is a list of ears and what they need.
type Plan struct {
	Format    string              `json:"format"`
	File      *File               `json:"file,omitempty"`
	Printer   *Printer            `json:"printer,omitempty"`
	Filaments map[string]Filament `json:"filaments,omitempty"`
	First     string              `json:"first_filament,omitempty"`
	Ears      []Ear               `json:"ears"`
	Mutes     []Span              `json:"mutes,omitempty"`
	Changes   []Change            `json:"changes,omitempty"`
	Routines  map[string]Routine  `json:"routines,omitempty"`
	Uses      Uses                `json:"uses,omitzero"`
	// findings taken upon oneself, CODE@LINE; of the file it was marked in only
	Accept []string `json:"accept,omitempty"`
	// of the print it was made for: PNG as a data URL
	Picture string `json:"picture,omitempty"`
}

// Uses names what a plan takes from a [Kit] by name, instead of carrying it.
type Uses struct {
	Printer string `json:"printer,omitempty"`
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
	Shape  *Shape `json:"shape,omitempty"`
}

// Shape is what can be told of a model from any slicing of it. Lengths in mm, areas
// in mm².
type Shape struct {
	Height float64    `json:"height"`
	Box    [4]float64 `json:"box"`   // of what is laid, supports and skirts left out
	Areas  [5]float64 `json:"areas"` // of the sections at a tenth, three tenths … of the height
}

// Seen is what an ear was marked for: a kind of landmark, and of a pocket its
// middle, mm.
type Seen struct {
	Kind string      `json:"kind"`
	At   *[2]float64 `json:"at,omitempty"`
}

// Ear is a marked fold. Exactly one of BeforeLayer, BeforeLine, AtHeight and
// FileNumber is set.
type Ear struct {
	ID          string   `json:"id"`
	BeforeLayer int      `json:"before_layer,omitempty"`
	BeforeLine  int64    `json:"before_line,omitempty"`
	AtHeight    *float64 `json:"at_height,omitempty"` // mm
	FileNumber  *int64   `json:"file_number,omitempty"`
	// mm: where the fold lay in the file the plan was made for
	Z *float64 `json:"z,omitempty"`
	// mm: inside a layer, where the path behind it began in that file
	Near     *[2]float64     `json:"near,omitempty"`
	Seen     *Seen           `json:"seen,omitempty"` // what was to be seen there in that file
	Kind     string          `json:"kind"`
	Filament string          `json:"filament,omitempty"` // key in Plan.Filaments
	Routine  json.RawMessage `json:"routine,omitempty"`  // a name, or a list of steps
	Stop     string          `json:"stop,omitempty"`     // word instead of the printer's
	Land     string          `json:"land,omitempty"`     // "where it was" or "next start"
	Lines    []string        `json:"lines,omitempty"`    // of an "own lines" ear
	Insert   *InsertPart     `json:"insert,omitempty"`
	Count    int             `json:"count,omitempty"` // how many go in; 0 means one
	// mm: in which pockets; empty means those that take it best
	At       [][2]float64 `json:"at,omitempty"`
	Pole     string       `json:"pole,omitempty"`   // of several magnets: "alike" or "opposite"
	Bridge   *Bridge      `json:"bridge,omitempty"` // how the layer that closes over it is laid
	Nozzle   float64      `json:"nozzle,omitempty"` // mm: the next nozzle
	HeadsUp  *HeadsUp     `json:"heads_up,omitempty"`
	BondPass *BondPass    `json:"bond_pass,omitempty"`
	Note     string       `json:"note,omitempty"`

	// From is the key of the filament that is laid up to the ear, where that has been worked
	// out; it is no part of a plan.
	From string `json:"-"`
}

// Where the head lands when it comes back.
const (
	WhereItWas = "where it was"
	NextStart  = "next start"
)

// HeadsUp asks for a tone and a message before the ear.
type HeadsUp struct {
	Minutes float64 `json:"minutes,omitempty"`
	Layers  int     `json:"layers,omitempty"`
}

// BondPass asks for the last layer to be laid once more, thinly.
type BondPass struct {
	Flow float64 `json:"flow"` // share of the filament, 0…1
}

// Poles of several magnets that go in at one ear.
const (
	Alike    = "alike"
	Opposite = "opposite"
)

// Bridge asks for what is laid over an opening to be laid slower.
type Bridge struct {
	Speed float64 `json:"speed"` // percent of the file's own
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
var ErrPlace = errors.New("say where it sits with exactly one of before_layer, before_line, " +
	"at_height, file_number")

// maxLine is the longest line of one's own, in bytes.
const maxLine = 240

// PicturePrefix begins the picture of a plan.
const PicturePrefix = "data:image/png;base64,"

// maxPicture is how long a picture may be, with its prefix, in bytes.
const maxPicture = 200_000

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
	if err := p.Printer.Check(); err != nil {
		return &Error{"", fmt.Errorf("the printer: %w", err)}
	}
	if p.Picture != "" && (!strings.HasPrefix(p.Picture, PicturePrefix) ||
		len(p.Picture) > maxPicture) {
		return &Error{"", fmt.Errorf("its picture must be a PNG as a data URL of at most %d bytes",
			maxPicture)}
	}
	for key, f := range p.Filaments {
		if err := f.Check(); err != nil {
			return &Error{"", fmt.Errorf("the filament %q: %w", key, err)}
		}
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
				return &Error{"", fmt.Errorf("lines %d to %d are muted twice", max(m.From, o.From),
					min(m.To, o.To))}
			}
		}
	}
	for i := range p.Changes {
		c := &p.Changes[i]
		if c.ID == "" {
			c.ID = fmt.Sprintf("c%d", i+1)
		}
		if err := c.Check(); err != nil {
			return &Error{"", fmt.Errorf("change %s: %w", c.ID, err)}
		}
		if slices.ContainsFunc(p.Changes[:i], func(o Change) bool { return o.ID == c.ID }) {
			return &Error{"", fmt.Errorf("change %s: the id is used twice", c.ID)}
		}
	}
	for name, r := range p.Routines {
		if err := r.Check(); err != nil {
			return &Error{"", fmt.Errorf("routine %q: %w", name, err)}
		}
	}
	return nil
}

var idForm = regexp.MustCompile(`^[A-Za-z0-9_-]{1,64}$`)

// checkID says what is wrong with the id of an ear or a change: it stands in
// comments.
func checkID(id string) error {
	if !idForm.MatchString(id) {
		return fmt.Errorf("the id %q must be 1 to 64 letters, digits, - or _", id)
	}
	return nil
}

// CheckLines says what is wrong with lines that somebody wrote: what they are called,
// and the lines.
func CheckLines(what string, lines ...string) error {
	for _, l := range lines {
		switch {
		case len(l) > maxLine:
			return fmt.Errorf("%s is longer than %d characters", what, maxLine)
		case marky.MatchString(l):
			return fmt.Errorf("%s looks like a mark of Dogear's own (%q); begin the comment with another "+
				"word", what, l)
		case strings.ContainsAny(l, "\r\n"):
			return fmt.Errorf("%s holds a line break (%q); write each line by itself", what, l)
		}
	}
	return nil
}

// marky finds lines that could be taken for a mark of Dogear's.
var marky = regexp.MustCompile(`(?i)(^|[\r\n])[\s;(]*;\s*dogear\b`)

func (p *Plan) checkEar(e *Ear) error {
	places := 0
	for _, set := range []bool{e.BeforeLayer != 0, e.BeforeLine != 0, e.AtHeight != nil,
		e.FileNumber != nil} {
		if set {
			places++
		}
	}
	if places != 1 {
		return ErrPlace
	}
	if err := checkID(e.ID); err != nil {
		return err
	}
	switch e.Kind {
	case Colour, Insert, Nozzle, Own:
	case "":
		return errors.New("say its kind: colour, insert, nozzle or own lines")
	default:
		return fmt.Errorf("the kind %q is not known; there are colour, insert, nozzle and own lines",
			e.Kind)
	}
	if e.Insert != nil {
		if err := e.Insert.Check(); err != nil {
			return fmt.Errorf("what goes in: %w", err)
		}
	}
	if len(e.At) > 1000 {
		return errors.New("it names too many pockets")
	}
	for _, at := range e.At {
		if !within(at[0], -10000, 10000) || !within(at[1], -10000, 10000) {
			return errors.New("one of its pockets lies outside of every bed")
		}
	}
	if e.Pole != "" && e.Pole != Alike && e.Pole != Opposite {
		return fmt.Errorf("the poles can be %q or %q, not %q", Alike, Opposite, e.Pole)
	}
	if e.Bridge != nil && !within(e.Bridge.Speed, 10, 100) {
		return fmt.Errorf("%g %% is no speed for what closes over an opening; say 10 to 100",
			e.Bridge.Speed)
	}
	if e.Count < 0 || e.Count > 1000 || !within(e.Nozzle, 0, 5) {
		return errors.New("a number is out of range")
	}
	if h := e.HeadsUp; h != nil && (h.Layers < 0 || !within(h.Minutes, 0, 1000) || h.Layers == 0 &&
		h.Minutes == 0) {
		return errors.New("the heads-up must be some minutes or layers ahead")
	}
	if b := e.BondPass; b != nil && (!within(b.Flow, 0.01, 1)) {
		return errors.New("the flow of the bond pass must lie between 0.01 and 1")
	}
	if err := errors.Join(CheckStop(e.Stop), CheckLines("an own line", e.Lines...)); err != nil {
		return err
	}
	if e.AtHeight != nil && !within(*e.AtHeight, -farthest, farthest) {
		return fmt.Errorf("at_height %g mm is out of range", *e.AtHeight)
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
	r, err := p.RoutineOf(e)
	if err != nil {
		return err
	}
	if e.Kind == Own && len(e.Lines) == 0 && slices.ContainsFunc(r,
		func(s Step) bool { return s.Do == "lines" && len(s.Lines) == 0 }) {
		return errors.New("it is there for own lines, but has none")
	}
	return nil
}

// farthest is how far from the origin a place may lie, mm.
const farthest = 2000

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

// FreeID returns an id that no ear of the plan has.
func (p *Plan) FreeID() string {
	for k := 1; ; k++ {
		id := fmt.Sprintf("a%d", k)
		if !slices.ContainsFunc(p.Ears, func(e Ear) bool { return e.ID == id }) {
			return id
		}
	}
}
