// Package bind joins pieces of several slicings of one model into one file: the
// plain part coarse, the detail fine, often with a nozzle for each.
//
// In go pieces, each a file with its index and a run of layers, and what is done
// at the joint between two of them; out comes a [Bound]: one document made of the
// files one behind the other, with the edits that take out what is not wanted and
// put the joints in.
//
//	one    ├ start-up ┤ layers ├── cut ──┤
//	                           joint
//	other           ├─── cut ──┤ layers ├ its end ┤
//
// What always holds, or a finding of level "stop" says why it does not: within a
// piece every byte is the original's; the first file's start-up and the last
// file's end stand there once; a piece begins exactly at the height at which the
// one before it ends; at its first line the machine is as its own file had it
// there: place, filament axis, debt, heats, fan, speed, modes and settings; and
// between the two the head goes up first, then across, then down.
package bind

import (
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Piece is a run of layers of a file. From and To count from 1 and both belong to
// it; To 0 is the last.
type Piece struct {
	Name     string
	Src      layer.Source
	Ix       *layer.Index
	From, To int
}

// Joint is what is done between two pieces. The zero value does nothing: the
// print goes on with what is in the printer.
type Joint struct {
	// Ear says what is done, as an ear does: its kind, filament, nozzle, stop word
	// and routine. Nothing is done when it has no kind.
	Ear plan.Ear
	// DZ lifts everything behind the joint by so many mm: a nozzle that is longer
	// by that much.
	DZ float64
}

// Made is a joint as it will stand in the file.
type Made struct {
	Below, Above int        // pieces, from 0
	Z            gcode.Nano // at which the one ends and the other begins
	At           gcode.State
	Goal         gcode.State
	Lines        []routine.Line
	Findings     []finding.Finding
	Offset, End  int64      // in the joined document: what it stands for
	Line         int64      // of the piece above, that comes behind it
	DZ           gcode.Nano // by which everything behind is lifted
	OutLine      int64      // its first line in the file that is written
	Herald       int        // lines of its heads-up, in the piece below
}

// Bound is a file made of pieces, as edits of the files one behind the other.
type Bound struct {
	Pieces []Piece // with To filled in
	Joints []Made
	// Where layers are left out at the end: the offset and the line that come behind,
	// and what is expected there. TailEnd is 0 when none are.
	TailEnd, TailLine int64
	TailGoal          gcode.State
	// what stands before the end of the last file, when its last layers are left out
	Tail     []routine.Line
	Src      layer.Source // the files, one behind the other
	Edits    []edit.Edit
	Findings []finding.Finding // of all joints, and of the whole
	// lines of each piece in the file that is written, both ends included
	OutLines [][2]int64
}
