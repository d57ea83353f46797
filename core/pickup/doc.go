// Package pickup finishes a failed print: it works out how far the print got,
// and writes a file that goes on from there.
//
// In go a file with its index, what is known about the failure ([Evidence])
// and how the printer finds its place again ([Choice]); out comes a [Pickup]:
// the edits that make the new file, the opening line by line with a verdict
// and a reason for each, and what could go wrong.
//
//	original   ├ start-up ┤ layers on the bed ├──── the rest ────┤
//	                      (cut)               :
//	new file   ├ opening ─────────────────────┼──── the rest ────┤
//
// What always holds, or a finding of level "stop" says why it does not: from the
// start line on everything is byte for byte the original; before it nothing is
// laid near the part; the head goes up first, then across, then down; and at the
// first line of the rest the machine is as the original had it there: place,
// filament axis, debt, heats, fan, speed, modes and settings.
package pickup
