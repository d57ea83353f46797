package routine

import (
	"encoding/json"

	"dogear/core/mark"
)

// keep writes the ear as comments.
func (c *compiler) keep() {
	k := mark.Ear{Ear: *c.ear}
	if f, ok := c.plan.Filaments[k.Ear.Filament]; ok {
		k.Filament = &f
	}
	if c.fold.Opens {
		k.From = c.plan.First
		if f, ok := c.plan.Filaments[k.From]; ok {
			k.Was = &f
		}
	}
	var name string
	if json.Unmarshal(k.Ear.Routine, &name) == nil {
		if r, ok := c.plan.Routines[name]; ok {
			k.Ear.Routine, _ = json.Marshal(r)
		}
	}
	for _, l := range mark.Remember(k) {
		c.note(l, "")
	}
}
