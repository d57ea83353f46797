package book

import (
	"crypto/sha256"
	"encoding/json"
	"maps"
	"strings"

	"dogear/core/plan"
)

// OnlyUsed takes out of a plan what it holds of the Kit and does not use.
func OnlyUsed(p *plan.Plan) {
	used := map[string]bool{p.First: true}
	named := map[string]bool{}
	for _, e := range p.Ears {
		used[e.Filament] = true
		var name string
		if json.Unmarshal(e.Routine, &name) == nil {
			named[name] = true
		} else if len(e.Routine) == 0 {
			named[p.Printer.Routine[e.Kind]] = true
		}
	}
	maps.DeleteFunc(p.Filaments, func(key string, _ plan.Filament) bool { return !used[key] })
	maps.DeleteFunc(p.Routines, func(key string, _ plan.Routine) bool { return !named[key] })
	p.Uses = plan.Uses{}
}

// tagLetters are those of a tag: none that is read as another one.
const tagLetters = "23456789abcdefghjkmnpqrstuvwxyz"

// Name of all that is marked, with what it uses of the Kit: the same marks have the same
// one, and a file is told by its first three letters.
func (m *Marked) Name() string {
	p := *m.Plan
	p.Filaments, p.Routines = maps.Clone(p.Filaments), maps.Clone(p.Routines)
	OnlyUsed(&p)
	j, err := json.Marshal(&p)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(j)
	var b strings.Builder
	for _, v := range sum[:16] {
		b.WriteByte(tagLetters[int(v)%len(tagLetters)])
	}
	return b.String()
}
