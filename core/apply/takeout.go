package apply

import (
	"encoding/json"
	"errors"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
)

// Taken is Dogear's own work, taken out of a file it has written: the edits
// that give the original back, byte for byte, and the plan that stood in it.
type Taken struct {
	Edits []edit.Edit
	Plan  *plan.Plan
	// ids of ears whose lines were changed by somebody else, so that they could not be read
	Lost []string
}

// ErrNotOurs is the cause when nothing of Dogear's stands in a file.
var ErrNotOurs = errors.New("nothing that Dogear has written stands in this file")

// TakeOut finds what Dogear has put into a file. Between a begin and an end line
// whose seal fits everything goes; muted lines come back; rewritten lines become what
// the comment in front of them says they were. Comments without a seal that fits
// are the file's own and stay.
func TakeOut(src layer.Source) (*Taken, error) {
	t := &taker{out: &Taken{Plan: &plan.Plan{Format: plan.Format,
		Filaments: map[string]plan.Filament{}}}}
	if err := mark.Find(src, t.block, t.rewritten); err != nil {
		return nil, err
	}
	if len(t.out.Edits) == 0 {
		return nil, ErrNotOurs
	}
	edit.Sort(t.out.Edits)
	if err := t.out.Plan.Check(); err != nil {
		return nil, err
	}
	return t.out, nil
}

type taker struct{ out *Taken }

// block takes a block out when its seal fits.
func (t *taker) block(b *mark.Block) error {
	if !b.Sealed {
		if b.Kind == mark.Ear || b.Kind == mark.Change { // somebody has changed it, or made it up
			t.out.Lost = append(t.out.Lost, b.ID)
		}
		return nil
	}
	if b.Kind == mark.Joint {
		return nil
	}
	m := &t.out.Plan.Mutes
	for i := range b.Muted {
		l := &b.Muted[i]
		t.cut(l.Offset, l.Offset+mark.MutedPrefix)
		if n := len(*m); i > 0 && n > 0 {
			(*m)[n-1].To = l.Original
		} else {
			*m = append(*m, plan.Span{From: l.Original, To: l.Original})
		}
	}
	from := b.Offset
	if b.Open {
		from -= b.LineEnd
	}
	t.cut(from, b.End)
	switch b.Kind {
	case mark.Change:
		t.change(b)
	case mark.Back:
		for i := range t.out.Plan.Changes {
			if c := &t.out.Plan.Changes[i]; c.ID == b.ID && c.UntilLine > 0 {
				c.UntilLine = b.Before + 1
			}
		}
	case mark.Ear:
		t.ear(b)
	}
	return nil
}

// rewritten puts a rewritten line back.
func (t *taker) rewritten(r *mark.Rewritten) error {
	// It gets the line end of the one that replaced it: a last line may have none.
	t.out.Edits = append(t.out.Edits, edit.Edit{Offset: r.Offset, Cut: r.End - r.Offset,
		Text: append(r.Was, r.LineEnd...)})
	return nil
}

func (t *taker) cut(from, to int64) {
	if n := len(t.out.Edits); n > 0 && t.out.Edits[n-1].Offset+t.out.Edits[n-1].Cut == from &&
		t.out.Edits[n-1].Text == nil {
		t.out.Edits[n-1].Cut += to - from
		return
	}
	t.out.Edits = append(t.out.Edits, edit.Edit{Offset: from, Cut: to - from})
}

// change reads what the first lines of a change remember of it.
func (t *taker) change(b *mark.Block) {
	var k plan.RememberedChange
	if json.Unmarshal(b.Kept, &k) != nil || k.Change.ID != b.ID || k.Change.Check() != nil {
		t.out.Lost = append(t.out.Lost, b.ID)
		return
	}
	if k.Change.BeforeLine > 0 {
		k.Change.BeforeLine = b.Before + 1
	}
	t.out.Plan.Changes = append(t.out.Plan.Changes, k.Change)
}

// ear reads what the block of an ear remembers of it.
func (t *taker) ear(b *mark.Block) {
	var k plan.Remembered
	if json.Unmarshal(b.Kept, &k) != nil || k.Ear.ID != b.ID {
		t.out.Lost = append(t.out.Lost, b.ID)
		return
	}
	if k.Ear.BeforeLine > 0 {
		k.Ear.BeforeLine = b.Before + 1
	}
	p := t.out.Plan
	probe := plan.Plan{Format: plan.Format, Ears: []plan.Ear{k.Ear}}
	if k.Filament != nil {
		probe.Filaments = map[string]plan.Filament{k.Ear.Filament: *k.Filament}
	}
	if probe.Check() != nil {
		t.out.Lost = append(t.out.Lost, b.ID)
		return
	}
	if k.Filament != nil {
		p.Filaments[k.Ear.Filament] = *k.Filament
	}
	if k.Was != nil && k.Was.Check() == nil {
		p.First, p.Filaments[k.From] = k.From, *k.Was
	}
	p.Ears = append(p.Ears, k.Ear)
}
