// Package routine turns ears into lines of G-code.
//
// [Compile] takes the machine's state at a fold and the steps of a routine and
// returns the lines to insert there, each with the reason for it. Whatever the
// steps do, the block leaves the machine as it found it:
//
//	          ╭── over to the park place ──╮        retract, lift, park
//	          │                            │        stop, purge
//	   lift ↑ │                            │
//	──────────╯ fold            landing ╰──╯        return from above, down
//	laid before ▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒        restore modes, axis, feed, fan
//
// Every line written is also carried out on a [gcode.Machine]; what is restored
// is what that machine then finds changed, and a block that would leave a
// difference is reported as a finding of level stop.
//
// core/apply does this for all ears of a plan.
package routine
