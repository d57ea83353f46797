// Package handshake finds out how a printer stops by asking it.
//
// In go a Kit printer and the stop words to try; out comes a short file for a cold printer
// with an empty bed. It tries one word after another and announces each by its number: as
// many tones, as many strokes in the air, and a message. What a person sees comes back as
// [Answers], and [Learn] makes a printer of them:
//
//	printer, words -> Make -> file -> what somebody sees -> Learn -> printer
//
// Behind each word the head wags a few times, then waits some seconds. A printer that
// honours the word stands still before it wags; one that reads ahead wags first and then
// stands still; one that does not know the word wags, waits and goes on to the next. So
// nothing hangs, and each kind looks different from across the room.
//
// No heater is switched on and no filament is moved.
package handshake

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Usual are the words that are tried, in this order: first those at which a printer only
// waits, then those at which it may do it all by itself.
var Usual = []string{"M0", "M25", "M226", "M400 U1", "@pause", "PAUSE", "M601", "M600"}

// Try is the trial of one word.
type Try struct {
	N           int
	Word        string
	First, Last int64 // lines of the file
	Stop        int64 // the line that is the word
	Wagged      int64 // the last line of the wagging
}

// File is a handshake.
type File struct {
	Lines []routine.Line
	Tries []Try
	Mark  int64 // the line behind which the head waits over the coin, at the start
	Back  int64 // and at the end
}

// Sizes of what the head does, mm, and how fast, mm/min.
const (
	high     = 30 // where it draws: safely above a bed
	low      = 3  // over the coin
	length   = 24 // of a stroke
	apart    = 5  // two strokes
	wag      = 8
	feedFast = 4800
	feedWag  = 1800 // slow enough to be seen from across the room
	feedUp   = 600
)

// Seconds that the file waits.
const (
	pauseCoin = 20
	pauseSee  = 2  // behind the strokes, so that they can be counted
	pauseNext = 10 // behind a word, before the next
)

// most is how many words are tried: more strokes are hard to count.
const most = 9

// ErrNoRoom is the cause when the bed is too small for the strokes.
var ErrNoRoom = errors.New("the bed is too small for the strokes of a handshake; it takes 80 mm")

// Make writes the file for a printer. Without words the usual ones are tried.
func Make(pr *plan.Printer, words []string) (*File, error) {
	if len(words) == 0 {
		words = Usual
	}
	if len(words) > most {
		return nil, fmt.Errorf("%d words are too many for one handshake; try %d at most", len(words),
			most)
	}
	for i, w := range words {
		if plan.StopsFor(w) > 0 {
			return nil, fmt.Errorf("%q waits for a time, and every printer knows that; leave it out", w)
		}
		if w == "" {
			return nil, errors.New("an empty word cannot be tried")
		}
		if err := plan.CheckStop(w); err != nil {
			return nil, fmt.Errorf("%q cannot be tried: %w", w, err)
		}
		if slices.Contains(words[:i], w) {
			return nil, fmt.Errorf("%q is named twice", w)
		}
	}
	x, y, err := middle(pr)
	if err != nil {
		return nil, err
	}
	// The printer is not asked to take a word for a stop: what the lines do is what a
	// printer does that goes straight on.
	f := &File{}
	w := &writer{Script: routine.NewScript(gcode.State{}, routine.Style{}), file: f, x: x, y: y}
	w.opening(pr, len(words))
	for i, word := range words {
		w.try(pr, i+1, len(words), word)
	}
	w.ending()
	f.Lines = w.Lines()
	return f, nil
}

// middle is where the head draws: the middle of a bed that is known, else a place that lies
// on any bed, whether it counts from a corner or from the middle.
func middle(pr *plan.Printer) (x, y gcode.Nano, err error) {
	if pr.Assumed {
		return 40 * gcode.MM, 40 * gcode.MM, nil
	}
	b := pr.Bed
	if b[2]-b[0] < 80 || b[3]-b[1] < 80 || pr.Top < high+5 {
		return 0, 0, ErrNoRoom
	}
	return gcode.FromMM((b[0] + b[2]) / 2), gcode.FromMM((b[1] + b[3]) / 2), nil
}

// writer writes a handshake.
type writer struct {
	*routine.Script
	file *File
	x, y gcode.Nano
}

// line is the number of the line that was written last.
func (w *writer) line() int64 { return int64(len(w.Lines())) }

// to moves the head in the air.
func (w *writer) to(dx, dy gcode.Nano, why string) { w.toAt(dx, dy, feedFast, why) }

func (w *writer) toAt(dx, dy gcode.Nano, feed int, why string) {
	w.Put(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', w.x+dx*gcode.MM),
		routine.Word('Y', w.y+dy*gcode.MM), feed), why)
}

func (w *writer) height(mm gcode.Nano, why string) {
	w.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', mm*gcode.MM), feedUp), why)
}

// tones sounds n times, with gaps, so that they can be counted.
func (w *writer) tones(n int, hz int) {
	for k := range n {
		why := ""
		if k == 0 {
			why = "as many tones as its number"
		}
		w.Put(fmt.Sprintf("M300 S%d P150", hz), why)
		w.Put("G4 P250", "")
	}
}

func (w *writer) opening(pr *plan.Printer, n int) {
	w.Note("; Dogear's handshake: which word makes this printer wait?", "")
	w.Note("; The printer is cold, its bed is empty, and nothing is heated or fed.", "")
	w.Put("G21", "millimetres")
	w.Put("G90", "places count from the corner of the bed")
	w.Put("M83", "filament would count in steps; none is moved")
	w.Put("G28", "home: the bed is empty")
	w.height(high, "up")
	w.to(0, 0, "to the middle")
	w.height(low, "down over the coin")
	w.Put("M117 Put a coin under the nozzle", "can you read this?")
	w.Put("M300 S880 P800", "one long tone: do you hear it?")
	w.Put(fmt.Sprintf("G4 S%d", pauseCoin), "time to put the coin there")
	w.file.Mark = w.line()
	w.height(high, "up again")
	for _, l := range pr.StayAwake {
		w.Verbatim(l, "what keeps it awake")
	}
}

// try announces a word, tries it, and wags.
func (w *writer) try(pr *plan.Printer, n, of int, word string) {
	t := Try{N: n, Word: word, First: w.line() + 1}
	w.Note(fmt.Sprintf("; try %d of %d: %s", n, of, word), "")
	w.Put(fmt.Sprintf("M117 Try %d of %d", n, of), "")
	w.tones(n, 880)
	left := -gcode.Nano(n-1) * apart / 2
	for k := range gcode.Nano(n) {
		// An even stroke goes up and an odd one down, so that the way between is short.
		from, to := gcode.Nano(-length/2), gcode.Nano(length/2)
		if k%2 == 1 {
			from, to = to, from
		}
		why := ""
		if k == 0 {
			why = "as many strokes"
		}
		w.to(left+k*apart, from, why)
		w.to(left+k*apart, to, "")
	}
	w.to(0, 0, "to the middle")
	w.Put(fmt.Sprintf("G4 S%d", pauseSee), "")
	for _, l := range pr.SettleBefore {
		w.Verbatim(l, "so that this printer stops at once")
	}
	w.Verbatim(strings.TrimSpace(word), "")
	t.Stop = w.line()
	for _, l := range pr.SettleAfter {
		w.Verbatim(l, "so that this printer goes on from here")
	}
	for k, why := range []string{"it wags: it has not waited, or goes on", "", "", ""} {
		w.toAt([]gcode.Nano{wag, -wag}[k%2], 0, feedWag, why)
	}
	w.toAt(0, 0, feedWag, "")
	t.Wagged = w.line()
	w.Put(fmt.Sprintf("G4 S%d", pauseNext), "then on to the next")
	t.Last = w.line()
	w.file.Tries = append(w.file.Tries, t)
}

func (w *writer) ending() {
	w.to(0, 0, "back to the coin")
	w.height(low, "down over the coin")
	w.Put("M117 Is it over the coin?", "")
	w.Put("M300 S440 P800", "one long low tone: look")
	w.Put(fmt.Sprintf("G4 S%d", pauseCoin), "time to look")
	w.file.Back = w.line()
	w.height(high, "up")
	w.Put("M117 Done: answer on the page", "")
	w.Note("; Dogear's handshake ends", "")
}

// Text is the file's bytes.
func (f *File) Text() []byte {
	var b []byte
	for i := range f.Lines {
		b = append(append(b, f.Lines[i].Text...), '\n')
	}
	return b
}
