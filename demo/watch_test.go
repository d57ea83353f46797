package demo_test

import (
	"bytes"
	"math"
	"testing"
	"time"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/plan"
	"dogear/core/printer"
	"dogear/core/watch"
	"dogear/demo"
)

// TestWatched watches the lighthouse on the simulated printer, whose clock goes a tenth slower and
// a tenth faster than ours: once a stop was named, the next ones are known to some seconds.
func TestWatched(t *testing.T) {
	file, _ := demo.Slice(demo.Lighthouse(), demo.DialectNamed("plain"))
	ix := index(t, file)
	src := bytes.NewReader(file)
	p := &plan.Plan{Format: plan.Format, Printer: plan.Generic()}
	n := len(ix.Layers)
	for i, at := range []int{n / 5, n / 2, 3 * n / 4} {
		p.Ears = append(p.Ears, plan.Ear{ID: string(rune('a' + i)), BeforeLayer: at, Kind: plan.Insert})
	}
	res, err := apply.Plan(src, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	var cues []watch.Cue
	for i := range res.Blocks {
		b := &res.Blocks[i]
		cues = append(cues, watch.Cue{Ear: b.Ear.ID, Seconds: res.Takes(b.Fold.Seconds)})
	}
	var out bytes.Buffer
	if _, err := edit.Write(&out, src, res.Edits); err != nil {
		t.Fatal(err)
	}
	for _, drift := range []float64{0.9, 1.1} {
		pr := printer.New(bytes.NewReader(out.Bytes()), index(t, out.Bytes()), nil,
			func(printer.Laid) {})
		noon := time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)
		began := 0.0 // heating comes before the estimate begins
		clock := func() time.Time {
			return noon.Add(time.Duration((pr.Time - began) * drift * float64(time.Second)))
		}
		w := watch.Start(noon, 0)
		stops := 0
		for k := 0; pr.State != printer.Done; k++ {
			if pr.Run(pr.Time + 1); k > 100_000 {
				t.Fatal(pr.State)
			}
			if pr.Layer < 1 {
				began = pr.Time
			}
			if pr.State != printer.Waiting {
				continue
			}
			at := w.At(clock(), cues, ix.Seconds)
			if off := cues[stops].Seconds - at.Seconds; stops > 0 && math.Abs(off) > 0.05*ix.Seconds {
				t.Errorf("drift %g, stop %d: %.0f s off of %.0f", drift, stops+1, off, ix.Seconds)
			}
			if err := w.Stopped(clock(), cues); err != nil {
				t.Fatal(err)
			}
			pr.Resume()
			if err := w.GoesOn(clock(), cues, ix.Seconds); err != nil {
				t.Fatal(err)
			}
			stops++
		}
		if err := w.Over(clock(), ix.Seconds, false); err != nil {
			t.Fatal(err)
		}
		if got := w.Learned(); stops != 3 || math.Abs(got-drift) > 0.08 {
			t.Errorf("drift %g: %d stops, a pace of %.3f was learned", drift, stops, got)
		}
	}
}
