package proof_test

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/demo"
	"dogear/demo/demotest"
)

// TestInsertFaults plants faults round what goes in: each is found in the edited
// file alone.
func TestInsertFaults(t *testing.T) {
	for _, d := range demotest.Named("plain", "hopping", "steps", "tight", "round") {
		file, _ := demo.Slice(demo.Hollows(0.25), d)
		ix, pockets := pocketsOf(t, file)
		pin := plan.InsertPart{Shape: "disc", Across: 5, Height: 3.8, Steel: true}
		for fault, c := range map[string]struct {
			before int
			part   plan.InsertPart
			spoil  func(string) string
			want   string // level and code
		}{
			"none":         {33, pin, nil, ""},
			"no lifts":     {26, pin, withoutLifts, "stop insert-proud"},
			"lifts":        {26, pin, nil, "care insert-proud"},
			"a layer late": {34, pin, nil, "stop insert-late"},
			"falls over":   {19, pin, nil, "care insert-early"},
			"too high": {33, plan.InsertPart{
				Shape: "disc", Across: 5, Height: 4.5}, nil, "stop insert-proud"},
			"does not go in": {33, plan.InsertPart{
				Shape: "disc", Across: 5.8, Height: 3}, nil, "stop insert-fit"},
			"loose magnet": {33, plan.InsertPart{
				Shape: "disc", Across: 4.5, Height: 3, Magnet: true}, nil, "care insert-loose"},
		} {
			t.Run(fault, func(t *testing.T) {
				p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: c.before,
					Kind: plan.Insert, Insert: &c.part, At: [][2]float64{{128, 116}}}}}
				if err := p.Check(); err != nil {
					t.Fatal(err)
				}
				src := bytes.NewReader(file)
				res, err := apply.Plan(src, ix, p, pockets)
				if err != nil {
					t.Fatal(err)
				}
				var out bytes.Buffer
				if _, err := edit.Write(&out, src, res.Edits); err != nil {
					t.Fatal(err)
				}
				text := out.String()
				if c.spoil != nil {
					text = c.spoil(text)
				}
				edited := strings.NewReader(text)
				ixE, err := layer.Read(context.Background(), edited, layer.Options{})
				if err != nil {
					t.Fatal(err)
				}
				r, err := proof.Prove(context.Background(), src, edited, ix, ixE, nil)
				if err != nil {
					t.Fatal(err)
				}
				got, ok := "", c.want == ""
				for _, f := range r.Findings {
					if strings.HasPrefix(f.Code, "insert-") || f.Level == finding.Stop {
						got += string(f.Level) + " " + f.Code + ": " + f.Message + "\n"
						ok = ok || string(f.Level)+" "+f.Code == c.want
					}
				}
				if !ok || c.want == "" && got != "" || c.want != "" && !strings.HasPrefix(c.want, "stop") &&
					strings.Contains(got, "stop ") {
					t.Errorf("%s, %s: want %q, got\n%s", d.Name, fault, c.want, got)
				}
				if !r.Same {
					t.Errorf("%s, %s: another deposit", d.Name, fault)
				}
			})
		}
	}
}

// withoutLifts takes the lifts out of an edited file.
func withoutLifts(s string) string {
	var out strings.Builder
	ours := false
	for l := range strings.SplitAfterSeq(s, "\n") {
		if strings.HasPrefix(l, "; dogear over ") {
			ours = !strings.HasSuffix(strings.TrimSpace(l), " ends")
			continue
		}
		if !ours {
			out.WriteString(l)
		}
	}
	return out.String()
}

func pocketsOf(t *testing.T, file []byte) (*layer.Index, []landmark.Pocket) {
	t.Helper()
	ix := index(t, file)
	r, err := landmark.Find(context.Background(), bytes.NewReader(file), ix, nil)
	if err != nil {
		t.Fatal(err)
	}
	return ix, r.Pockets
}
