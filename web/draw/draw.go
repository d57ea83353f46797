// Package draw has what is drawn of a printer, its bed and the way of its head, as SVG.
package draw

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/mark"
	"dogear/core/plan"
	"dogear/core/raster"
	"dogear/core/routine"
)

// BedPlan is a printer's bed from above, px.
type BedPlan struct {
	W, H           float64
	X, Y, BW, BH   float64 // the bed
	OX, OY         float64 // the origin
	HasOrigin      bool
	Park           spot
	Places         []spot
	PX, PY, PW, PH float64 // the part, when it is drawn
	HX, HY, HR     float64 // the head's block at a place, and its reach
	BX, BY         float64 // where it would hit
}

type spot struct {
	X, Y float64
	Name string
	Left bool // its name stands to the left
	Low  bool // far enough from the back edge that its name may stand beside it
}

const bedRoom = 16 // px round the bed

// bedScale maps a bed into a square of px pixels.
func bedScale(p *plan.Printer, px float64) (x, y func(float64) float64, w, h float64) {
	bw, bh := p.Bed[2]-p.Bed[0], p.Bed[3]-p.Bed[1]
	k := (px - 2*bedRoom) / max(bw, bh)
	w, h = bw*k+2*bedRoom, bh*k+2*bedRoom
	x = func(mm float64) float64 { return math.Round((bedRoom+(mm-p.Bed[0])*k)*10) / 10 }
	y = func(mm float64) float64 { return math.Round((h-bedRoom-(mm-p.Bed[1])*k)*10) / 10 }
	return x, y, math.Round(w), math.Round(h)
}

// NewBedPlan draws a bed into a square of px pixels.
func NewBedPlan(p *plan.Printer, px float64) BedPlan {
	x, y, w, h := bedScale(p, px)
	v := BedPlan{W: w, H: h, X: x(p.Bed[0]), Y: y(p.Bed[3]), BW: x(p.Bed[2]) - x(p.Bed[0]),
		BH: y(p.Bed[1]) - y(p.Bed[3]), OX: x(0), OY: y(0)}
	v.HasOrigin = v.OX >= 0 && v.OX <= w && v.OY >= 0 && v.OY <= h
	at := func(name string, xy [2]float64) spot {
		m := spot{min(max(x(xy[0]), 4), w-4), min(max(y(xy[1]), 4), h-4), name, false, false}
		m.Left, m.Low = m.X > w/2, m.Y > bedRoom+12
		return m
	}
	v.Park = at("", p.Park)
	for _, name := range slices.Sorted(maps.Keys(p.Places)) {
		v.Places = append(v.Places, at(name, p.Places[name]))
	}
	return v
}

// Part draws the box of a print onto the bed.
func (v *BedPlan) Part(p *plan.Printer, box [4]gcode.Nano, px float64) {
	x, y, _, _ := bedScale(p, px)
	v.PX, v.PY = x(box[0].Millimetres()), y(box[3].Millimetres())
	v.PW, v.PH = x(box[2].Millimetres())-v.PX, y(box[1].Millimetres())-v.PY
}

// Hit draws a head at a place, and where it would hit.
func (v *BedPlan) Hit(p *plan.Printer, at *[2]float64, h *raster.Hit, px float64) {
	x, y, _, _ := bedScale(p, px)
	if at != nil {
		v.HX, v.HY = x(at[0]), y(at[1])
	}
	v.HR = x(20) - x(0)
	v.BX, v.BY = x(h.X), y(h.Y)
}

// ShapeView is an insert from above, in a box of 44 px; its size to one scale
// up to 14 mm.
type ShapeView struct{ D, Hole string }

// NewShape draws an insert.
func NewShape(i *plan.InsertPart) ShapeView {
	const mid, px = 22.0, 2.8
	r := min(max(i.Across, 1)*px/2, 20)
	ring := func(r float64) string {
		return fmt.Sprintf("M%.1f %.1fa%.1f %.1f 0 1 0 %.1f 0a%.1f %.1f 0 1 0 %.1f 0z", mid-r, mid, r, r,
			2*r, r, r, -2*r)
	}
	v := ShapeView{}
	switch i.Shape {
	case "hex":
		r = min(r, 20*math.Cos(math.Pi/6)) // its corners are to stay inside
		var pts []string
		for k := range 6 {
			s, c := math.Sincos(float64(k) * math.Pi / 3)
			pts = append(pts, fmt.Sprintf("%.1f %.1f", mid+r/math.Cos(math.Pi/6)*c,
				mid+r/math.Cos(math.Pi/6)*s))
		}
		v.D, v.Hole = "M"+strings.Join(pts, "L")+"Z", ring(r*0.55)
	case "square", "rect", "block", "other":
		l := r
		if i.Length > 0 {
			l = min(i.Length*px/2, 20)
		}
		v.D = fmt.Sprintf("M%.1f %.1fh%.1fv%.1fh%.1fz", mid-l, mid-r, 2*l, 2*r, -2*l)
		if i.Shape == "square" {
			v.Hole = ring(r * 0.5)
		}
	case "ring":
		v.D, v.Hole = ring(r), ring(max(min(i.Inner*px/2, r-1), 1))
	case "ball":
		v.D = ring(r)
		v.Hole = fmt.Sprintf("M%.1f %.1fa%.1f %.1f 0 0 1 %.1f %.1f", mid-r*0.5, mid-r*0.3, r*0.6, r*0.6,
			r*0.4, -r*0.35)
	default:
		v.D = ring(r)
	}
	return v
}

// WayView is the head's way at an ear, from above and from the side, px.
type WayView struct {
	Above       BedPlan
	AboveD      string  // the way
	PX, PY      float64 // the part's box
	PW, PH      float64
	Stations    []station // from above
	SideW       float64
	SideH       float64
	SideD       string
	SideX       float64 // the part from the side
	SidePW      float64
	SideTop     float64
	SideBase    float64
	SideMarks   []station
	LiftY       float64
	Lift        string
	Taller      string
	StartX      float64
	StartY      float64
	SideStartX  float64
	SideStartY  float64
	Description string
}

// station is where the head is while some steps are carried out.
type station struct {
	X, Y  float64
	Steps string
	Left  bool // the numbers stand to the left
	Below bool // or below
}

// NewWay draws the way that the lines of an ear take.
func NewWay(lines []routine.Line, p *plan.Printer, box [4]gcode.Nano, at *gcode.State,
	px float64) WayView {
	x, y, _, _ := bedScale(p, px)
	v := WayView{Above: NewBedPlan(p, px)}
	v.PX, v.PY = x(box[0].Millimetres()), y(box[3].Millimetres())
	v.PW, v.PH = x(box[2].Millimetres())-v.PX, y(box[1].Millimetres())-v.PY
	top, high := at.Top.Millimetres(), at.Top.Millimetres()
	for i := range lines {
		high = max(high, lines[i].To[2].Millimetres())
	}
	// From the side only what is near the top of the print is of interest.
	low := max(0, top-max(6, (high-top)*0.6))
	v.SideW, v.SideH = v.Above.W, 150
	k := (v.SideH - 34) / max(high-low, 1)
	z := func(mm float64) float64 { return math.Round((v.SideH-12-(mm-low)*k)*10) / 10 }
	v.SideX, v.SidePW, v.SideTop, v.SideBase = v.PX, v.PW, z(top), z(low)
	v.Lift = fmt.Sprintf("%.3g mm", high-top)
	v.LiftY = z(high)
	if mm := v.Above.BW / max(p.Bed[2]-p.Bed[0], 1); k/mm > 1.15 {
		v.Taller = fmt.Sprintf("heights drawn %.0f× taller", k/mm)
	}
	pos := at.Pos
	v.StartX, v.StartY = x(pos[0].Millimetres()), y(pos[1].Millimetres())
	v.SideStartX, v.SideStartY = v.StartX, z(pos[2].Millimetres())
	above, side := []string{fmt.Sprintf("%g %g", v.StartX, v.StartY)},
		[]string{fmt.Sprintf("%g %g", v.SideStartX, v.SideStartY)}
	stays := staysOf(lines, pos, func(to [3]gcode.Nano) {
		above = append(above, fmt.Sprintf("%g %g", x(to[0].Millimetres()), y(to[1].Millimetres())))
		side = append(side, fmt.Sprintf("%g %g", x(to[0].Millimetres()), z(to[2].Millimetres())))
	})
	v.AboveD, v.SideD = "M"+strings.Join(above, "L"), "M"+strings.Join(side, "L")
	v.stations(stays, x, y, z, at.Pos[2])
	v.Description = fmt.Sprintf("The head's way: up by %s, aside, and back over the part.", v.Lift)
	return v
}

// stay is a place at which the head does something, with the steps it does there.
type stay struct {
	at    [3]gcode.Nano
	steps []int
}

// staysOf follows the head, and tells every place it goes to. The bond pass is left out:
// it goes where the layer goes.
func staysOf(lines []routine.Line, pos [3]gcode.Nano, goes func(to [3]gcode.Nano)) []stay {
	var stays []stay
	bond := false
	for i := range lines {
		l := &lines[i]
		if m := l.Mark; m != nil && m.Kind == mark.Bond {
			bond = !m.Ends
		}
		if bond {
			continue
		}
		if l.To != pos {
			pos = l.To
			goes(pos)
		}
		if l.Step < 0 {
			continue
		}
		n := len(stays)
		if n == 0 || stays[n-1].at != pos {
			stays = append(stays, stay{at: pos})
			n++
		}
		if s := &stays[n-1].steps; len(*s) == 0 || (*s)[len(*s)-1] != l.Step+1 {
			*s = append(*s, l.Step+1)
		}
	}
	return stays
}

// stations places the numbers of the steps; low is the height at which the head begins.
func (v *WayView) stations(stays []stay, x, y, z func(float64) float64, low gcode.Nano) {
	var sends []int // steps that send something, in order: runs are runs of these
	for _, st := range stays {
		for _, n := range st.steps {
			if k := len(sends); k == 0 || sends[k-1] != n {
				sends = append(sends, n)
			}
		}
	}
	mid := v.PX + v.PW/2
	var seen [][]int // steps at each station from above
	for i, st := range stays {
		a := station{X: x(st.at[0].Millimetres()), Y: y(st.at[1].Millimetres())}
		// Numbers stand away from the part, where there is room for them.
		a.Left = a.X < mid && a.X > 60 || a.X > v.Above.W-60
		b := a
		b.Y, b.Steps = z(st.at[2].Millimetres()), runs(st.steps, sends)
		b.Below = i > 0 && i < len(stays)-1 && len(st.steps) < 3 && st.at[2] > low
		v.SideMarks = append(v.SideMarks, b)
		k := slices.IndexFunc(v.Stations, func(o station) bool { return o.X == a.X && o.Y == a.Y })
		if k < 0 { // up and down are one place from above
			k = len(v.Stations)
			v.Stations, seen = append(v.Stations, a), append(seen, nil)
		}
		seen[k] = append(seen[k], st.steps...)
	}
	for k := range seen {
		slices.Sort(seen[k])
		v.Stations[k].Steps = runs(slices.Compact(seen[k]), sends)
	}
}

// runs writes steps in short: those that follow one another in the order of
// all make one run.
func runs(steps, order []int) string {
	var out []string
	for i := 0; i < len(steps); {
		j, k := i, slices.Index(order, steps[i])
		for j+1 < len(steps) && k >= 0 && k+j+1-i < len(order) && order[k+j+1-i] == steps[j+1] {
			j++
		}
		t := fmt.Sprint(steps[i])
		switch {
		case j == i+1:
			t += ", " + fmt.Sprint(steps[j])
		case j > i:
			t += "–" + fmt.Sprint(steps[j])
		}
		out = append(out, t)
		i = j + 1
	}
	return strings.Join(out, ", ")
}
