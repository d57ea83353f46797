package layer

import (
	"fmt"
	"sort"
	"strings"

	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/gcode"
)

// finish settles what could only be known at the end: prime lines, marks,
// heights, objects, times, findings.
func (r *reader) finish() (*Index, error) {
	ix := r.ix
	ix.Lines = r.line
	if !r.moved {
		if r.manner.commands {
			return nil, ErrNoMoves
		}
		return nil, ErrNotGCode
	}
	r.l.end()
	r.p.stop()
	r.p.p.finish()
	r.begins = r.p.p.begins.list()
	r.l.release(len(ix.Layers)-1, true)
	if err := r.group(); err != nil {
		return nil, err
	}
	if err := r.shape(); err != nil {
		return nil, err
	}
	marks, role, missing := r.l.learn(ix.Layers, r.begins)
	ix.Marks = marks
	ix.Labels = r.l.labels(len(ix.Layers), marks)
	r.folds(role)
	r.times()
	r.summary()
	r.findings(missing)
	return ix, nil
}

// shape counts objects and computes heights. An object is complete when laying
// begins again near the bed where nothing stands yet; any other drop is something
// laid lower on the side.
func (r *reader) shape() error {
	ix := r.ix
	ix.Kind, ix.Objects = Layered, 1
	start, checks := 0, 0
	for i := range ix.Layers {
		l := &ix.Layers[i]
		if i > 0 && l.Z < ix.Layers[i-1].Z-eps && !r.turns.vase && checks < maxChecks {
			again, err := r.restarts(start, i, false)
			if err != nil {
				return err
			}
			if l.Z <= 2*ix.Layers[start].Z+eps {
				checks++
			}
			if again {
				ix.Objects++
				start = i
			}
		}
		l.Object = int32(ix.Objects)
		// The next lower height of the same object; layers go up, so it is near.
		below := gcode.Nano(0)
		for k := i - 1; k >= start && k >= i-16; k-- {
			if z := ix.Layers[k].Z; z < l.Z-eps && (z > below || below == 0) {
				below = z
			}
		}
		l.Height = l.Z - below
	}
	for i := range ix.Layers { // the first, below the bed's zero, is as thick as the next
		if l := &ix.Layers[i]; l.Height <= 0 && i+1 < len(ix.Layers) {
			l.Height = max(ix.Layers[i+1].Z-l.Z, 0)
		}
	}
	if len(ix.Layers) == 0 {
		ix.Objects = 0
	}
	if ix.Objects > 1 {
		ix.Kind = Sequential
	}
	if r.turns.vase {
		ix.Kind = Vase
	}
	return nil
}

// folds chooses for each layer where its fold stands.
func (r *reader) folds(mark *role) {
	ix := r.ix
	special := map[string]bool{ix.Marks.Layer: true, ix.Marks.Height: true, ix.Marks.Clock: true}
	delete(special, "")
	for i := range ix.Layers {
		if g := r.gaps[i]; g != nil {
			late := true
			for _, id := range g.comments {
				late = late && !special[r.l.templates[id].text]
			}
			if late {
				r.stand(i, g.second)
			}
		}
		if i == 0 && mark != nil && mark.layers[0] >= 0 {
			at := mark.t.occurs[mark.layers[0]].line
			for _, s := range r.snaps {
				if s.line == at && at > ix.Prime.Last {
					r.stand(i, s)
				}
			}
		}
	}
	ix.shed()
	ix.place(ix.Stops)
	r.sortWaits()
}

// times gives each layer its share of the estimate.
func (r *reader) times() {
	ix := r.ix
	begins := r.begins
	ix.Seconds, ix.Scale = r.p.p.clock, 1
	for i := range ix.Layers {
		end := ix.Seconds
		if i+1 < len(begins) {
			end = begins[i+1]
		}
		ix.Layers[i].Begin = begins[i]
		ix.Layers[i].Seconds = max(end-begins[i], 0)
	}
	total, how := r.stated()
	if total <= 0 || ix.Seconds <= 0 {
		return
	}
	k := total / ix.Seconds
	if k < 0.5 || k > 2 {
		r.note(finding.Note, "time-stated", 1,
			fmt.Sprintf("The file says %s it takes %.0f s; by its moves it "+
				"is about %.0f s, and that is what is shown.", how, total, ix.Seconds))
		return
	}
	ix.Scale = k
	ix.Seconds *= k
	for i := range ix.Layers {
		ix.Layers[i].Begin *= k
		ix.Layers[i].Seconds *= k
	}
}

// stated returns the whole time the file itself tells: by its clock, when that
// counts seconds, or by the minutes left that it gives the display first.
func (r *reader) stated() (seconds float64, how string) {
	for k := range r.l.templates {
		t := &r.l.templates[k]
		if r.ix.Marks.Clock == "" || t.text != r.ix.Marks.Clock {
			continue
		}
		// A number that ends at 100 or less is percent.
		percent := strings.Contains(t.text, "%") || strings.Contains(strings.ToLower(t.text), "percent")
		if v := float64(t.newest[t.position]) / 1e6; !percent && (v > 100 || r.ix.Seconds < 200) {
			return v, "by its clock"
		}
	}
	return r.left * 60, "by its display lines"
}

func (r *reader) summary() {
	ix := r.ix
	ix.LineEnds = "lf"
	ends := r.line
	if r.faults.noNewline {
		ends--
	}
	if r.manner.crlf > 0 {
		ix.LineEnds = "crlf"
		if r.manner.crlf < ends {
			ix.LineEnds = "mixed"
		}
	}
	ix.EMode = "absolute"
	if r.manner.relLays > 0 {
		ix.EMode = "relative"
		if abs := r.lays - r.manner.relLays; abs*20 > r.lays && r.manner.relLays*20 > r.lays {
			ix.EMode = "mixed"
		} else if abs > r.manner.relLays {
			ix.EMode = "absolute"
		}
	}
	ix.Numbered = r.manner.numbered > 0
	ix.Lower = r.manner.lower > r.manner.sampled
	for i := range ix.Layers {
		l := &ix.Layers[i]
		ix.Filament += l.Filament
		if i == 0 {
			ix.Box = l.Box
		} else {
			ix.Box = union(ix.Box, l.Box)
		}
	}
}

func (r *reader) findings(missing []int) {
	ix := r.ix
	if ix.Ours > 0 {
		marks := fmt.Sprintf("%d of its marks stand", ix.Ours)
		if ix.Ours == 1 {
			marks = "one of its marks stands"
		}
		r.note(finding.Note, "written-by-dogear", 1,
			"Dogear has written this file: "+marks+" in it. They can "+
				"be taken out and edited again.")
	}
	words := make([]string, 0, len(r.faults.unknown))
	for w := range r.faults.unknown {
		words = append(words, w)
	}
	sort.Strings(words)
	for _, w := range words {
		ix.Words = append(ix.Words, strings.ToUpper(w))
	}
	if len(ix.Layers) == 0 {
		r.note(finding.Care, "no-heights", 1,
			"The file moves the head but lays nothing, so it has no layers.")
		return
	}
	if ix.OpenE = r.faults.openE; r.faults.openE > 0 {
		how := "in steps, as most printers do"
		if ix.Dialect.KeepE {
			how = "from the start, as the printer's settings say"
		}
		r.note(finding.Care, "filament-mode-open", r.faults.openE,
			"From line "+figures.Count(r.faults.openE)+" on places "+
				"count in steps (G91), and the file does not say how the filament counts. Printers differ; it "+
				"is read as counting "+how+". Name your printer, and say in its settings which is yours.")
	}
	r.beside()
	if len(missing) > 0 {
		r.note(finding.Note, "marks-disagree", ix.Layers[missing[0]-1].First,
			fmt.Sprintf("The file's own mark %q does not stand exactly once before %s. Layers are counted "+
				"by what is laid.", ix.Marks.Layer, someLayers(missing)))
	}
	const most = 20
	if len(words) > most {
		r.note(finding.Note, "unknown-command", 1,
			fmt.Sprintf("Dogear does not know %d words of this file; "+
				"it keeps them as they are. The first %d are named.", len(words), most))
		words = words[:most]
	}
	for _, w := range words {
		c := r.faults.unknown[w]
		r.note(finding.Note, "unknown-command", c.first,
			fmt.Sprintf("%s (%d×, first on line %s) is kept as it "+
				"is; what it does is up to the printer.", w, c.n, figures.Count(c.first)))
	}
	if r.faults.noNewline && !r.faults.ended {
		r.note(finding.Care, "cut-short", ix.Lines,
			"The file ends in the middle: there is no end code behind "+
				"the last laying move.")
	} else if !r.faults.ended {
		r.note(finding.Note, "cut-short", ix.Lines,
			"Nothing switches the heaters off behind the last laying "+
				"move. Was the file cut short?")
	}
	if r.faults.strange > 0 {
		r.note(finding.Care, "rubbish-at-end", r.faults.strange,
			"From line "+figures.Count(r.faults.strange)+" on stands "+
				"something that is not G-code.")
	}
	sort.SliceStable(ix.Findings,
		func(i, j int) bool { return ix.Findings[i].Line < ix.Findings[j].Line })
}

// beside notes what is laid where nothing should be: below the bed, or far from all the
// rest.
func (r *reader) beside() {
	ix := r.ix
	if l := &ix.Layers[0]; l.Z < 0 {
		r.odd(0, "below-bed", "lays the first layer at "+l.Z.String()+" mm, below the bed's zero. "+
			"Heights are shown as the file writes them.")
	}
	if r.faults.farLine > 0 {
		r.note(finding.Care, "far-off", r.faults.farLine,
			"Line "+figures.Count(r.faults.farLine)+" lays plastic more than "+
				"1.5 m from the origin, where no printer reaches. The pictures are drawn that wide.")
		return
	}
	// One layer that reaches much further than all others.
	n := len(ix.Layers)
	if n < 3 {
		return
	}
	// Of each side the furthest two, and whose the furthest is.
	var far, second [4]gcode.Nano
	var whose [4]int
	for k := range far {
		far[k], second[k], whose[k] = -1<<62, -1<<62, -1
	}
	outwards := func(b *[4]gcode.Nano, k int) gcode.Nano {
		if k < 2 {
			return -b[k]
		}
		return b[k]
	}
	for i := range ix.Layers {
		for k := range far {
			if v := outwards(&ix.Layers[i].Box, k); v > far[k] {
				far[k], second[k], whose[k] = v, far[k], i
			} else if v > second[k] {
				second[k] = v
			}
		}
	}
	for _, i := range whose {
		var rest [4]gcode.Nano
		for k := range rest {
			if rest[k] = far[k]; whose[k] == i {
				rest[k] = second[k]
			}
			if k < 2 {
				rest[k] = -rest[k]
			}
		}
		size := max(rest[2]-rest[0], rest[3]-rest[1])
		if out := unlike(union(rest, ix.Layers[i].Box), rest); out > 100*gcode.MM && out > 2*size {
			line, err := r.outside(i, rest)
			if err != nil {
				return
			}
			r.note(finding.Care, "far-off", line, fmt.Sprintf("Line %s lays plastic %.0f mm away from "+
				"everything else.", figures.Count(line), out.Millimetres()))
			return
		}
	}
}

// outside returns the first line of a layer that lays outside of a box.
func (r *reader) outside(i int, box [4]gcode.Nano) (int64, error) {
	at := r.ix.Layers[i].First
	l := &r.ix.Layers[i]
	err := r.ix.Walk(r.src, i+1, l.Last+1, func(line int64, _ []byte, _ *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		at = line
		here := [4]gcode.Nano{m.Pos[0], m.Pos[1], m.Pos[0], m.Pos[1]}
		return a.Kind != gcode.Lay || line < l.First || !apart(box, here, 10*gcode.MM)
	})
	return at, err
}

// someLayers names the first few of a list of layers.
func someLayers(list []int) string {
	s := "layer"
	if len(list) > 1 {
		s = "layers"
	}
	for i, n := range list {
		if i == 5 && len(list) > 6 {
			return s + fmt.Sprintf(" and %d more", len(list)-i)
		}
		if i > 0 {
			s += ","
		}
		s += fmt.Sprintf(" %d", n)
	}
	return s
}
