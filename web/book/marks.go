package book

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"dogear/core/apply"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/store"
)

// WithKit is a plan with what it uses of the Kit put in.
func WithKit(p *plan.Plan, kit *store.Kit) *plan.Plan {
	full := *p
	m := &Marked{Plan: &full, Kit: kit}
	full.Filaments = Merged(kit.Filaments, p.Filaments)
	full.Routines = Merged(kit.Routines, p.Routines)
	full.Ears = slices.Clone(p.Ears)
	for i := range full.Ears {
		if _, ok := full.Filaments[full.Ears[i].Filament]; !ok {
			full.Ears[i].Filament = ""
		}
	}
	m.Printer()
	return &full
}

// Merged is what the Kit holds, with what a plan brought along in front of it.
func Merged[T any](kit, own map[string]T) map[string]T {
	out := maps.Clone(kit)
	maps.Copy(out, own)
	return out
}

// VersionOf tells one state of what is marked from another.
func VersionOf(p *plan.Plan) string {
	j, err := json.Marshal(p)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("%x", sha256.Sum256(j))[:16]
}

// Sign tells one state of an ear from another.
func Sign(e *plan.Ear) string {
	j, err := json.Marshal(e)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("%x", sha256.Sum256(j))[:12]
}

// Marked is what is marked in a print, ready to be laid onto its file.
type Marked struct {
	Plan       *plan.Plan
	Kit        *store.Kit
	Spools     []string // keys of the filaments to choose from, the Kit's first
	Undo, Redo bool
	Version    string            // of what is marked
	Signs      map[string]string // of each ear, by id
}

// Printer puts in the printer that a print uses: the one it remembers, else
// the one its plan brought along, else the first of the Kit.
func (m *Marked) Printer() {
	p := m.Plan
	pr, ok := m.Kit.Printers[p.Uses.Printer]
	if !ok {
		p.Uses.Printer = ""
		if p.Printer != nil {
			return
		}
		keys := m.Kit.Keys[plan.Printers]
		if len(keys) == 0 {
			p.Printer = plan.Generic()
			return
		}
		p.Uses.Printer, pr = keys[0], m.Kit.Printers[keys[0]]
	}
	p.Printer = &pr
}

// Band is what is laid in one filament, with how that looks.
type Band struct {
	apply.Band
	Colour string `json:"colour"`
	Name   string `json:"name"`
}

// Bands are what is laid in one filament after another.
func (m *Marked) Bands(ix *layer.Index) []Band {
	var out []Band
	for _, b := range apply.Bands(m.Plan, ix) {
		f := m.Plan.Filaments[b.Filament]
		out = append(out, Band{b, f.Colour, f.Name})
	}
	return out
}

// EarWords says in a word or two what an ear is for.
func EarWords(p *plan.Plan, e *plan.Ear) string {
	switch {
	case e.Kind == plan.Colour && e.Filament != "":
		return p.FilamentName(e.Filament)
	case e.Kind == plan.Insert && e.Insert != nil && e.Insert.Name != "":
		return e.Insert.Name
	case e.Kind == plan.Insert:
		return "something goes in"
	case e.Kind == plan.Nozzle:
		return "nozzle swap"
	}
	return e.Kind
}

// Marks returns what is marked in a print with what it uses of the Kit put in.
// What a plan brought along itself goes before the Kit.
func Marks(ctx context.Context, st *store.Store, id int64) (*Marked, error) {
	p, undo, redo, err := st.Plan(ctx, id)
	if err != nil {
		return nil, err
	}
	kit, err := st.Kit(ctx)
	if err != nil {
		return nil, err
	}
	m := &Marked{Plan: p, Kit: kit, Spools: slices.Clone(kit.Keys[plan.Filaments]), Undo: undo,
		Redo: redo, Version: VersionOf(p), Signs: map[string]string{}}
	for i := range p.Ears {
		m.Signs[p.Ears[i].ID] = Sign(&p.Ears[i])
	}
	own := p.Filaments
	p.Filaments = maps.Clone(kit.Filaments)
	for _, key := range slices.Sorted(maps.Keys(own)) {
		if _, ok := p.Filaments[key]; !ok {
			m.Spools = append(m.Spools, key)
		}
		p.Filaments[key] = own[key]
	}
	mine := p.Routines
	p.Routines = maps.Clone(kit.Routines)
	maps.Copy(p.Routines, mine)
	m.Printer()
	if _, ok := p.Filaments[p.First]; !ok && len(m.Spools) > 0 {
		p.First = m.Spools[0]
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
