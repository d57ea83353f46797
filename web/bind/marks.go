package bind

import (
	"context"
	"errors"
	"fmt"

	"dogear/core/finding"
	"dogear/core/plan"
	"dogear/web/site"
)

// along gives a bound print the ears of its pieces, each before the layer that it has there, and
// notes for the margin what came along. Ears inside a layer, and at a joint, stay behind.
func (s *pages) along(ctx context.Context, b *binding, id int64) error {
	took, left := 0, 0
	err := s.Store.Change(ctx, id, func(p *plan.Plan) error {
		took, left = 0, 0
		below := 0 // layers of the pieces below
		for i := range b.pieces {
			q := &b.pieces[i]
			of, _, _, err := s.Store.Plan(ctx, b.books[i].Print.ID)
			if err != nil {
				return err
			}
			if i == 0 {
				p.First, p.Uses, p.Printer = of.First, of.Uses, of.Printer
			}
			for _, e := range of.Ears {
				n := e.BeforeLayer
				switch {
				case n == 0, n == q.From && i > 0:
					left++
				case n >= q.From && n <= q.To:
					e.ID, e.BeforeLayer = p.FreeID(), below+n-q.From+1
					e.Z, e.Near, e.Seen = nil, nil, nil // told of another file
					p.Ears = append(p.Ears, e)
					takeFilament(p, of, e.Filament)
					took++
				}
			}
			below += q.To - q.From + 1
		}
		if took == 0 {
			return errNoEars
		}
		return site.CheckPlan(p, b.kit)
	})
	if err != nil && !errors.Is(err, errNoEars) {
		return err
	}
	var said []finding.Finding
	note := func(level finding.Level, n int, what string) {
		if n > 0 {
			ears := "ears"
			if n == 1 {
				ears = "ear"
			}
			said = append(said, finding.Finding{Level: level, Code: "bound",
				Message: fmt.Sprintf("%d %s of the pieces %s.", n, ears, what)})
		}
	}
	note(finding.Note, took, "came along")
	note(finding.Care, left, "stayed behind: inside a layer, or at a joint")
	if said == nil {
		return nil
	}
	return s.Store.SaveCarried(ctx, id, said)
}

// errNoEars ends a change that has nothing to change.
var errNoEars = errors.New("the pieces have no ears")

// takeFilament takes over a filament that a plan has brought along itself.
func takeFilament(p, of *plan.Plan, key string) {
	f, own := of.Filaments[key]
	if !own {
		return
	}
	if p.Filaments == nil {
		p.Filaments = map[string]plan.Filament{}
	}
	p.Filaments[key] = f
}
