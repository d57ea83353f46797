package gate

import (
	"errors"
	"fmt"
	"math"

	"dogear/core/apply"
	"dogear/core/finding"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// ErrOtherFile is the cause when a plan was made for another file.
var ErrOtherFile = errors.New("the plan was made for another file")

// ErrOtherModel is the cause when a plan was made for another model.
var ErrOtherModel = errors.New("the plan was made for another model")

// Onto says what becomes of a plan that was made for another file.
type Onto struct {
	SHA256   string // of the file it is laid onto
	Reanchor bool   // another slicing will do: its ears go by height
	Other    bool   // another model too
}

// Move fits a plan to the file it is to be laid onto, and reports what moved. A plan
// that names no file, or this one, stays as it is. Another slicing of the same model
// must be asked for, another model too: where the plan knows the shape it was made
// for, that is compared; where it does not, losing half of the ears counts as one.
func (o Onto) Move(src layer.Source, ix *layer.Index, p *plan.Plan,
	marks *landmark.Report) ([]finding.Finding, error) {
	if p.File == nil || p.File.SHA256 == "" || p.File.SHA256 == o.SHA256 {
		return nil, nil
	}
	if !o.Reanchor {
		return nil, ErrOtherFile
	}
	var out []finding.Finding
	find := func(level finding.Level, code, text string) {
		out = append(out, finding.Finding{Level: level, Code: code, Line: 1, Message: text})
	}
	why := ""
	if was := p.File.Shape; was != nil {
		is, err := apply.ShapeOf(src, ix)
		if err != nil {
			return nil, err
		}
		var moved [2]float64
		why, moved = apply.OtherModel(was, is, thickest(ix))
		if away := math.Hypot(moved[0], moved[1]); why == "" && away > 0.7 {
			find(finding.Care, "moved-on-bed", fmt.Sprintf("The model stands %.1f mm from where it stood "+
				"when the plan was made; what names places on the bed, as pockets do, may be off.", away))
		}
	} else {
		find(finding.Care, "other-file",
			"The plan does not say what shape it was made for. See that this "+
				"is the same model.")
	}
	before := len(p.Ears)
	moved, err := apply.Reanchor(src, ix, p, marks)
	if err != nil {
		return nil, err
	}
	if why == "" && p.File.Shape == nil && before > 1 && len(p.Ears)*2 < before {
		why = fmt.Sprintf("of %d ears %d have a place here", before, len(p.Ears))
	}
	if why != "" {
		if !o.Other {
			return nil, fmt.Errorf("%w: %s", ErrOtherModel, why)
		}
		find(finding.Care, "other-model", "The plan was made for another model: "+why+".")
	}
	return append(out, moved...), nil
}

// thickest is the height of the thickest layer, mm.
func thickest(ix *layer.Index) float64 {
	most := 0.0
	for i := range ix.Layers {
		most = max(most, ix.Layers[i].Height.Millimetres())
	}
	return most
}
