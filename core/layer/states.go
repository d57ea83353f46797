package layer

import (
	"cmp"
	"slices"

	"dogear/core/gcode"
)

// Snapshot is the machine's state before a line.
type Snapshot struct {
	Line, Offset int64
	State        gcode.State
}

// Of the first runs the state before each is kept, so that any layer can be decoded at
// once; of the many behind them only now and then, since a state is as large as all else
// that is known of a layer.
const (
	maxStates = 1 << 15
	stateEach = 2048 // lines
)

// keepStates is maxStates, except in tests.
var keepStates = maxStates

// keep keeps the state at a point, when it is one of the first or far from the last.
func (ix *Index) keep(p point) {
	if n := len(ix.States); n < keepStates || p.line >= ix.States[n-1].Line+stateEach {
		if n > 0 && ix.States[n-1].Line >= p.line {
			ix.States = ix.States[:ix.state(p.line)]
		}
		ix.States = append(ix.States, Snapshot{p.line, p.off, p.at})
	}
}

// state returns where in States the state before a line stands or belongs.
func (ix *Index) state(line int64) int {
	k, _ := slices.BinarySearchFunc(ix.States, line, func(s Snapshot, line int64) int {
		return cmp.Compare(s.Line, line)
	})
	return k
}

// stand moves the fold of layer i to a point, and the state kept there with it.
func (r *reader) stand(i int, p point) {
	ix, l := r.ix, &r.ix.Layers[i]
	k, was := ix.state(l.Fold), l.Fold
	l.Fold, l.Offset = p.line, p.off
	if k == len(ix.States) || ix.States[k].Line != was {
		return
	}
	if (k == 0 || ix.States[k-1].Line < p.line) &&
		(k+1 == len(ix.States) || ix.States[k+1].Line > p.line) {
		ix.States[k] = Snapshot{p.line, p.off, p.at}
		return
	}
	ix.States = slices.Delete(ix.States, k, k+1)
	k = ix.state(p.line)
	if k == len(ix.States) || ix.States[k].Line != p.line {
		ix.States = slices.Insert(ix.States, k, Snapshot{p.line, p.off, p.at})
	}
}

// shed drops the states that are no fold's, when there are states for all folds.
func (ix *Index) shed() {
	if len(ix.States) >= keepStates {
		return
	}
	i := 0
	ix.States = slices.DeleteFunc(ix.States, func(s Snapshot) bool {
		for i < len(ix.Layers) && ix.Layers[i].Fold < s.Line {
			i++
		}
		return i == len(ix.Layers) || ix.Layers[i].Fold != s.Line
	})
}

// nearest returns the last state kept at or before a line.
func (ix *Index) nearest(line int64) Snapshot {
	k := ix.state(line)
	if k == len(ix.States) || ix.States[k].Line > line {
		k--
	}
	if k < 0 {
		return Snapshot{Line: 1, State: gcode.NewMachine(ix.Dialect).State}
	}
	return ix.States[k]
}
