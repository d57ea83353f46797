package cue

import (
	"context"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/apply"
	"dogear/core/layer"
	"dogear/core/plan"
)

func sheet(t *testing.T, start time.Time) *Sheet {
	t.Helper()
	var b strings.Builder
	b.WriteString("M83\nM109 S210\nG28\n")
	for n := 1; n <= 30; n++ {
		fmt.Fprintf(&b, "; tier %d\nG1 Z%.1f F600\nG0 X50 Y50 F6000\nG1 X90 Y50 E2 F600\n"+
			"G1 X90 Y90 E2\nG1 X50 Y90 E2\nG1 X50 Y50 E2\n", n, 0.2*float64(n))
	}
	b.WriteString("M104 S0\nM84\n")
	src := strings.NewReader(b.String())
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	p := &plan.Plan{Format: plan.Format, First: "red", Printer: &plan.Printer{Name: "club printer",
		Resume: "press; twice, please"},
		Filaments: map[string]plan.Filament{"red": {Name: "Signal red"},
			"white": {Name: "Gull white", Purge: 45}},
		Ears: []plan.Ear{{ID: "a1", BeforeLayer: 10, Kind: plan.Colour, Filament: "white",
			HeadsUp: &plan.HeadsUp{Layers: 2}},
			{ID: "a2", BeforeLayer: 20, Kind: plan.Insert, Insert: &plan.InsertPart{Name: "M8 nut",
				Shape: "hex"}, Count: 2}, {ID: "a3", BeforeLayer: 25, Kind: plan.Nozzle, Nozzle: 0.6}}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	res, err := apply.Plan(src, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	s, err := New("harbour, tower", src, ix, p, res, start)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// TestOneStop gives several ears at one fold one row.
func TestOneStop(t *testing.T) {
	s := sheet(t, time.Time{})
	r := s.Rows[1]
	r.also(&Row{Ear: "b", Title: "Put in 2 × M8 nut", Ready: []string{"2 × M8 nut"},
		Steps: []string{"Waits"}, Waits: 3})
	if r.Ear != "a1 b" || strings.Join(r.Things, "|") != "Change to Gull white|Put in 2 × M8 nut" ||
		len(r.Ready) != 2 || r.Colour != s.Rows[1].Colour || r.Steps[len(r.Steps)-1] != "Waits" {
		t.Errorf("%+v", r)
	}
}

func TestSheet(t *testing.T) {
	start := time.Date(2026, 11, 25, 9, 0, 0, 0, time.UTC)
	s := sheet(t, start)
	if len(s.Rows) != 4 || !s.Rows[0].HeadsUp || s.Rows[1].Title != "Change to Gull white" ||
		s.Rows[1].Purge != 45 || s.Rows[2].Title != "Put in 2 × M8 nut" ||
		s.Rows[3].Title != "Swap to the 0.6 mm nozzle" || len(s.Totals) != 2 {
		t.Fatalf("%+v", s.Rows)
	}
	if !s.Rows[0].At.Before(s.Rows[1].At) || s.Rows[1].Seconds < 100 ||
		s.Rows[1].At.Sub(start).Seconds() < s.Rows[1].Seconds-1 {
		t.Errorf("%v %v %v", s.Rows[0].At, s.Rows[1].At, s.Rows[1].Seconds)
	}
	// A stop that itself takes minutes makes what follows later.
	if late := s.Rows[3].At.Sub(start).Seconds() -
		s.Rows[3].Seconds; late < s.Rows[1].Waits+s.Rows[2].Waits-2 || s.End().Before(s.Rows[3].At) {
		t.Errorf("%v s late", late)
	}
	var b strings.Builder
	if err := s.CSV(&b); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(b.String())).ReadAll()
	if err != nil || len(rows) != 5 || rows[2][2] == "" || rows[2][4] != "10" || rows[2][6] != "1.80" {
		t.Errorf("%v %q", err, rows)
	}
	b.Reset()
	if err := s.Calendar(&b, start); err != nil {
		t.Fatal(err)
	}
	c := b.String()
	if strings.Count(c, "BEGIN:VEVENT") != 3 || strings.Count(c, "TRIGGER:-PT2M") != 3 ||
		!strings.Contains(strings.ReplaceAll(c, "\r\n ", ""), `To go on: press\; twice\, please`) {
		t.Error(c)
	}
	for _, l := range strings.Split(strings.TrimSuffix(c, "\r\n"), "\r\n") {
		if len(l) > 75 {
			t.Errorf("%d bytes: %s", len(l), l)
		}
	}
	if err := sheet(t, time.Time{}).Calendar(&b, start); err == nil {
		t.Error("a calendar without a start")
	}
}
