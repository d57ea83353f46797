package layer

import "dogear/core/gcode"

// Report is the index in the shape of dogear-layers/1 (docs/formats.md).
type Report struct {
	Format   string        `json:"format"`
	File     ReportFile    `json:"file"`
	Kind     string        `json:"kind"`
	Objects  int           `json:"objects"`
	Marks    ReportMarks   `json:"marks"`
	Layers   []ReportLayer `json:"layers"`
	Stops    []ReportStop  `json:"stops"`
	Seconds  float64       `json:"seconds"`
	Filament float64       `json:"filament"`
	Findings []Finding     `json:"findings"`
}

// ReportFile is the file part of a Report.
type ReportFile struct {
	Name     string `json:"name"`
	Bytes    int64  `json:"bytes"`
	Lines    int64  `json:"lines"`
	LineEnds string `json:"line_ends"`
	EMode    string `json:"e_mode"`
	Numbered bool   `json:"numbered"`
}

// ReportMarks are the file's own marks; null where there is none.
type ReportMarks struct {
	Layer  *string `json:"layer"`
	Offset *int64  `json:"number_offset"`
	Height *string `json:"height"`
	Clock  *string `json:"clock"`
}

// ReportLayer is one layer; lengths in mm, times in s, temperatures in °C.
type ReportLayer struct {
	Layer    int        `json:"layer"`
	Number   *int64     `json:"number"`
	Object   int        `json:"object"`
	Z        float64    `json:"z"`
	Height   float64    `json:"height"`
	First    int64      `json:"first_line"`
	Last     int64      `json:"last_line"`
	Fold     int64      `json:"fold_line"`
	Filament float64    `json:"filament"`
	Seconds  float64    `json:"seconds"`
	Tool     int        `json:"tool"`
	Nozzle   float64    `json:"nozzle"`
	Bed      float64    `json:"bed"`
	Fan      float64    `json:"fan"`
	Box      [4]float64 `json:"box"`
}

// ReportStop is a stop that is in the file; before_layer is null behind the
// last layer.
type ReportStop struct {
	Line   int64  `json:"line"`
	Word   string `json:"word"`
	Before *int   `json:"before_layer"`
}

// Report writes the index down for others to read.
func (ix *Index) Report(name string) Report {
	mm := gcode.Nano.Millimetres
	text := func(s string) *string {
		if s == "" {
			return nil
		}
		return &s
	}
	r := Report{
		Format:   "dogear-layers/1",
		File:     ReportFile{name, ix.Bytes, ix.Lines, ix.LineEnds, ix.EMode, ix.Numbered},
		Kind:     ix.Kind,
		Objects:  ix.Objects,
		Marks:    ReportMarks{Layer: text(ix.Marks.Layer), Height: text(ix.Marks.Height), Clock: text(ix.Marks.Clock)},
		Layers:   make([]ReportLayer, len(ix.Layers)),
		Stops:    make([]ReportStop, len(ix.Stops)),
		Seconds:  ix.Seconds,
		Filament: mm(ix.Filament),
		Findings: append([]Finding{}, ix.Findings...),
	}
	if ix.Marks.HasOffset {
		r.Marks.Offset = &ix.Marks.Offset
	}
	for i := range ix.Layers {
		l := &ix.Layers[i]
		x := ReportLayer{
			Layer: i + 1, Object: l.Object, Z: mm(l.Z), Height: mm(l.Height),
			First: l.First, Last: l.Last, Fold: l.Fold, Filament: mm(l.Filament), Seconds: l.Seconds,
			Tool: l.Tool, Nozzle: float64(l.Nozzle) / 1e6, Bed: float64(l.Bed) / 1e6, Fan: float64(l.Fan) / 1e6,
		}
		if l.HasNumber {
			x.Number = &l.Number
		}
		for k := range l.Box {
			x.Box[k] = mm(l.Box[k])
		}
		r.Layers[i] = x
	}
	for i, s := range ix.Stops {
		r.Stops[i] = ReportStop{Line: s.Line, Word: s.Word}
		if s.Before > 0 {
			before := s.Before
			r.Stops[i].Before = &before
		}
	}
	return r
}
