package handshake

import (
	"bytes"

	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/printer"
)

// Happening is something that one sees or hears of a printer with a handshake.
type Happening struct {
	Time float64 `json:"time"` // s since the start, the waiting for somebody left out
	Try  int     `json:"try"`  // 0 before the first and behind the last
	What string  `json:"what"`
}

// What there is to be seen and heard.
const (
	ShowsMessage = "message"
	SoundsTones  = "tones"
	DrawsStrokes = "strokes"
	StandsStill  = "still" // until somebody makes it go on
	ParksAside   = "parks"
	Wags         = "wags"
	LetsGo       = "lets go" // of its motors; one notices by pushing the head
	OverCoin     = "coin"    // it stands over the coin again, or where it takes it to be
	IsDone       = "done"
)

// Happen lets a simulated printer run the file to its end and tells what one would see, as
// somebody who makes it go on after two minutes at the first stop, and at once at the others.
func Happen(f *File, pr *plan.Printer, h printer.Habits) []Happening {
	src := bytes.NewReader(f.Text())
	p := printer.New(src, &layer.Index{Bytes: src.Size()}, pr, nil)
	p.Adopt(h)
	var out []Happening
	add := func(time float64, try int, what string) {
		if n := len(out); n == 0 || out[n-1].Try != try || out[n-1].What != what {
			out = append(out, Happening{time, try, what})
		}
	}
	// What no event tells happens when a line has been carried out.
	type point struct {
		line int64
		try  int
		what string
	}
	var points []point
	for _, t := range f.Tries {
		points = append(points, point{t.Stop - 1, t.N, DrawsStrokes}, point{t.Wagged, t.N, Wags})
	}
	points = append(points, point{f.Back, 0, OverCoin})
	passed := func(line int64, time float64) {
		for len(points) > 0 && points[0].line <= line {
			add(time, points[0].try, points[0].what)
			points = points[1:]
		}
	}
	of := func(line int64) int {
		for _, t := range f.Tries {
			if line >= t.First && line <= t.Last {
				return t.N
			}
		}
		return 0
	}
	rested := false
	for {
		p.Run(p.Time + instant)
		for _, e := range p.Take() {
			passed(e.Line-1, e.Time)
			try := of(e.Line)
			switch e.Kind {
			case "message":
				add(e.Time, try, ShowsMessage)
			case "tone":
				add(e.Time, try, SoundsTones)
			case "parks":
				add(e.Time, try, ParksAside)
			case "motors":
				add(e.Time, try, LetsGo)
			case "stop":
				t := f.Tries[try-1]
				if e.Line > t.Stop && e.Line <= t.Wagged && e.Line >= t.Wagged-1 {
					add(e.Time, try, Wags) // all but the way back of it
					points = points[1:]
				}
				add(e.Time, try, StandsStill)
			}
		}
		passed(p.Line, p.Time)
		switch {
		case p.State == printer.Waiting && !rested:
			rested = true
			p.Rest(heldFor * 60)
		case p.State == printer.Waiting:
			p.Resume()
		case p.State != printer.Printing && p.State != printer.Heating:
			add(p.Time, 0, IsDone)
			return out
		}
	}
}

// instant is how far the clock goes between two looks at the printer, s.
const instant = 0.01
