package web

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/bind"
	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
	"dogear/store"
)

// bindPage shows the pieces and what is at the joint that is looked at.
func (s *Server) bindPage(c fiber.Ctx) error {
	b, err := s.binding(c)
	if err != nil {
		return err
	}
	m := fiber.Map{"Title": "Bind", "At": "bind"}
	if len(b.pieces) < 2 {
		if m["Groups"], m["First"], m["All"], err = s.bindable(c.Context(), b); err != nil {
			return err
		}
		return s.page(c, "bind", m)
	}
	v, err := s.boundView(c.Context(), b)
	if err != nil {
		return err
	}
	if c.Get("HX-Request") != "" {
		return c.Render("_bind", v)
	}
	m["V"] = v
	return s.page(c, "bind", m)
}

// kin reports whether two prints could be slicings of one model: they are as
// wide, as deep and as high.
func kin(a, b *book) bool {
	if a.ix.Kind != layer.Layered || b.ix.Kind != layer.Layered || a.print.SHA256 == b.print.SHA256 || len(a.ix.Layers) < 2 || len(b.ix.Layers) < 2 {
		return false
	}
	near := func(x, y float32, by float64) bool { return math.Abs(float64(x-y)) < by }
	p, q := a.outline.Box, b.outline.Box
	return near(p[2]-p[0], q[2]-q[0], 1.5) && near(p[3]-p[1], q[3]-q[1], 1.5) && math.Abs((a.ix.Height()-b.ix.Height()).Millimetres()) < 1
}

// kinOf returns a print and those that could be slicings of its model, the
// coarsest first.
func kinOf(k *book, books []*book) []*book {
	all := []*book{k}
	for _, o := range books {
		if o != nil && o.print.ID != k.print.ID && kin(k, o) {
			all = append(all, o)
		}
	}
	slices.SortStableFunc(all, func(x, y *book) int { return int(usualHeight(y.ix) - usualHeight(x.ix)) })
	return all
}

// kinAddress is where they are bound.
func kinAddress(all []*book) string {
	q := url.Values{}
	for _, o := range all[:min(len(all), mostBound)] {
		q.Add("p", fmt.Sprint(o.print.ID))
	}
	return "/bind?" + q.Encode()
}

// bindGroup are prints of the shelf that could be slicings of one model.
type bindGroup struct {
	Prints []bindChoice
	All    string // address that binds them all
}

type bindChoice struct {
	ID           int64
	Title, Facts string
}

// bindable lists what could be bound; first is a print chosen already, every are
// all prints.
func (s *Server) bindable(ctx context.Context, b *binding) (groups []bindGroup, first *bindChoice, every []bindChoice, err error) {
	books, err := s.books(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	choice := func(k *book) bindChoice {
		return bindChoice{k.print.ID, k.print.Title, fmt.Sprintf("%s mm · %s · %s mm each", trimmed(k.ix.Height()), layersWord(len(k.ix.Layers)), trimmed(usualHeight(k.ix)))}
	}
	if len(b.books) == 1 {
		f := choice(b.books[0])
		first = &f
	}
	for _, k := range books {
		every = append(every, choice(k))
	}
	used := map[int64]bool{}
	for _, k := range books {
		if used[k.print.ID] || first != nil && k.print.ID != first.ID {
			continue
		}
		all := kinOf(k, books)
		if len(all) < 2 {
			continue
		}
		g := bindGroup{All: kinAddress(all)}
		for _, o := range all {
			used[o.print.ID] = true
			g.Prints = append(g.Prints, choice(o))
		}
		groups = append(groups, g)
	}
	return groups, first, every, nil
}

// books are all prints that have been read.
func (s *Server) books(ctx context.Context) ([]*book, error) {
	prints, err := s.cfg.Store.Prints(ctx)
	if err != nil {
		return nil, err
	}
	var out []*book
	for _, p := range prints {
		if p.State != "ready" {
			continue
		}
		b, err := s.opened.get(ctx, p)
		if err != nil {
			return nil, err
		}
		out = append(out, b)
	}
	return out, nil
}

// usualHeight is the layer height that most layers of a print have.
func usualHeight(ix *layer.Index) gcode.Nano {
	count := map[gcode.Nano]int{}
	best := gcode.Nano(0)
	for i := range ix.Layers {
		h := (ix.Layers[i].Height + 500) / 1000 * 1000
		if count[h]++; count[h] > count[best] || count[h] == count[best] && h < best {
			best = h
		}
	}
	return best
}

// boundPiece is a piece as it is shown.
type boundPiece struct {
	ID           int64
	Title        string
	From, To     int
	Low, High    string
	Each         string
	Layers       int
	K            int
	Below, Above bool // it has a neighbour there
}

// boundJoint is the joint that is looked at.
type boundJoint struct {
	jointChoice
	K            int
	Z            string
	Below, Above string // titles
	Last, First  int
	Shared       []sharedHeight
	Up, Down     string // heights of the next joints; empty at an end
	Lines        []routine.Line
	Takes        float64
}

type sharedHeight struct {
	Z float64 `json:"z"`
	A int     `json:"a"`
	B int     `json:"b"`
}

type boundState struct {
	Pieces []boundRun     `json:"pieces"`
	At     int            `json:"at"`
	Shared []sharedHeight `json:"shared"`
}

type boundRun struct {
	ID   int64 `json:"id"`
	From int   `json:"from"`
	To   int   `json:"to"`
}

type boundView struct {
	Address  string
	Out      string // address of the file
	State    string
	Query    string      // the same, of what is put on the shelf
	Hidden   [][2]string // what the form carries along
	Besides  [][2]string // of the joints below the one that is looked at
	After    [][2]string // and above it
	Pieces   []boundPiece
	Joint    boundJoint
	Joints   []boundTab
	Others   []bindChoice // that may be put on top
	Routines []string
	Spools   [][2]string
	Findings []layer.Finding
	Blocked  bool
	Seconds  float64
	Name     string
}

type boundTab struct {
	K  int
	Z  string
	At bool
}

// boundView works out everything the page shows.
func (s *Server) boundView(ctx context.Context, b *binding) (*boundView, error) {
	made, err := b.make(ctx)
	if err != nil {
		return nil, err
	}
	v := &boundView{Address: b.address("/bind"), Out: b.address("/bind/file"), Findings: made.Findings, Name: boundName(b)}
	slices.SortStableFunc(v.Findings, func(x, y layer.Finding) int { return gravity(y.Level) - gravity(x.Level) })
	st := boundState{At: b.at, Shared: []sharedHeight{}}
	for i, p := range made.Pieces {
		low := gcode.Nano(0)
		if p.From > 1 {
			low = p.Ix.Layers[p.From-2].Z
		}
		v.Pieces = append(v.Pieces, boundPiece{b.books[i].print.ID, p.Name, p.From, p.To, trimmed(low), trimmed(p.Ix.Layers[p.To-1].Z), trimmed(usualHeight(p.Ix)), p.To - p.From + 1, i, i > 0, i+1 < len(made.Pieces)})
		st.Pieces = append(st.Pieces, boundRun{b.books[i].print.ID, p.From, p.To})
		for n := p.From; n <= p.To; n++ {
			v.Seconds += p.Ix.Layers[n-1].Seconds
		}
		v.Hidden = append(v.Hidden, [2]string{"p", fmt.Sprintf("%d:%d-%d", b.books[i].print.ID, p.From, p.To)})
	}
	v.Seconds += made.Pieces[0].Ix.Layers[0].Begin
	v.Query = b.address("")
	for i, c := range b.joints {
		f := [][2]string{{"j", c.Kind}, {"n", blank(c.Nozzle)}, {"f", c.Filament}, {"r", c.Routine}, {"dz", blank(c.DZ)}}
		if i < b.at {
			v.Besides = append(v.Besides, f...)
		} else if i > b.at {
			v.After = append(v.After, f...)
		}
	}
	j := made.Joints[b.at]
	below, above := made.Pieces[j.Below], made.Pieces[j.Above]
	v.Joint = boundJoint{jointChoice: b.joints[b.at], K: b.at, Z: millimetres(j.Z), Below: below.Name, Above: above.Name, Last: below.To, First: above.From, Lines: j.Lines}
	for _, l := range j.Lines {
		v.Joint.Takes += l.Seconds
	}
	for _, h := range bind.Shared(below.Ix, above.Ix) {
		if h.A < below.From || h.B >= above.To {
			continue
		}
		st.Shared = append(st.Shared, sharedHeight{h.Z.Millimetres(), h.A, h.B})
		switch {
		case h.Z < j.Z:
			v.Joint.Down = h.Z.String()
		case h.Z > j.Z && v.Joint.Up == "":
			v.Joint.Up = h.Z.String()
		}
	}
	v.Joint.Shared = st.Shared
	for i, j := range made.Joints {
		v.Joints = append(v.Joints, boundTab{i, millimetres(j.Z), i == b.at})
	}
	for _, f := range v.Findings {
		v.Blocked = v.Blocked || f.Level == layer.Grave
	}
	js, err := json.Marshal(st)
	if err != nil {
		return nil, err
	}
	v.State = string(js)
	v.Routines = append(slices.Clone(b.kit.Keys[plan.Routines]), missing(plan.BuiltinNames(), b.kit.Keys[plan.Routines])...)
	for _, k := range b.kit.Keys[plan.Filaments] {
		v.Spools = append(v.Spools, [2]string{k, b.kit.Filaments[k].Name})
	}
	books, err := s.books(ctx)
	if err != nil {
		return nil, err
	}
	for _, k := range books {
		if kin(b.books[0], k) || k.print.ID == b.books[0].print.ID {
			v.Others = append(v.Others, bindChoice{k.print.ID, k.print.Title, trimmed(usualHeight(k.ix)) + " mm each"})
		}
	}
	if len(b.pieces) >= mostBound {
		v.Others = nil
	}
	return v, nil
}

func gravity(level string) int {
	return map[string]int{layer.Note: 0, layer.Care: 1, layer.Grave: 2}[level]
}

// missing returns what of all is not in have.
func missing(all, have []string) []string {
	var out []string
	for _, a := range all {
		if !slices.Contains(have, a) {
			out = append(out, a)
		}
	}
	return out
}

// boundName is the name of a bound file: what the names of its pieces begin with.
func boundName(b *binding) string {
	name := strings.TrimSuffix(b.books[0].print.Name, ".gcode")
	for _, k := range b.books[1:] {
		o := k.print.Name
		for !strings.HasPrefix(o, name) {
			name = name[:len(name)-1]
		}
	}
	if name = strings.TrimRight(name, "-_ ."); name == "" {
		name = "print"
	}
	return name + "-bound.gcode"
}

// bindFile sends a bound file.
func (s *Server) bindFile(c fiber.Ctx) error {
	b, made, err := s.bound(c)
	if err != nil {
		return err
	}
	size := made.Src.Size()
	for _, e := range made.Edits {
		size += int64(len(e.Text)) - e.Cut
	}
	return download(c, boundName(b), edit.NewReader(made.Src, made.Edits), size)
}

// bindShelf puts a bound file on the shelf, as a print of its own.
func (s *Server) bindShelf(c fiber.Ctx) error {
	b, made, err := s.bound(c)
	if err != nil {
		return err
	}
	up, err := s.cfg.Store.Begin(c.Context())
	if err != nil {
		return err
	}
	defer up.Abandon()
	if _, err := io.Copy(up, edit.NewReader(made.Src, made.Edits)); err != nil {
		return err
	}
	if err := up.Finish(boundName(b), titleOf(boundName(b))); err != nil {
		return err
	}
	p, err := s.cfg.Store.Print(c.Context(), up.ID)
	if err != nil {
		return err
	}
	s.jobs.start(p)
	c.Set("HX-Redirect", "/")
	return c.SendStatus(fiber.StatusOK)
}

// bound binds what an address says, when nothing grave speaks against it.
func (s *Server) bound(c fiber.Ctx) (*binding, *bind.Bound, error) {
	b, err := s.binding(c)
	if err != nil {
		return nil, nil, err
	}
	if len(b.pieces) < 2 {
		return nil, nil, sentence(fiber.StatusBadRequest, "it takes two pieces or more")
	}
	made, err := b.make(c.Context())
	if err != nil {
		return nil, nil, err
	}
	for _, f := range made.Findings {
		if f.Level == layer.Grave {
			return nil, nil, sentence(fiber.StatusConflict, f.Message)
		}
	}
	return b, made, nil
}

// bindOver sends what a layer of one print lays over nothing of a layer of
// another, as the overlay of a page.
func (s *Server) bindOver(c fiber.Ctx) error {
	one := func(key string) (bind.Piece, int, error) {
		id, n, _ := strings.Cut(c.Query(key), ":")
		k, err := strconv.ParseInt(id, 10, 64)
		m, err2 := strconv.Atoi(n)
		if err != nil || err2 != nil {
			return bind.Piece{}, 0, store.ErrNone
		}
		pr, err := s.cfg.Store.Print(c.Context(), k)
		if err != nil {
			return bind.Piece{}, 0, err
		}
		if pr.State != "ready" {
			return bind.Piece{}, 0, store.ErrNone
		}
		b, err := s.opened.get(c.Context(), pr)
		if err == nil && (m < 1 || m > len(b.ix.Layers)) {
			err = store.ErrNone
		}
		if err != nil {
			return bind.Piece{}, 0, err
		}
		return bind.Piece{Name: pr.Title, Src: b.src, Ix: b.ix}, m, nil
	}
	below, n, err := one("below")
	above, m, err2 := one("above")
	if err = errors.Join(err, err2); err != nil {
		return err
	}
	g, err := bind.InTheAir(&below, n, &above, m)
	if err != nil {
		return err
	}
	runs := g.Runs()
	out := binary.LittleEndian.AppendUint32(nil, uint32(len(runs)/3))
	out = binary.LittleEndian.AppendUint32(out, 0)
	for _, v := range runs {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
	}
	c.Set("Content-Type", "application/octet-stream")
	return c.Send(out)
}
