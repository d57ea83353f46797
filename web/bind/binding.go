package bind

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/bind"
	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/gcode"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// binding is what the bind page shows: pieces from below and the joints between
// them. It stands in the address, so that going back undoes a step.
type binding struct {
	books  []*book.Book
	pieces []bind.Piece
	joints []jointChoice
	at     int // the joint that is looked at
	p      *plan.Plan
	kit    *store.Kit
	accept []string // findings taken upon oneself
}

// jointChoice is what a person chooses for one joint.
type jointChoice struct {
	Kind     string
	Nozzle   float64
	DZ       float64
	Routine  string
	Filament string
	Minutes  float64 // of a heads-up before it; 0 for none
}

// MaxBound bounds what is bound at once.
const MaxBound = 8

// binding is what the address of a request asks for.
func (s *pages) binding(c fiber.Ctx) (*binding, error) {
	ctx := c.Context()
	kit, err := s.Store.Kit(ctx)
	if err != nil {
		return nil, err
	}
	q, err := url.ParseQuery(string(c.Request().URI().QueryString()))
	if err != nil {
		return nil, say.Sentence(fiber.StatusBadRequest, "this address cannot be read")
	}
	return readBinding(q, kit, func(id int64) (*book.Book, error) { return s.ready(ctx, id) })
}

// ready opens a print that has been read.
func (s *pages) ready(ctx context.Context, id int64) (*book.Book, error) {
	pr, err := s.Store.Print(ctx, id)
	if err != nil {
		return nil, err
	}
	if pr.State != "ready" {
		return nil, say.Sentence(fiber.StatusConflict, pr.Title+" is still being read; wait a moment")
	}
	return s.Books.Get(ctx, pr)
}

// readBinding reads what an address says, and does to it what a control asks for; open opens the
// prints that are bound.
func readBinding(q url.Values, kit *store.Kit,
	open func(id int64) (*book.Book, error)) (*binding, error) {
	b := &binding{p: &plan.Plan{Filaments: kit.Filaments, Routines: kit.Routines}, kit: kit}
	(&book.Marked{Plan: b.p, Kit: b.kit}).Printer()
	named := append(slices.Clone(q["p"]), q["add"]...)
	if len(named) > MaxBound {
		return nil, say.Sentence(fiber.StatusBadRequest,
			fmt.Sprintf("at most %d pieces are bound at once", MaxBound))
	}
	for _, name := range q["ok"] {
		if finding.CheckName(name) == nil && len(b.accept) < 20 {
			b.accept = append(b.accept, name)
		}
	}
	loose, err := b.takePieces(named, open)
	if err != nil {
		return nil, err
	}
	loose = b.rearrange(q) || loose
	if err := b.takeJoints(q); err != nil {
		return nil, err
	}
	n := len(b.pieces)
	switch {
	case !loose || n < 2:
	case n > 2 && b.pieces[n-1].From == 0 && b.pieces[n-2].From > 0:
		bind.OnTop(b.pieces)
		b.at = n - 2
	default:
		bind.Spread(b.pieces)
	}
	if k, err := strconv.Atoi(q.Get("at")); err == nil && q.Get("add") == "" {
		b.at = min(max(k, 0), max(len(b.pieces)-2, 0))
	}
	if loose {
		if err := bind.Meet(b.pieces); err != nil {
			return nil, say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
		}
	}
	b.moveJoint(q, loose)
	return b, nil
}

// takePieces opens the pieces, each an id with or without a run of layers: 3:1-40. It
// reports whether the layers of some are still to be chosen.
func (b *binding) takePieces(pieces []string,
	open func(id int64) (*book.Book, error)) (loose bool, err error) {
	for _, t := range pieces {
		if t == "" {
			continue
		}
		id, run, _ := strings.Cut(t, ":")
		n, err := strconv.ParseInt(id, 10, 64)
		if err != nil {
			return false, store.ErrNone
		}
		bk, err := open(n)
		if err != nil {
			return false, err
		}
		piece := bind.Piece{Name: bk.Print.Title, Src: bk.Src, Ix: bk.Ix}
		if _, err := fmt.Sscanf(run, "%d-%d", &piece.From, &piece.To); err != nil || piece.From < 1 ||
			piece.To > len(bk.Ix.Layers) || piece.From > piece.To {
			piece.From, piece.To, loose = 0, 0, true
		}
		b.books, b.pieces = append(b.books, bk), append(b.pieces, piece)
	}
	return loose, nil
}

// rearrange leaves a piece out, or turns two round, as the address asks for it. It
// reports whether it has: the layers are to be chosen anew.
func (b *binding) rearrange(q url.Values) (loose bool) {
	if k, err := strconv.Atoi(q.Get("drop")); err == nil && k >= 0 && k < len(b.pieces) {
		b.books, b.pieces = slices.Delete(b.books, k, k+1), slices.Delete(b.pieces, k, k+1)
		loose = true
		for i := range b.pieces {
			b.pieces[i].From = 0
		}
		for _, key := range []string{"j", "n", "dz", "r", "f", "h"} { // and a joint with it
			if all, at := q[key], max(k-1, 0); at < len(all) {
				q[key] = slices.Delete(all, at, at+1)
			}
		}
	}
	if k, err := strconv.Atoi(q.Get("turn")); err == nil && k >= 0 && k+1 < len(b.pieces) {
		b.books[k], b.books[k+1] = b.books[k+1], b.books[k]
		b.pieces[k], b.pieces[k+1] = b.pieces[k+1], b.pieces[k]
		b.pieces[k].From, b.pieces[k+1].From, loose = 0, 0, true
	}
	return loose
}

// takeJoints reads what is done at each joint.
func (b *binding) takeJoints(q url.Values) error {
	for i := range max(len(b.pieces)-1, 0) {
		at := func(key string) string {
			if all := q[key]; i < len(all) {
				return all[i]
			}
			return ""
		}
		j := jointChoice{Kind: at("j"), Routine: at("r"), Filament: at("f")}
		var err, err2, err3 error
		if t := at("h"); t != "" {
			j.Minutes, err3 = fields.Amount(t, 0, 600)
		}
		if t := at("n"); t != "" {
			j.Nozzle, err = fields.Amount(t, 0.1, 3)
		}
		if t := at("dz"); t != "" {
			j.DZ, err2 = fields.Amount(t, -5, 5)
		}
		if err = errors.Join(err, err2, err3); err != nil {
			return err
		}
		if !slices.Contains([]string{plan.Nozzle, plan.Colour}, j.Kind) {
			j.Kind = ""
		}
		b.joints = append(b.joints, j)
	}
	return nil
}

// moveJoint moves a joint to the height that the address names.
func (b *binding) moveJoint(q url.Values, loose bool) {
	to := q.Get("move")
	if to == "" && !loose {
		to = q.Get("height")
	}
	if k, z, ok := strings.Cut(to, ":"); ok {
		k, err := strconv.Atoi(k)
		z, err2 := strconv.ParseFloat(z, 64)
		if err == nil && err2 == nil && k >= 0 && k+1 < len(b.pieces) && z >= 0 && z < 1e5 {
			bind.MoveJoint(b.pieces, k, gcode.FromMM(z))
			if q.Get("move") != "" {
				b.at = k
			}
		}
	}
}

// address is the binding as it stands in an address.
func (b *binding) address(path string) string {
	q := url.Values{}
	for i, p := range b.pieces {
		q.Add("p", fmt.Sprintf("%d:%d-%d", b.books[i].Print.ID, p.From, p.To))
	}
	for _, j := range b.joints {
		q.Add("j", j.Kind)
		q.Add("n", fields.NumberOrBlank(j.Nozzle))
		q.Add("dz", fields.NumberOrBlank(j.DZ))
		q.Add("h", fields.NumberOrBlank(j.Minutes))
		q.Add("r", j.Routine)
		q.Add("f", j.Filament)
	}
	for _, name := range b.accept {
		q.Add("ok", name)
	}
	if b.at > 0 {
		q.Set("at", fmt.Sprint(b.at))
	}
	return path + "?" + q.Encode()
}

// joined binds what is chosen, and has it examined.
func (s *pages) joined(ctx context.Context, b *binding) (*gate.Release, error) {
	var joints []bind.Joint
	for _, c := range b.joints {
		j := bind.Joint{DZ: c.DZ}
		if c.Kind != "" {
			j.Ear = plan.Ear{Kind: c.Kind, Nozzle: c.Nozzle}
			if c.Kind == plan.Colour {
				j.Ear.Filament = c.Filament
			}
			if c.Minutes > 0 {
				j.Ear.HeadsUp = &plan.HeadsUp{Minutes: c.Minutes}
			}
			if _, ok := b.p.Routines[c.Routine]; ok || plan.Builtin()[c.Routine] != nil {
				j.Ear.Routine, _ = json.Marshal(c.Routine)
			}
		}
		joints = append(joints, j)
	}
	key, err := site.KeyOf("bind", b.books[0], b.address(""), b.p)
	if err != nil {
		return nil, err
	}
	a, err := s.Examine(key, key, func(ctx context.Context, ask gate.Asked) (*gate.Release, error) {
		ask.Accept = b.accept
		return gate.Bind(ctx, b.pieces, joints, b.p, ask)
	})
	if err != nil {
		return nil, err
	}
	if _, err := a.Within(ctx, 0); err != nil {
		if errors.Is(err, context.Canceled) {
			return nil, err
		}
		return nil, say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return a.Out(), nil
}
