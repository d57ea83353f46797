package apply

import (
	"fmt"
	"math"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Anchor notes where the ears of a plan lie in the file, so that the plan can
// be laid onto another slicing of the same model: the height of the fold and,
// inside a layer, the place where the path behind it begins; before a layer, what
// is to be seen there, when marks are known.
func Anchor(src layer.Source, ix *layer.Index, p *plan.Plan, marks *landmark.Report) error {
	for i := range p.Ears {
		e := &p.Ears[i]
		f, err := Locate(src, ix, e)
		if err != nil {
			return &plan.Error{Ear: e.ID, Err: err}
		}
		l := &ix.Layers[f.Layer-1]
		z := (l.Z - l.Height).Millimetres()
		e.Z, e.Near, e.Seen = &z, nil, nil
		if !f.Inside {
			e.Seen = see(e, f.Layer, marks)
			continue
		}
		moves, err := ix.Decode(src, f.Layer)
		if err != nil {
			return &plan.Error{Ear: e.ID, Err: err}
		}
		for k := range moves {
			if moves[k].Kind == gcode.Lay && moves[k].Line >= f.Line {
				e.Near = &[2]float64{moves[k].From[0].Millimetres(), moves[k].From[1].Millimetres()}
				break
			}
		}
	}
	for i := range p.Changes {
		c := &p.Changes[i]
		from, until := changeLayers(ix, c)
		z, end := bottom(ix, from), bottom(ix, until)
		c.Z, c.UntilZ = &z, &end
	}
	return nil
}

// changeLayers are the layers in front of which a change begins and ends, or
// within which it does.
func changeLayers(ix *layer.Index, c *plan.Change) (from, until int) {
	from, until = c.BeforeLayer, c.UntilLayer
	if from == 0 {
		from = max(ix.At(c.BeforeLine), 1)
	}
	if until == 0 {
		until = max(ix.At(c.UntilLine), 1)
	}
	return min(from, len(ix.Layers)), min(until, len(ix.Layers)+1)
}

// bottom is the height at which a layer begins, mm; of one more than there are,
// the height of the print.
func bottom(ix *layer.Index, n int) float64 {
	if n > len(ix.Layers) {
		return ix.Height().Millimetres()
	}
	l := &ix.Layers[n-1]
	return (l.Z - l.Height).Millimetres()
}

// nearestFold returns the layer that begins nearest to a height, one more than
// there are for the top of the print, and how far off it is, mm.
func nearestFold(ix *layer.Index, z float64) (n int, off float64) {
	n, off = 1, math.Inf(1)
	for k := 1; k <= len(ix.Layers)+1; k++ {
		if d := abs(bottom(ix, k) - z); d < off-1e-9 {
			n, off = k, d
		}
	}
	return n, off
}

// reanchorChanges moves changes by their heights; inside a layer they go to where
// it begins or ends.
func reanchorChanges(ix *layer.Index, p *plan.Plan) []finding.Finding {
	var out []finding.Finding
	var keep []plan.Change
	for _, c := range p.Changes {
		find := func(level finding.Level, code, text string) {
			out = append(out, finding.Finding{Level: level, Code: code, Line: 1, Message: "Change " + c.ID +
				": " + text})
		}
		if c.Z == nil || c.UntilZ == nil {
			find(finding.Care, "not-placed", "the plan does not say at which heights it lay; it is left out")
			continue
		}
		from, off := nearestFold(ix, *c.Z)
		until, off2 := nearestFold(ix, *c.UntilZ)
		if from > len(ix.Layers) {
			find(finding.Care, "not-placed",
				fmt.Sprintf("%g mm lies above this print, which ends at %s mm; "+
					"it is left out", *c.Z, ix.Height()))
			continue
		}
		until = max(until, from+1)
		inside := c.BeforeLine > 0 || c.UntilLine > 0
		c.BeforeLayer, c.BeforeLine, c.UntilLayer, c.UntilLine = from, 0, until, 0
		level, text := finding.Note, fmt.Sprintf("%g to %g mm is now layers %d to %d", *c.Z, *c.UntilZ,
			from, until-1)
		if inside || max(off, off2) > sameHeight {
			level = finding.Care
			text += fmt.Sprintf(", which are %.2f to %.2f mm", bottom(ix, from), bottom(ix, until))
		}
		find(level, "moved", text)
		keep = append(keep, c)
	}
	p.Changes = keep
	return out
}

// sameHeight is how far a fold may lie from its old height, mm, without a word.
const sameHeight = 0.0011

// nearPath is how far a path may begin from where it began, mm.
const nearPath = 1.0

// Reanchor moves the ears of a plan that was made for another slicing to where
// their heights lie in this one, and reports each with code "moved". An ear
// that has no place here is taken out of the plan and reported with code
// "not-placed". Muted lines mean nothing in another file and go too.
//
// Where an ear was marked for something to be seen, a pocket or raised parts, it
// goes to where that is in this file, when marks are known.
func Reanchor(src layer.Source, ix *layer.Index, p *plan.Plan,
	marks *landmark.Report) ([]finding.Finding, error) {
	var out []finding.Finding
	var keep []plan.Ear
	taken := map[string]string{}
	for i := range p.Ears {
		e := p.Ears[i]
		f, ok, err := reanchor(src, ix, &e, marks)
		if err != nil {
			return nil, err
		}
		if ok {
			at, err := Locate(src, ix, &e)
			key := ""
			if e.Kind == plan.Colour || e.Kind == plan.Nozzle { // of which a fold takes one
				key = fmt.Sprint(at.Line, e.Kind)
			}
			switch {
			case err != nil:
				f, ok = finding.Finding{Level: finding.Care, Code: "not-placed", Message: err.Error()}, false
			case taken[key] != "":
				f, ok = finding.Finding{Level: finding.Care, Code: "not-placed",
					Message: fmt.Sprintf("would change the same as ear %s at one fold, before layer %d",
						taken[key], at.Layer)}, false
			default:
				if key != "" {
					taken[key] = e.ID
				}
				line := fmt.Sprint(at.Line)
				if o := taken[line]; o != "" { // they were apart in the other slicing, or not
					f.Level, f.Message = finding.Care, f.Message+", in one stop with ear "+o
				} else {
					taken[line] = e.ID
				}
			}
		}
		f.Line, f.Message = 1, "Ear "+e.ID+": "+f.Message
		out = append(out, f)
		if ok {
			keep = append(keep, e)
		}
	}
	p.Ears = keep
	out = append(out, reanchorChanges(ix, p)...)
	if len(p.Mutes) > 0 {
		out = append(out, finding.Finding{Level: finding.Care, Code: "not-placed", Line: 1,
			Message: fmt.Sprintf("%d runs of muted lines belong to the other file and are left out.",
				len(p.Mutes))})
		p.Mutes = nil
	}
	return out, nil
}

// reanchor moves one ear. It reports whether the ear has a place here.
func reanchor(src layer.Source, ix *layer.Index, e *plan.Ear,
	marks *landmark.Report) (finding.Finding, bool, error) {
	moved := func(by string, level finding.Level, text string) (finding.Finding, bool, error) {
		return finding.Finding{Level: level, Code: "moved", Message: text, By: by}, true, nil
	}
	lost := func(text string) (finding.Finding, bool, error) {
		return finding.Finding{Level: finding.Care, Code: "not-placed", Message: text}, false, nil
	}
	switch {
	case e.AtHeight != nil:
		if len(ix.AtHeight(gcode.FromMM(*e.AtHeight))) == 0 {
			return lost(fmt.Sprintf("%g mm lies above this print, which ends at %s mm", *e.AtHeight,
				ix.Height()))
		}
		return moved(finding.ByHeight, finding.Note, fmt.Sprintf("stays at %g mm", *e.AtHeight))
	case e.Z == nil && e.BeforeLine > 0:
		return moved(finding.ByNumber, finding.Care, fmt.Sprintf("keeps line %d, since the plan does "+
			"not say at which height it lay", e.BeforeLine))
	case e.Z == nil:
		return moved(finding.ByNumber, finding.Care, "keeps its layer number, since the plan does not "+
			"say at which height it lay")
	case *e.Z > ix.Height().Millimetres()-sameHeight:
		return lost(fmt.Sprintf("its height of %g mm lies above this print, which ends at %s mm", *e.Z,
			ix.Height()))
	}
	was := fmt.Sprintf("before layer %d", e.BeforeLayer)
	switch {
	case e.BeforeLine > 0:
		was = fmt.Sprintf("in front of line %d", e.BeforeLine)
	case e.FileNumber != nil:
		was = fmt.Sprintf("before the file's layer %d", *e.FileNumber)
	}
	best, off := 1, math.Inf(1)
	for n := range ix.Layers {
		if d := abs((ix.Layers[n].Z - ix.Layers[n].Height).Millimetres() - *e.Z); d < off-1e-9 {
			best, off = n+1, d
		}
	}
	l := &ix.Layers[best-1]
	inside := e.BeforeLine > 0
	near := e.Near
	e.BeforeLayer, e.BeforeLine, e.FileNumber = best, 0, nil
	text := fmt.Sprintf("%s at %g mm is now before layer %d at %s mm", was, *e.Z, best, l.Z-l.Height)
	switch {
	case inside && near != nil:
		line, d, err := pathNear(src, ix, best, *near)
		if err != nil {
			return finding.Finding{}, false, err
		}
		if d > nearPath {
			return moved(finding.ByHeight, finding.Care, text+": no path begins where it did inside that "+
				"layer")
		}
		e.BeforeLayer, e.BeforeLine = 0, line
		return moved(finding.ByPath, finding.Care, fmt.Sprintf("%s is now inside layer %d, in front of "+
			"line %d, where a path begins %.2f mm from where it did; look at what is laid before and "+
			"behind it", was, best, line, d))
	case inside:
		return moved(finding.ByHeight, finding.Care, text+", no longer inside a layer")
	}
	n, why := follow(ix, e, best, marks)
	by := finding.ByHeight
	switch {
	case n != best:
		e.BeforeLayer = n
		return moved(finding.ByLandmark, finding.Care, fmt.Sprintf("%s at %g mm is now before layer %d:",
			was, *e.Z, n)+why)
	case why != "":
		return moved(by, finding.Care, text+why)
	case e.Seen != nil && marks != nil:
		by = finding.ByBoth
	}
	switch {
	case off > sameHeight && by == finding.ByBoth:
		return moved(by, finding.Note, text+fmt.Sprintf(", where %s too", words[e.Seen.Kind]))
	case off > sameHeight:
		return moved(by, finding.Care, text+fmt.Sprintf(": the heights differ by %.3g mm", off))
	}
	return moved(by, finding.Note, text)
}

// pathNear returns the line in front of which the path of layer n begins that
// starts nearest to a place, and how far from it, mm.
func pathNear(src layer.Source, ix *layer.Index, n int, at [2]float64) (int64, float64, error) {
	moves, err := ix.Decode(src, n)
	if err != nil {
		return 0, 0, err
	}
	line, best := int64(0), math.Inf(1)
	paths := layer.Paths(moves)
	for k, p := range paths {
		if p.Class == layer.Travel || k == 0 || k == 1 && paths[0].Class == layer.Travel {
			continue // in front of the first path is no place inside the layer
		}
		m := &moves[p.From]
		if d := math.Hypot(m.From[0].Millimetres()-at[0], m.From[1].Millimetres()-at[1]); d < best {
			best, line = d, m.Line
			if paths[k-1].Class == layer.Travel {
				line = moves[paths[k-1].From].Line
			}
		}
	}
	return line, best, nil
}
