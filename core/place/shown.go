package place

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// What a file tells of its own progress: words for the display (M73 P40), and a clock in the
// comments that it repeats with each layer. Nobody asks for them often; the file is read when
// somebody does.

// each calls f with each line of the file, until it returns false.
func (ix *file) each(f func(line int64, c *gcode.Command, text []byte) bool) {
	if ix.src == nil {
		return
	}
	s := gcode.NewScanner(io.NewSectionReader(ix.src, 0, ix.src.Size()))
	var c gcode.Command
	for line := int64(1); s.Scan(&c) && f(line, &c, s.Text()); line++ {
	}
}

// shownAt returns the layer that is laid when the file first shows a share on the display.
func (ix *file) shownAt(percent float64) (n int, ok bool) {
	last := 0.0
	ix.each(func(line int64, c *gcode.Command, _ []byte) bool {
		if !c.Is('M', 73) || !c.Has('P') {
			return true
		}
		last = float64(c.Value('P')) / 1e6
		if last < percent {
			return true
		}
		n = ix.behind(line)
		return false
	})
	return n, n > 0
}

// behind is the layer that is laid behind a line.
func (ix *file) behind(line int64) int {
	n := max(ix.At(line), 1)
	if line > ix.Layers[n-1].Last && n < len(ix.Layers) {
		n++
	}
	return n
}

// clockAt returns the layer that is laid so many seconds from the start, by the file's own
// clock.
func (ix *file) clockAt(seconds float64) (n int, ok bool) {
	if ix.Marks.Clock == "" {
		return 0, false
	}
	// Of the numbers of the comment the clock is the one that has grown most.
	type told struct {
		line int64
		all  []int64
	}
	var all []told
	ix.each(func(line int64, c *gcode.Command, text []byte) bool {
		if c.Letter == 0 && c.Comment != nil {
			if t := trim(text); layer.Template(t) == ix.Marks.Clock {
				all = append(all, told{line, layer.Numbers(t)})
			}
		}
		return true
	})
	if len(all) < 2 {
		return 0, false
	}
	first, last, k := all[0].all, all[len(all)-1].all, 0
	for i := range min(len(first), len(last)) {
		if last[i]-first[i] > last[k]-first[k] {
			k = i
		}
	}
	want := int64(seconds * 1e6)
	for _, t := range all {
		switch {
		case k >= len(t.all) || t.all[k] < want:
		case t.all[k] == want: // it says so just here
			return ix.behind(t.line), true
		default: // it comes to that while the layer in front is laid
			return max(ix.At(t.line-1), 1), true
		}
	}
	return 0, false
}

func trim(text []byte) []byte { return bytes.TrimRight(text, " \r\n") }

// byDisplay reads a word for the display as it stands in the file.
func byDisplay(ix *file, m []string) (Place, error) {
	v, err := strconv.ParseFloat(m[1], 64)
	if err != nil {
		return Place{}, ErrWords
	}
	n, ok := ix.shownAt(v)
	if !ok {
		return Place{}, fmt.Errorf("the file never shows %s %%", m[1])
	}
	return one(n, fmt.Sprintf("The file shows %s %% at layer %d", m[1], n)), nil
}

// byComment reads a comment as it stands in the file: one that occurs just so is where it
// stands first, and one of the file's clock is where the clock comes to that.
func (ix *file) byComment(text []byte) (p Place, err error) {
	err = errors.New("this comment does not stand in the file")
	ix.each(func(line int64, c *gcode.Command, t []byte) bool {
		if !bytes.Equal(trim(t), text) {
			return true
		}
		n := ix.behind(line)
		p, err = one(n, fmt.Sprintf("It stands in line %d, where layer %d begins", line, n)), nil
		if at := ix.At(line); at == n && line > ix.Layers[n-1].First {
			p = one(n, fmt.Sprintf("It stands in line %d, inside layer %d", line, n))
			p.Line = line
		}
		return false
	})
	if err == nil || layer.Template(text) != ix.Marks.Clock || ix.Marks.Clock == "" {
		return p, err
	}
	for _, v := range layer.Numbers(text) {
		if n, ok := ix.clockAt(float64(v) / 1e6); ok {
			return one(n, fmt.Sprintf("The file's own clock says so at layer %d", n)), nil
		}
	}
	return p, err
}

// either is a place by the estimate or by what the file tells itself; where they are the same
// fold, that one.
func either(p Place, own int, known bool, words string) Place {
	if !known || p.Folds[0].Layer == own {
		return p
	}
	p.Folds[0].Words += ", by the estimate"
	p.Folds = append(p.Folds, Fold{own, fmt.Sprintf("before layer %d, %s", own, words)})
	return p
}
