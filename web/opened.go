package web

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/foreign"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/raster"
	"dogear/store"
)

// book is a print that is open: its bytes, its index and its outline. They
// never change, so they may be shared.
type book struct {
	print   store.Print
	src     *store.Source
	ix      *layer.Index
	outline *raster.Outline
	marks   *landmark.Report

	cameWith struct { // the stops that the file came with, once somebody has asked
		sync.Mutex
		read  bool
		stops []foreign.Stop
	}
}

// opened keeps the books used last.
type opened struct {
	st    *store.Store
	books *shared[int64, *book]
}

// mostOpened bounds what the books in memory weigh, bytes. Those of ordinary prints weigh
// a few megabytes at most.
const mostOpened = 192 << 20

func newOpened(st *store.Store) *opened {
	return &opened{st, newShared[int64](mostOpened, (*book).weight)}
}

// weight is about what a book takes in memory, bytes, with the pieces of its file that are
// at hand.
func (b *book) weight() int64 {
	w := int64(1<<20) + int64(len(b.ix.Layers))*200 + int64(len(b.ix.States))*200
	if b.outline != nil {
		for _, f := range b.outline.Front {
			w += int64(len(f)) * 8
		}
	}
	return w
}

// foreign returns the stops that the file came with.
func (b *book) foreign() ([]foreign.Stop, error) {
	b.cameWith.Lock()
	defer b.cameWith.Unlock()
	if !b.cameWith.read {
		stops, err := foreign.Read(b.src, b.ix, b.marks)
		if err != nil {
			return nil, err
		}
		b.cameWith.stops, b.cameWith.read = stops, true
	}
	return b.cameWith.stops, nil
}

func (o *opened) get(ctx context.Context, p store.Print) (*book, error) {
	return o.books.get(ctx, p.ID, func(ctx context.Context) (*book, error) {
		r, err := o.st.Reading(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		return &book{print: p, src: o.st.Source(p), ix: r.Index, outline: r.Outline,
			marks: r.Landmarks}, nil
	})
}

func (o *opened) drop(id int64) { o.books.drop(id) }

// open returns the print of a request with its book.
func (s *Server) open(c fiber.Ctx) (*book, error) {
	p, err := s.print(c)
	if err != nil {
		return nil, err
	}
	if p.State != "ready" {
		return nil, fiber.NewError(fiber.StatusConflict, "This print is still being read. Wait a "+
			"moment, then open it again.")
	}
	b, err := s.opened.get(c.Context(), p)
	if err != nil && s.again(c.Context(), p, err) {
		return nil, fiber.NewError(fiber.StatusConflict, "This print is being read again. Wait a "+
			"moment, then open it.")
	}
	return b, err
}

// again lets a print be read again when what was kept of its reading cannot be used.
func (s *Server) again(ctx context.Context, p store.Print, err error) bool {
	if !errors.Is(err, store.ErrStale) || s.cfg.Store.Again(ctx, p.ID) != nil {
		return false
	}
	s.jobs.start(p)
	return true
}

// openMarked returns the print of a request with its book and its marks.
func (s *Server) openMarked(c fiber.Ctx) (*book, *marked, error) {
	b, err := s.open(c)
	if err != nil {
		return nil, nil, err
	}
	m, err := s.marks(c.Context(), b.print.ID)
	if err == nil && !b.ix.ReadsAlike(m.plan.Dialect()) {
		s.jobs.again(b, m.plan.Dialect())
	}
	return b, m, err
}

// reading tells one reading of a print from another: by the printer's dialect.
func (b *book) reading() string {
	j, err := json.Marshal(b.ix.Dialect)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("%x", sha256.Sum256(j))[:8]
}

// marked is what is marked in a print, ready to be laid onto its file.
type marked struct {
	plan       *plan.Plan
	kit        *store.Kit
	spools     []string // keys of the filaments to choose from, the Kit's first
	undo, redo bool
	version    string            // of what is marked
	signs      map[string]string // of each ear, by id
}

// marks returns what is marked in a print with what it uses of the Kit put in.
// What a plan brought along itself goes before the Kit.
func (s *Server) marks(ctx context.Context, id int64) (*marked, error) {
	p, undo, redo, err := s.cfg.Store.Plan(ctx, id)
	if err != nil {
		return nil, err
	}
	kit, err := s.cfg.Store.Kit(ctx)
	if err != nil {
		return nil, err
	}
	m := &marked{plan: p, kit: kit, spools: slices.Clone(kit.Keys[plan.Filaments]), undo: undo,
		redo: redo, version: versionOf(p), signs: map[string]string{}}
	for i := range p.Ears {
		m.signs[p.Ears[i].ID] = sign(&p.Ears[i])
	}
	own := p.Filaments
	p.Filaments = maps.Clone(kit.Filaments)
	for _, key := range slices.Sorted(maps.Keys(own)) {
		if _, ok := p.Filaments[key]; !ok {
			m.spools = append(m.spools, key)
		}
		p.Filaments[key] = own[key]
	}
	mine := p.Routines
	p.Routines = maps.Clone(kit.Routines)
	maps.Copy(p.Routines, mine)
	m.printer()
	if _, ok := p.Filaments[p.First]; !ok && len(m.spools) > 0 {
		p.First = m.spools[0]
	}
	for i := range p.Ears { // a spool or a routine may have left the Kit since
		e := &p.Ears[i]
		if _, ok := p.Filaments[e.Filament]; !ok {
			e.Filament = ""
		}
		if _, err := p.RoutineOf(e); err != nil {
			e.Routine = nil
		}
	}
	if err := p.Check(); err != nil {
		return nil, err
	}
	return m, nil
}

// printer puts in the printer that a print uses: the one it remembers, else
// the one its plan brought along, else the first of the Kit.
func (m *marked) printer() {
	p := m.plan
	pr, ok := m.kit.Printers[p.Uses.Printer]
	if !ok {
		p.Uses.Printer = ""
		if p.Printer != nil {
			return
		}
		keys := m.kit.Keys[plan.Printers]
		if len(keys) == 0 {
			p.Printer = plan.Generic()
			return
		}
		p.Uses.Printer, pr = keys[0], m.kit.Printers[keys[0]]
	}
	p.Printer = &pr
}

// band is what is laid in one filament: from layer From on, or, with a line,
// from that line inside of it.
type band struct {
	From     int    `json:"from"`
	Line     int64  `json:"line"`
	Filament string `json:"filament"`
	Colour   string `json:"colour"`
	Name     string `json:"name"`
}

func (m *marked) bands(ix *layer.Index) []band {
	name := func(from int, line int64, key string) band {
		f := m.plan.Filaments[key]
		return band{from, line, key, f.Colour, f.Name}
	}
	out := []band{name(1, 0, m.plan.First)}
	for _, e := range sortedEars(m.plan, ix) {
		if e.Kind != plan.Colour || e.Filament == "" {
			continue
		}
		n, line := apply.Place(ix, &e)
		if n == 1 && line == 0 {
			out = out[:0]
		}
		out = append(out, name(n, line, e.Filament))
	}
	return out
}
