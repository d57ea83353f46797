package layer

import (
	"bytes"
	"math"
	"regexp"
	"strconv"
	"strings"

	"dogear/core/gcode"
)

// reach notes where the head goes besides laying.
func (r *reader) reach() {
	if r.m.Known&3 != 3 {
		return
	}
	b, p := &r.ix.Reach, &r.m.Pos
	b[0], b[1], b[2], b[3] = min(b[0], p[0]), min(b[1], p[1]), max(b[2], p[0]), max(b[3], p[1])
}

// ReachOf returns the box of all that the file's own moves reach, mm.
func (ix *Index) ReachOf() (out [4]float64) {
	b := [4]gcode.Nano{min(ix.Reach[0], ix.Box[0]), min(ix.Reach[1], ix.Box[1]),
		max(ix.Reach[2], ix.Box[2]), max(ix.Reach[3], ix.Box[3])}
	for k := range b {
		out[k] = b[k].Millimetres()
	}
	return out
}

// NamedBed returns the bed that a comment of the file names, min x, min y, max x,
// max y in mm, when the print lies on it.
func (ix *Index) NamedBed() (bed [4]float64, ok bool) {
	b := ix.Bed
	if b == [4]float64{} {
		return b, false
	}
	fits := ix.Box[0].Millimetres() >= b[0]-1 && ix.Box[1].Millimetres() >= b[1]-1 &&
		ix.Box[2].Millimetres() <= b[2]+1 && ix.Box[3].Millimetres() <= b[3]+1
	return b, fits
}

var (
	numberIn = regexp.MustCompile(`-?\d+(?:\.\d+)?`)
	pairIn   = regexp.MustCompile(`(-?\d+(?:\.\d+)?)\s*x\s*(-?\d+(?:\.\d+)?)`)
	sized    = regexp.MustCompile(`size|shape|area|dimension|width|volume|bed\s*[:=]|\d\s*[x×]\s*\d`)
)

// bedIn reads the bed out of a comment: corners ("bed … 0x0,250x0,250x210,0x210"),
// two corners as four numbers, or a width and a depth ("bed size 220 x 220", with
// the origin in the middle when the words say so). Zero when it names none.
func bedIn(s []byte) (bed [4]float64) {
	if len(s) > 400 || !bytes.Contains(s, []byte("bed")) && !bytes.Contains(s, []byte("Bed")) &&
		!bytes.Contains(s, []byte("BED")) {
		return bed
	}
	t := strings.ToLower(string(s))
	if strings.Contains(t, "temp") || !sized.MatchString(t) {
		return bed
	}
	box := [4]float64{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
	grow := func(x, y float64) {
		box = [4]float64{min(box[0], x), min(box[1], y), max(box[2], x), max(box[3], y)}
	}
	num := func(t string) float64 { v, _ := strconv.ParseFloat(t, 64); return v }
	if pairs := pairIn.FindAllStringSubmatch(t, -1); len(pairs) >= 3 {
		for _, p := range pairs {
			grow(num(p[1]), num(p[2]))
		}
		return plausible(box)
	}
	n := numberIn.FindAllString(t, -1)
	switch {
	case len(n) == 4 && num(n[0]) < num(n[2]) && num(n[1]) < num(n[3]):
		return plausible([4]float64{num(n[0]), num(n[1]), num(n[2]), num(n[3])})
	case len(n) == 2 || len(n) == 3:
		w, d := num(n[0]), num(n[1])
		if strings.Contains(t, "centre") || strings.Contains(t, "center") ||
			strings.Contains(t, "middle") {
			return plausible([4]float64{-w / 2, -d / 2, w / 2, d / 2})
		}
		return plausible([4]float64{0, 0, w, d})
	}
	return bed
}

// plausible returns a bed as it is when a printer could have it.
func plausible(b [4]float64) [4]float64 {
	for k := range 2 {
		if size := b[k+2] - b[k]; size < 50 || size > 2000 || math.Abs(b[k]) > 2000 {
			return [4]float64{}
		}
	}
	return b
}

// Under returns the last layer whose top is not above a height, 1 if none is.
func (ix *Index) Under(z gcode.Nano) int {
	n := 1
	for i := range ix.Layers {
		if ix.Layers[i].Z <= z {
			n = i + 1
		}
	}
	return n
}

// NoExtent is the box of nothing: min x, min y, max x, max y.
var NoExtent = [4]float64{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}

// Extent widens a box, mm, by what moves lay as part of the model: neither ways nor
// skirts nor supports.
func Extent(b [4]float64, moves []Move) [4]float64 {
	for _, p := range Paths(moves) {
		if p.Class == Travel || p.Class == Skirt || p.Class == Support {
			continue
		}
		for i := p.From; i < p.To; i++ {
			for _, at := range [2][3]gcode.Nano{moves[i].From, moves[i].To} {
				x, y := at[0].Millimetres(), at[1].Millimetres()
				b = [4]float64{min(b[0], x), min(b[1], y), max(b[2], x), max(b[3], y)}
			}
		}
	}
	return b
}
