// Package insert says how something lies in a pocket of a print, and what the
// head must do as long as it stands higher than the plastic around it.
//
// In go pockets that were found, a part of the Kit, and the layer before which
// the printer stops; out come a [Fit] in words, the [Seat] it takes, and a
// [Watch] that tells which moves would run into it. Lengths are mm.
//
//	        ┌───┐ ← Top: what is above the laid plastic stands proud
//	──┐     │   │     ┌── laid when the printer stops
//	  │     │   │     │
//	  └─────┴───┴─────┘ ← Rest
package insert
