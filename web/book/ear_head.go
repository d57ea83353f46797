package book

import (
	"fmt"

	"dogear/core/apply"
	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/web/say"
)

// EarHead says what happens at an ear, where and when.
type EarHead struct {
	ID, Kind    string
	Title, Does string
	Colour      string // of the filament that goes on
	Before      int    // the layer it stands before or lies in
	Line        int64  // set when it lies inside that layer
	Place       string // where it stands
	Short       string // in two words
	File        string // what the file calls that layer
	When        string // after the beginning of the print
}

// HeadOf is the head of an ear of a print.
func (m *Marked) HeadOf(b *Book, e *plan.Ear) EarHead {
	n, line := apply.Place(b.Ix, e)
	l := &b.Ix.Layers[n-1]
	h := EarHead{ID: e.ID, Kind: e.Kind, Before: n, Line: line, When: figures.Hours(l.Begin)}
	h.place(b, e, l)
	h.name(m, e)
	return h
}

// place says where an ear lies; l is the layer above it or round it.
func (h *EarHead) place(b *Book, e *plan.Ear, l *layer.Layer) {
	h.Place = fmt.Sprintf("before layer %d · %s mm", h.Before, say.Millimetres(l.Z-l.Height))
	h.Short = fmt.Sprintf("before %d", h.Before)
	if h.Line > 0 {
		h.Place = fmt.Sprintf("inside layer %d · line %s", h.Before, figures.Count(h.Line))
		h.Short = fmt.Sprintf("inside %d", h.Before)
		if f, err := apply.Locate(b.Src, b.Ix, e); err == nil {
			h.When = figures.Hours(f.Seconds)
		}
	}
	if l.HasNumber && l.Number != int64(h.Before) {
		h.File = fmt.Sprintf("file %d", l.Number)
	}
}

// name says what happens at an ear.
func (h *EarHead) name(m *Marked, e *plan.Ear) {
	switch e.Kind {
	case plan.Colour:
		h.Title, h.Does = m.Plan.FilamentName(e.Filament), "Colour change"
		h.Colour = m.Plan.Filaments[e.Filament].Colour
	case plan.Nozzle:
		h.Title, h.Does = "Nozzle swap", "Another nozzle"
		if e.Nozzle > 0 {
			h.Title = fmt.Sprintf("Nozzle %g mm", e.Nozzle)
		}
	case plan.Own:
		h.Title, h.Does = "Own lines", "Your own G-code"
	default:
		h.Title, h.Does = "Plain stop", "Stops and waits"
		if e.Insert != nil && e.Insert.Name != "" {
			h.Title, h.Does = e.Insert.Name, "Something goes in"
			if e.Count > 1 {
				h.Title = fmt.Sprintf("%d × %s", e.Count, e.Insert.Name)
			}
		}
	}
	if e.Note != "" && e.Kind != plan.Colour {
		h.Title = e.Note
	}
}
