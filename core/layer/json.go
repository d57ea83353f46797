package layer

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"math"
	"strconv"

	"dogear/core/finding"
	"dogear/core/gcode"
)

// Report is the index in the shape of dogear-layers/1 (docs/formats.md).
type Report struct {
	Format   string            `json:"format"`
	File     ReportFile        `json:"file"`
	Kind     string            `json:"kind"`
	Objects  int               `json:"objects"`
	Marks    ReportMarks       `json:"marks"`
	Layers   []ReportLayer     `json:"layers"`
	Stops    []ReportStop      `json:"stops"`
	Seconds  float64           `json:"seconds"`
	Filament float64           `json:"filament"`
	Findings []finding.Finding `json:"findings"`
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
	r := ix.frame(name)
	r.Layers = make([]ReportLayer, len(ix.Layers))
	for i := range ix.Layers {
		r.Layers[i] = ix.row(i)
	}
	return r
}

// frame is a Report without layers.
func (ix *Index) frame(name string) Report {
	mm := gcode.Nano.Millimetres
	text := func(s string) *string {
		if s == "" {
			return nil
		}
		return &s
	}
	r := Report{
		Format:  "dogear-layers/1",
		File:    ReportFile{name, ix.Bytes, ix.Lines, ix.LineEnds, ix.EMode, ix.Numbered},
		Kind:    ix.Kind,
		Objects: ix.Objects,
		Marks: ReportMarks{Layer: text(ix.Marks.Layer), Height: text(ix.Marks.Height),
			Clock: text(ix.Marks.Clock)},
		Layers:   []ReportLayer{},
		Stops:    make([]ReportStop, len(ix.Stops)),
		Seconds:  ix.Seconds,
		Filament: mm(ix.Filament),
		Findings: append([]finding.Finding{}, ix.Findings...),
	}
	if ix.Marks.HasOffset {
		r.Marks.Offset = &ix.Marks.Offset
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

// row is one layer of a Report.
func (ix *Index) row(i int) ReportLayer {
	mm := gcode.Nano.Millimetres
	l := &ix.Layers[i]
	x := ReportLayer{
		Layer: i + 1, Object: int(l.Object), Z: mm(l.Z), Height: mm(l.Height),
		First: l.First, Last: l.Last, Fold: l.Fold, Filament: mm(l.Filament), Seconds: l.Seconds,
		Tool: int(l.Tool), Nozzle: float64(l.Nozzle) / 1e6, Bed: float64(l.Bed) / 1e6,
		Fan: float64(l.Fan) / 1e6,
	}
	if l.HasNumber {
		x.Number = &l.Number
	}
	for k := range l.Box {
		x.Box[k] = mm(l.Box[k])
	}
	return x
}

// WriteReport writes the Report as JSON, layer by layer: of a file with a million of them
// the whole would be larger than the file.
func (ix *Index) WriteReport(w io.Writer, name string) error {
	var frame bytes.Buffer
	e := json.NewEncoder(&frame)
	e.SetEscapeHTML(false)
	if err := e.Encode(ix.frame(name)); err != nil {
		return err
	}
	// Quotes inside of strings are escaped, so this stands nowhere else.
	head, tail, _ := bytes.Cut(frame.Bytes(), []byte(`,"layers":[]`))
	out := bufio.NewWriterSize(w, 64<<10)
	out.Write(head)
	out.WriteString(`,"layers":[`)
	var b []byte
	for i := range ix.Layers {
		if b = b[:0]; i > 0 {
			b = append(b, ',')
		}
		x := ix.row(i)
		if _, err := out.Write(x.append(b)); err != nil {
			return err
		}
	}
	out.WriteByte(']')
	out.Write(tail)
	return out.Flush()
}

// append writes a row as encoding/json does, in a tenth of its time.
func (x *ReportLayer) append(b []byte) []byte {
	whole := func(name string, v int64) {
		b = append(append(append(b, '"'), name...), `":`...)
		b = strconv.AppendInt(b, v, 10)
	}
	real := func(name string, v float64) {
		b = append(append(append(b, '"'), name...), `":`...)
		b = appendNumber(b, v)
	}
	b = append(b, '{')
	whole("layer", int64(x.Layer))
	if b = append(b, ','); x.Number == nil {
		b = append(b, `"number":null`...)
	} else {
		whole("number", *x.Number)
	}
	b = append(b, ',')
	whole("object", int64(x.Object))
	b = append(b, ',')
	real("z", x.Z)
	b = append(b, ',')
	real("height", x.Height)
	b = append(b, ',')
	whole("first_line", x.First)
	b = append(b, ',')
	whole("last_line", x.Last)
	b = append(b, ',')
	whole("fold_line", x.Fold)
	b = append(b, ',')
	real("filament", x.Filament)
	b = append(b, ',')
	real("seconds", x.Seconds)
	b = append(b, ',')
	whole("tool", int64(x.Tool))
	b = append(b, ',')
	real("nozzle", x.Nozzle)
	b = append(b, ',')
	real("bed", x.Bed)
	b = append(b, ',')
	real("fan", x.Fan)
	b = append(b, `,"box":[`...)
	for k, v := range x.Box {
		if k > 0 {
			b = append(b, ',')
		}
		b = appendNumber(b, v)
	}
	return append(b, "]}"...)
}

// appendNumber writes a number as encoding/json does.
func appendNumber(b []byte, v float64) []byte {
	if a := math.Abs(v); a != 0 && (a < 1e-6 || a >= 1e21) {
		t, err := json.Marshal(v)
		if err != nil { // no number: it never comes from a reading
			return append(b, '0')
		}
		return append(b, t...)
	}
	return strconv.AppendFloat(b, v, 'f', -1, 64)
}
