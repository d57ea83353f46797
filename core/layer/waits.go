package layer

import (
	"math/bits"
	"regexp"
	"sort"
)

// A file may wait where no stop word stands: a long dwell, a macro by whose name somebody is
// asked to do something, or another tool on a printer that has one nozzle only. Nobody but the
// printer knows, so they are kept apart from the stops.

// longDwell is from how many seconds on a dwell is taken for a pause that somebody wanted:
// what slicers write to let a nozzle or a layer settle is shorter.
const longDwell = 30

// maxWaits bounds what is kept; no file has more than it has layers that somebody attends to.
const maxWaits = 1000

// asksForHand finds macros that are named after what somebody does at the printer.
var asksForHand = regexp.MustCompile(`(?i)^@?(` +
	`(colou?r|filament|spool|reel|material)_?(change|swap|switch)|` +
	`(change|swap|switch|load|unload)_?(colou?r|filament|spool|reel|material)|` +
	`(pause|wait|hold)(_[a-z_]+)?)$`)

// wait books a line that may be a stop.
func (r *reader) wait(word string) {
	if len(r.ix.Waits) < maxWaits && r.own.inEar == "" {
		r.ix.Waits = append(r.ix.Waits, Stop{Line: r.line, Word: word})
	}
}

// maxByHand is up to how many changes of the tool are taken for something that a person does:
// of more of them the printer does it.
const maxByHand = 20

// sortWaits keeps the waits that stand between laying moves, and changes of the tool only
// where the file does not heat several, and where they are few.
func (r *reader) sortWaits() {
	ix := r.ix
	ix.place(ix.Waits)
	changes := 0
	for _, w := range ix.Waits {
		if w.Word[0] == 'T' {
			changes++
		}
	}
	kept := ix.Waits[:0]
	for _, w := range ix.Waits {
		first := len(ix.Layers) > 0 && w.Line < ix.Layers[0].First
		tools := w.Word[0] == 'T' && (bits.OnesCount64(r.heats) > 1 || changes > maxByHand)
		last := len(ix.Layers) > 0 && w.Line > ix.Layers[len(ix.Layers)-1].Last
		if !first && !last && !tools {
			kept = append(kept, w)
		}
	}
	ix.Waits = kept
}

// place finds the layer that comes after each stop.
func (ix *Index) place(stops []Stop) {
	for i := range stops {
		s := &stops[i]
		s.Before = sort.Search(len(ix.Layers), func(k int) bool { return ix.Layers[k].First > s.Line }) +
			1
		if s.Before > len(ix.Layers) {
			s.Before = 0
		}
	}
}
