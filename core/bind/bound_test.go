package bind_test

import (
	"bytes"
	"context"
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/bind"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/routine"
	"dogear/demo"
	"dogear/demo/demotest"
)

// What tests of several packages do.
var index = demotest.Index

type laid struct {
	from, to    [3]gcode.Nano
	laid, feed  gcode.Nano
	fan         int64
	nozzle, bed int64
}

// laying is what a file lays on lines from…to, both ends included.
func laying(t *testing.T, file []byte, ix *layer.Index, from, to int64) []laid {
	t.Helper()
	var out []laid
	err := ix.Walk(bytes.NewReader(file), 0, to+1, func(line int64, _ []byte, _ *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		if line >= from && a.Kind == gcode.Lay {
			out = append(out, laid{a.From, m.Pos, a.Laid, m.Feed, int64(m.Fan), m.Nozzle(), m.Bed()})
		}
		return true
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func piece(t *testing.T, name string, file []byte, from, to int) bind.Piece {
	t.Helper()
	return bind.Piece{Name: name, Src: bytes.NewReader(file), Ix: index(t, file), From: from, To: to}
}

func bound(t *testing.T, pieces []bind.Piece, joints []bind.Joint) (*bind.Bound, []byte) {
	t.Helper()
	b, err := bind.Make(context.Background(), pieces, joints, &plan.Plan{Printer: plan.Generic()})
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if _, err := edit.Write(&out, b.Src, b.Edits); err != nil {
		t.Fatal(err)
	}
	return b, out.Bytes()
}

// TestBind joins a coarse and a fine slicing in every pair of dialects: each
// piece is the original's, byte for byte, and lays what it laid there.
func TestBind(t *testing.T) {
	kinds := []bind.Joint{{}, {Ear: plan.Ear{Kind: plan.Nozzle, Nozzle: 0.25}},
		{Ear: plan.Ear{Kind: plan.Colour, Stop: "M600"}}, {DZ: 0.05}}
	files := map[string][2][]byte{}
	for _, d := range demo.Dialects() {
		a, _ := demo.Slice(demo.Pier(0.3, 0), d)
		b, _ := demo.Slice(demo.Pier(0.15, 0), d)
		files[d.Name] = [2][]byte{a, b}
	}
	for i, d1 := range demo.Dialects() {
		for j, d2 := range demo.Dialects() {
			if testing.Short() && (i+j)%5 != 0 {
				continue
			}
			t.Run(d1.Name+"/"+d2.Name, func(t *testing.T) {
				t.Parallel()
				rnd := rand.New(rand.NewPCG(uint64(i), uint64(j)))
				fa, fb := files[d1.Name][0], files[d2.Name][1]
				a, b := piece(t, "coarse", fa, 1, 0), piece(t, "fine", fb, 1, 0)
				all := bind.Shared(a.Ix, b.Ix)
				if len(all) < 5 {
					t.Fatalf("%d heights are shared", len(all))
				}
				h := all[rnd.IntN(len(all))]
				a.To, b.From = h.A, h.B+1
				if rnd.IntN(2) == 0 && b.From < len(b.Ix.Layers)-1 {
					b.To = len(b.Ix.Layers) - 1
				}
				joint := kinds[rnd.IntN(len(kinds))]
				made, out := bound(t, []bind.Piece{a, b}, []bind.Joint{joint})
				for _, f := range made.Findings {
					if f.Level == finding.Stop {
						t.Fatalf("%+v", f)
					}
				}
				lines := bytes.SplitAfter(out, []byte("\n"))
				ix := index(t, out)
				for k, p := range made.Pieces {
					src := [2][]byte{fa, fb}[k]
					from, to := int64(1), p.Ix.Lines
					if k > 0 {
						from = p.Ix.Layers[p.From-1].Fold
					}
					if p.To < len(p.Ix.Layers) {
						to = p.Ix.Layers[p.To].Fold - 1
					}
					at := made.OutLines[k]
					if want := bytes.Join(bytes.SplitAfter(src, []byte("\n"))[from-1:to],
						nil); !bytes.Equal(bytes.Join(lines[at[0]-1:at[1]], nil), want) {
						t.Fatalf("piece %d is not what it was", k)
					}
					want, got := laying(t, src, p.Ix, from, to), laying(t, out, ix, at[0], at[1])
					if len(want) != len(got) || len(want) == 0 {
						t.Fatalf("piece %d lays %d moves, want %d", k, len(got), len(want))
					}
					for i := range want {
						if k > 0 {
							got[i].from[2] -= gcode.FromMM(joint.DZ)
							got[i].to[2] -= gcode.FromMM(joint.DZ)
						}
						if want[i] != got[i] {
							t.Fatalf("piece %d, move %d: %+v, want %+v", k, i, got[i], want[i])
						}
					}
				}
				if got, want := len(laying(t, out, ix, 1, ix.Lines)),
					len(laying(t, out, ix, made.OutLines[0][0], made.OutLines[0][1]))+len(laying(t, out, ix,
						made.OutLines[1][0], made.OutLines[1][1])); got != want {
					t.Fatalf("%d moves in all, want %d", got, want)
				}
				// its end must find what its own file led up to
				if last := made.Pieces[1]; last.To < len(last.Ix.Layers) {
					f, err := apply.Behind(last.Src, last.Ix)
					if err != nil {
						t.Fatal(err)
					}
					is, err := ix.StateAt(bytes.NewReader(out), ix.Lines-(last.Ix.Lines-f.Line))
					if err != nil {
						t.Fatal(err)
					}
					if code, what := routine.Unlike(&f.At, &is, true, is.Logical()); code != "" {
						t.Errorf("at the end of the file %s (%s) is not as it expects", what, code)
					}
				}
				if tail := fb[bytes.LastIndexByte(bytes.TrimSpace(fb), '\n')+1:]; !bytes.HasSuffix(out, tail) {
					t.Error("the end of the last file is missing")
				}
				x, err := proof.Examine(context.Background(), bytes.NewReader(out), ix, nil)
				if err != nil {
					t.Fatal(err)
				}
				for _, f := range x.Findings {
					if joint.DZ == 0 || f.Code != "position-not-restored" { // it is lifted on purpose
						t.Errorf("%+v: %s", f, lines[f.Line-1])
					}
				}
				if joint.Ear.Kind != "" && (len(ix.Stops) != 1 || len(x.Stops) != 1 ||
					x.Stops[0].Before == nil || *x.Stops[0].Before != h.A+1) {
					t.Errorf("stops: %+v, want one before layer %d", x.Stops, h.A+1)
				}
			})
		}
	}
}

// TestBindLifts checks that a nozzle of another length lifts all that comes by
// so much, in the way that the printer asks for.
func TestBindLifts(t *testing.T) {
	fa, _ := demo.Slice(demo.Pier(0.3, 0), demo.DialectNamed("plain"))
	fb, _ := demo.Slice(demo.Pier(0.15, 0), demo.DialectNamed("steps"))
	a, b := piece(t, "coarse", fa, 1, 8), piece(t, "fine", fb, 16, 0)
	for shift, want := range map[string]string{"": "G92 Z", "M290 Z{dz}": "M290 Z0.08"} {
		p := &plan.Plan{Printer: plan.Generic()}
		if shift != "" {
			p.Printer.Shift = []string{shift}
		}
		made, err := bind.Make(context.Background(), []bind.Piece{a, b}, []bind.Joint{{DZ: 0.08}}, p)
		if err != nil {
			t.Fatal(err)
		}
		text := ""
		for _, l := range made.Joints[0].Lines {
			text += l.Text + "\n"
		}
		if !strings.Contains(text, want) || len(made.Findings) > 0 {
			t.Errorf("%q: %v\n%s", shift, made.Findings, text)
		}
		down := "Z2.48"
		if shift != "" {
			down = "Z2.4 "
		}
		if !strings.Contains(text, down) {
			t.Errorf("%q: does not come down to %s\n%s", shift, down, text)
		}
	}
}

// TestBindRefuses gives pieces that cannot follow one another.
func TestBindRefuses(t *testing.T) {
	d := demo.DialectNamed("plain")
	slice := func(s demo.Solid) []byte { f, _ := demo.Slice(s, d); return f }
	coarse, fine, aside := slice(demo.Pier(0.3, 0)), slice(demo.Pier(0.15, 0)),
		slice(demo.Pier(0.15, 12))
	other, vase, posts := slice(demo.Dome()), slice(demo.Fender()), slice(demo.Posts())
	for _, c := range []struct {
		name string
		a, b bind.Piece
		err  string
		code string
		text string
	}{
		{"one too low", piece(t, "coarse", coarse, 1, 8), piece(t, "fine", fine, 15, 0), "",
			"heights-apart", "would be laid twice, and the nozzle would run into it. The nearest height " +
				"that both share is 2.40 mm: layers up to 8, then from 16."},
		{"one too high", piece(t, "coarse", coarse, 1, 8), piece(t, "fine", fine, 17, 0), "",
			"heights-apart", "0.15 mm would be missing"},
		{"aside", piece(t, "coarse", coarse, 1, 8), piece(t, "fine", aside, 16, 0), "", "other-model",
			"12.0 mm further right"},
		{"another model", piece(t, "coarse", coarse, 1, 4), piece(t, "dome", other, 5, 0), "",
			"other-model", "not the same model"},
		{"not from the bed", piece(t, "coarse", coarse, 2, 8), piece(t, "fine", fine, 16, 0),
			"must begin with layer 1", "", ""},
		{"again from the bed", piece(t, "coarse", coarse, 1, 8), piece(t, "fine", fine, 1, 0),
			"belongs on the bed", "", ""},
		{"nothing", piece(t, "coarse", coarse, 1, 8), piece(t, "fine", fine, 16, 12), "is nothing", "",
			""},
		{"not there", piece(t, "coarse", coarse, 1, 800), piece(t, "fine", fine, 16, 0), "no layer 800",
			"", ""},
		{"vase", piece(t, "fender", vase, 1, 8), piece(t, "fine", fine, 16, 0), "rising spiral", "", ""},
		{"one after another", piece(t, "posts", posts, 1, 8), piece(t, "fine", fine, 16, 0),
			"one after another", "", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			b, err := bind.Make(context.Background(), []bind.Piece{c.a, c.b}, []bind.Joint{{}}, &plan.Plan{})
			if c.err != "" {
				if !errors.Is(err, bind.ErrPieces) || !strings.Contains(err.Error(), c.err) {
					t.Errorf("%v, want %q", err, c.err)
				}
				return
			}
			if err != nil {
				t.Errorf("%v", err)
				return
			}
			found := false
			for _, f := range b.Findings {
				found = found || f.Level == finding.Stop && f.Code == c.code &&
					strings.Contains(f.Message, c.text)
			}
			if !found {
				t.Errorf("%+v, want %s with %q", b.Findings, c.code, c.text)
			}
		})
	}
	if _, err := bind.Make(context.Background(), []bind.Piece{piece(t, "coarse", coarse, 1, 8)}, nil,
		&plan.Plan{}); !errors.Is(err, bind.ErrPieces) {
		t.Errorf("one piece: %v", err)
	}
}

// TestBoundIsOnePrint opens a bound file as any other: it has its layers in a
// row, takes an ear, and its joints are not taken for ears.
func TestBoundIsOnePrint(t *testing.T) {
	fa, _ := demo.Slice(demo.Pier(0.3, 0), demo.DialectNamed("round"))
	fb, _ := demo.Slice(demo.Pier(0.15, 0), demo.DialectNamed("macro"))
	_, out := bound(t, []bind.Piece{piece(t, "coarse", fa, 1, 8), piece(t, "fine", fb, 16, 0)},
		[]bind.Joint{{Ear: plan.Ear{Kind: plan.Nozzle}}})
	ix := index(t, out)
	if want := 8 + len(index(t, fb).Layers) - 15; len(ix.Layers) != want || ix.Kind != layer.Layered {
		t.Errorf("%d layers (%s), want %d", len(ix.Layers), ix.Kind, want)
	}
	if ix.Ours != 0 {
		t.Errorf("%d ears are found in it", ix.Ours)
	}
	p := &plan.Plan{Printer: plan.Generic(),
		Ears: []plan.Ear{{ID: "a1", BeforeLayer: 12, Kind: plan.Colour}}}
	res, err := apply.Plan(bytes.NewReader(out), ix, p, nil)
	if err != nil || len(res.Blocks) != 1 {
		t.Fatal(err)
	}
	for _, f := range res.Findings {
		if f.Level == finding.Stop {
			t.Errorf("%+v", f)
		}
	}
}
