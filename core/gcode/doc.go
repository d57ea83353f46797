// Package gcode reads G-code as a 3D printer's firmware would and keeps the
// machine's state exactly.
//
// # Lines
//
// A file is a sequence of lines ended by LF; a CR before it, tabs, NUL bytes
// and a missing last LF are tolerated and never changed, since the package
// only looks at the caller's bytes. One line holds at most one command:
//
//	N120 G1 X10.5 Y-.25 E.04 F1800 *57 ; outer wall
//	│    │  │                      │     └ comment, to the end of the line
//	│    │  └ words: a letter and    └ checksum (XOR of the bytes before it)
//	│    │    an optional number
//	│    └ command: G, M or T with its number
//	└ line number
//
// Letters may be lower case and blanks may be left out ("g1x10y2e.5").
// Comments in parentheses are skipped. Commands that carry free text (M117 and
// the like, see [FreeText]) keep the rest of the line as text. A line that
// begins with a longer word ("START_PRINT BED=60") or with "@" is a macro:
// name and parameters are kept, its meaning is up to the printer. A second G
// or M on a line is left out, as most firmware does, and reported in [Command.Bad].
//
// # Numbers
//
// Numbers are decimal text and are read into integers of one millionth of the
// unit in force; lengths are [Nano], one nanometre. Sums of relative moves are
// therefore exact. More than six decimals are rounded half to even. A word
// whose number cannot be read ("X--1", "Xnan") or lies beyond ±9,000,000 is
// reported in [Command.Bad] and otherwise left out. So is one with an exponent
// ("E1e0", "X-1.2e-05"): printers read it in different ways. "g1x1e5" without blanks
// is X and E.
//
// # The machine
//
// [Machine.Exec] carries out one command on a [State] and says in an [Act]
// what it did. The rules are those of the NIST RS274/NGC interpreter as far
// as hobby firmware follows it; where firmware goes its own way the rule is
// written down beside the code. An extruding move pays the filament debt
// first:
//
//	E −0.8  debt 0.8, nothing laid
//	E +1.0  0.8 pays the debt, 0.2 is laid
//
// Filament is a length in mm whatever the file counts: behind "M200 D1.75" its axis
// counts mm³, and [State.Filament] and [State.Step] convert. What printers do
// differently is a [Dialect].
//
// The zero value of every type is ready for use: an absolute, metric machine
// that does not yet know where it stands.
package gcode
