// Package place understands how people name a place in a print: a layer, a height, the
// file's own number, a line, a share or a time.
//
// In goes a text, out comes a [Place]. The same text means the same fold wherever it is
// typed. A height lies between two folds, below and above the layer that is laid there;
// both are offered, since people mean now one, now the other.
package place

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"dogear/core/figures"
	"dogear/core/gcode"
	"dogear/core/layer"
)

// Place is what a text names. There is one fold, or several to choose from.
type Place struct {
	Said  string `json:"said"`           // what the text means here, without a full stop
	Line  int64  `json:"line,omitempty"` // when a line was named: the fold may lie inside the layer
	Folds []Fold `json:"folds"`
}

// Fold is the fold before a layer; one more than there are layers is the end.
type Fold struct {
	Layer int    `json:"layer"`
	Words string `json:"words"`
}

// ErrWords is the error of a text that names no place.
var ErrWords = errors.New("write a layer (38), a height (7.4 mm), the file's own number (file " +
	"37), " +
	"a line (line 900), 50 % or 1h20")

// file is a print in which a place is looked for; src may be nil.
type file struct {
	*layer.Index
	src layer.Source
}

// forms are the ways in which a place is written, blanks left out, in lower case.
var forms = []struct {
	form *regexp.Regexp
	read func(ix *file, m []string) (Place, error)
}{
	{regexp.MustCompile(`^(?:before)?(?:layer)?(\d+)$`), byLayer},
	{regexp.MustCompile(`^(?:file|number|no\.?|#)(-?\d+)$`), byNumber},
	{regexp.MustCompile(`^(?:at|z)?(\d*\.?\d+)mm$`), byHeight},
	{regexp.MustCompile(`^z(\d*\.?\d+)$`), byHeight},
	{regexp.MustCompile(`^(\d*\.\d+)$`), byHeight},
	{regexp.MustCompile(`^(?:line|l)(\d+)$`), byLine},
	{regexp.MustCompile(`^(\d*\.?\d+)%$`), byShare},
	{regexp.MustCompile(`^(\d+):(\d\d):(\d\d)$`), byClock},
	{regexp.MustCompile(`^(\d+):(\d\d)$`), byTwo},
	{regexp.MustCompile(`^m73p(\d*\.?\d+)(?:r\d*\.?\d+)?$`), byDisplay},
	{regexp.MustCompile(`^(\d+)h(?:(\d+)(?:m|min)?)?()$`), byClock},
	{regexp.MustCompile(`^()(\d+)(?:m|min)(?:(\d+)s?)?$`), byClock},
	{regexp.MustCompile(`^()()(\d+)s$`), byClock},
}

// Parse says which place of a print a text names. Shares and times are those of the estimate
// and, where the file tells them itself, those of the file too: src is read for that. It may
// be nil; only the estimate is known then.
func Parse(of *layer.Index, src layer.Source, text string) (Place, error) {
	ix := &file{of, src}
	if c := []byte(strings.TrimSpace(text)); len(c) > 0 && c[0] == ';' {
		return ix.byComment(c)
	}
	t := strings.ToLower(strings.Join(strings.Fields(text), ""))
	t = strings.ReplaceAll(t, ",", ".")
	for _, f := range forms {
		if m := f.form.FindStringSubmatch(t); m != nil {
			return f.read(ix, m)
		}
	}
	return Place{}, ErrWords
}

// one is a place at one fold.
func one(n int, said string) Place {
	return Place{Said: said, Folds: []Fold{{n, fmt.Sprintf("before layer %d", n)}}}
}

func byLayer(ix *file, m []string) (Place, error) {
	n, err := strconv.Atoi(m[1])
	if all := len(ix.Layers); err != nil || n < 1 || n > all {
		return Place{}, fmt.Errorf("there is no layer %s; this print has %d", m[1], all)
	}
	return one(n, fmt.Sprintf("Layer %d", n)), nil
}

func byNumber(ix *file, m []string) (Place, error) {
	k, err := strconv.ParseInt(m[1], 10, 64)
	if err != nil {
		return Place{}, ErrWords
	}
	numbered := false
	for i := range ix.Layers {
		numbered = numbered || ix.Layers[i].HasNumber
	}
	if !numbered {
		return Place{}, errors.New("this file does not number its layers")
	}
	n := ix.ByNumber(k)
	if n == 0 {
		return Place{}, fmt.Errorf("the file has no layer that it calls %d", k)
	}
	return one(n, fmt.Sprintf("The file's %d is layer %d", k, n)), nil
}

// same is how far a typed height may lie from a layer's own, half of what two decimals tell.
const same = gcode.MM / 200

// byHeight offers, for each object, the folds below and above the layer that is laid at a
// height.
func byHeight(ix *file, m []string) (Place, error) {
	mm, err := strconv.ParseFloat(m[1], 64)
	if err != nil || !(mm >= 0 && mm < 5000) {
		return Place{}, ErrWords
	}
	z := gcode.FromMM(mm)
	if z > ix.Height()+same {
		return Place{}, fmt.Errorf("the print is %s mm high", Height(ix.Height()))
	}
	p := Place{Said: fmt.Sprintf("%s mm", strconv.FormatFloat(mm, 'f', -1, 64))}
	object := int32(0)
	for i := range ix.Layers {
		l := &ix.Layers[i]
		if l.Object == object || l.Z < z-same {
			continue
		}
		object = l.Object
		n, low := i+1, l.Z-l.Height
		if z <= low+same { // the bed, or under the first layer of an object that begins higher
			p.Folds = append(p.Folds, Fold{n, fmt.Sprintf("before layer %d, from %s mm up", n,
				Height(max(low, 0)))})
			continue
		}
		of := "lies in"
		if z >= l.Z-same {
			of = "is the top of"
		}
		p.Said += fmt.Sprintf(" %s layer %d", of, n)
		p.Folds = append(p.Folds, Fold{n, fmt.Sprintf("before %d, from %s mm up", n, Height(low))})
		if n < len(ix.Layers) && ix.Layers[n].Object == object {
			p.Folds = append(p.Folds, Fold{n + 1, fmt.Sprintf("after %d, from %s mm up", n, Height(l.Z))})
		}
	}
	if len(p.Folds) == 1 && !strings.Contains(p.Said, "layer") {
		p.Said += fmt.Sprintf(" is where layer %d begins", p.Folds[0].Layer)
	}
	return p, nil
}

// Height writes a height with the decimals that it needs, at least two.
func Height(z gcode.Nano) string {
	return string(gcode.AppendMM(nil, (z+500)/1000*1000, 2))
}

func byLine(ix *file, m []string) (Place, error) {
	l, err := strconv.ParseInt(m[1], 10, 64)
	if err != nil || l < 1 || l > ix.Lines {
		return Place{}, fmt.Errorf("there is no line %s; the file has %d", m[1], ix.Lines)
	}
	n := max(ix.At(l), 1)
	p := one(n, fmt.Sprintf("Line %d belongs to layer %d", l, n))
	p.Line = l
	return p, nil
}

func byShare(ix *file, m []string) (Place, error) {
	share, err := strconv.ParseFloat(m[1], 64)
	if err != nil || share > 100 {
		return Place{}, errors.New("more than 100 % is not in the file")
	}
	own, ok := ix.shownAt(share)
	return either(atTime(ix, ix.Seconds*share/100, m[1]+" % of the time"), own, ok,
		fmt.Sprintf("where the file shows %s %%", m[1])), nil
}

func byClock(ix *file, m []string) (Place, error) {
	s := 0.0
	for k, each := range []float64{3600, 60, 1} {
		v, _ := strconv.ParseFloat(m[k+1], 64) // an empty one is none
		s += v * each
	}
	return ix.after(s)
}

// after is where a print is so many seconds from its start.
func (ix *file) after(s float64) (Place, error) {
	own, ok := ix.clockAt(s)
	if math.IsInf(s, 0) || s > ix.Seconds && !ok {
		return Place{}, errors.New("the print is done before that")
	}
	said := figures.Clock(math.Trunc(s)) + " into the print"
	return either(atTime(ix, s, said), own, ok, "by the file's own clock"), nil
}

// byTwo reads two numbers with a colon: hours and minutes, or, where that is too long or
// could be meant as well, minutes and seconds.
func byTwo(ix *file, m []string) (Place, error) {
	long, err := byClock(ix, []string{"", m[1], m[2], ""})
	short, err2 := byClock(ix, []string{"", "", m[1], m[2]})
	switch {
	case err != nil:
		return short, err2
	case err2 != nil || short.Folds[0].Layer == long.Folds[0].Layer:
		return long, nil
	}
	p := Place{Said: fmt.Sprintf("%s:%s can be hours and minutes, or minutes and seconds", m[1],
		m[2])}
	for _, f := range long.Folds {
		f.Words += fmt.Sprintf(", %s h %s min", m[1], m[2])
		p.Folds = append(p.Folds, f)
	}
	for _, f := range short.Folds {
		f.Words += fmt.Sprintf(", %s min %s s", m[1], m[2])
		p.Folds = append(p.Folds, f)
	}
	return p, nil
}

// atTime is the layer that is being laid at a time.
func atTime(ix *file, s float64, said string) Place {
	n := 1
	for n < len(ix.Layers) && ix.Layers[n].Begin <= s {
		n++
	}
	return one(n, fmt.Sprintf("%s falls into layer %d", said, n))
}

// Only returns the fold of a place at which there is no choice. Else it says how to choose.
func (p *Place) Only() (int, error) {
	if len(p.Folds) == 1 {
		return p.Folds[0].Layer, nil
	}
	var ways []string
	for _, f := range p.Folds {
		ways = append(ways, fmt.Sprintf("“layer %d” (%s)", f.Layer, f.Words))
	}
	return 0, fmt.Errorf("%s; write which fold you mean: %s", p.Said, strings.Join(ways, " or "))
}
