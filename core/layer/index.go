package layer

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"sort"
	"strings"

	"dogear/core/finding"
	"dogear/core/gcode"
)

// Source is the bytes of a file. *bytes.Reader and *io.SectionReader are ones.
type Source interface {
	io.ReaderAt
	Size() int64
}

// Kinds of files.
const (
	Layered    = "layered"
	Sequential = "sequential" // objects one after another
	Vase       = "vase"       // one rising spiral
)

// Index is what a reading of a file leaves behind.
type Index struct {
	Dialect  gcode.Dialect // of the printer for which the file was read
	Bytes    int64
	Lines    int64
	LineEnds string // "lf", "crlf" or "mixed"
	EMode    string // "absolute", "relative" or "mixed"
	Numbered bool   // lines carry N numbers
	Lower    bool   // letters are lower case
	OpenE    int64  // first line where it is up to the dialect how filament counts; 0: none
	Kind     string
	Objects  int
	Marks    Marks
	Layers   []Layer
	States   []Snapshot // in the order of their lines; before each fold, if there are not too many
	Prime    Span       // laying beside the part before layer 1; zero when there is none
	Stops    []Stop
	Waits    []Stop // where it may wait, on some printers, or does so for a time; see waits.go
	// ears, changes and runs of muted lines that stand in the file because Dogear has written it
	Ours     int
	Marked   bool     // comments stand in it that look like those around what Dogear puts in
	Words    []string // commands and macros not known here, the first few hundred
	Heats    []Place  // lines that set a nozzle's temperature
	Findings []finding.Finding
	Filament gcode.Nano // laid in all layers
	Seconds  float64    // whole print, heating excluded
	// by which Seconds and the layers' times were stretched to the file's own total
	Scale  float64
	Box    [4]gcode.Nano
	Reach  [4]gcode.Nano // where travels and homing go: min x, min y, max x, max y
	Bed    [4]float64    // as a comment names it, mm; zero when none does
	Places Places        // decimals of the file's numbers
	Labels []string      // comments that name the paths behind them, without the semicolon

	Offsets []int64 // byte offset of every Stride-th line: lines 1, 1+Stride, …
}

// Stride is the number of lines between two entries of Index.Offsets.
const Stride = 256

// Places are the most decimals seen in a file's words.
type Places struct{ XY, Z, E int }

// Span is a run of lines, both ends included.
type Span struct{ First, Last int64 }

// Layer is one layer. Box is min x, min y, max x, max y of what it lays.
type Layer struct {
	Number    int64 // the file's own number
	HasNumber bool
	Object    int32 // 1-based
	Tool      int32
	Z, Height gcode.Nano
	First     int64 // line of the first laying move
	Last      int64 // line of the last laying move
	Fold      int64 // a stop before this layer stands in front of this line
	Offset    int64 // byte offset of the fold line
	Moves     int   // laying moves
	Filament  gcode.Nano
	Begin     float64 // seconds from the start of the print to the fold
	Seconds   float64
	Nozzle    int64 // targets at the first laying move, millionths of a degree
	Bed       int64
	Fan       int64 // millionths of the S value
	Box       [4]gcode.Nano
	Diameter  float64 // of the filament at the fold, mm
}

// Marks are the comments the file repeats with each layer, as templates in
// which numbers stand as #. Empty when there are none.
type Marks struct {
	Layer     string
	Offset    int64 // the file's own number minus our ordinal
	HasOffset bool  // the offset is the same for all layers
	Height    string
	Clock     string
}

// Place is where a line begins.
type Place struct{ Line, Offset int64 }

// Stop is a stop that is in the file.
type Stop struct {
	Line   int64
	Word   string
	Before int    // the layer that comes next; 0 when none does
	Ear    string // id of the ear that put it there, when Dogear has written the file
}

// ReadsAlike reports whether the file means the same to a printer of another dialect:
// nothing of what they do differently is in it.
func (ix *Index) ReadsAlike(d gcode.Dialect) bool {
	if d.KeepE != ix.Dialect.KeepE && ix.OpenE > 0 {
		return false
	}
	differs := func(a, b []string) bool {
		for _, w := range a {
			if !slices.Contains(b, w) && (slices.Contains(ix.Words, w) ||
				slices.ContainsFunc(ix.Stops, func(s Stop) bool { return strings.EqualFold(s.Word, w) })) {
				return true
			}
		}
		return false
	}
	return !differs(d.StopWords, ix.Dialect.StopWords) && !differs(ix.Dialect.StopWords, d.StopWords)
}

// OffsetOf returns the byte offset at which a line begins. One line behind the
// last is allowed and gives the size of the file.
func (ix *Index) OffsetOf(src Source, line int64) (int64, error) {
	if line < 1 || line > ix.Lines+1 {
		return 0, fmt.Errorf("line %d: the file has %d lines", line, ix.Lines)
	}
	if line == ix.Lines+1 {
		return ix.Bytes, nil
	}
	k := (line - 1) / Stride
	off := ix.Offsets[k]
	left := (line - 1) % Stride
	buf := make([]byte, 32<<10)
	for left > 0 {
		n, err := src.ReadAt(buf, off)
		if n == 0 {
			return 0, fmt.Errorf("line %d: %w", line, err)
		}
		part := buf[:n]
		for left > 0 {
			i := bytes.IndexByte(part, '\n')
			if i < 0 {
				off += int64(len(part))
				break
			}
			off += int64(i + 1)
			part = part[i+1:]
			left--
		}
	}
	return off, nil
}

// At returns the layer (1-based) that a line belongs to: the last one whose
// fold is at or before the line; 0 for the lines before the first fold.
func (ix *Index) At(line int64) int {
	return sort.Search(len(ix.Layers), func(i int) bool { return ix.Layers[i].Fold > line })
}

// AtHeight returns the first layer of each object that lies at or above z, in
// which z is the height at which the layer begins: the top of what lies under
// it. None when the print ends below z.
func (ix *Index) AtHeight(z gcode.Nano) []int {
	const eps = 500 // half a micrometre: heights are given with few decimals
	var out []int
	object := int32(0)
	for i := range ix.Layers {
		if l := &ix.Layers[i]; l.Object != object && l.Z-l.Height >= z-eps {
			out = append(out, i+1)
			object = l.Object
		}
	}
	return out
}

// ByNumber returns the layer with the file's own number, 0 when there is none.
func (ix *Index) ByNumber(n int64) int {
	for i := range ix.Layers {
		if ix.Layers[i].HasNumber && ix.Layers[i].Number == n {
			return i + 1
		}
	}
	return 0
}

// Height returns the top of the highest layer.
func (ix *Index) Height() gcode.Nano {
	top := gcode.Nano(0)
	for i := range ix.Layers {
		top = max(top, ix.Layers[i].Z)
	}
	return top
}
