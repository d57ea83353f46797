package routine

import (
	"encoding/json"

	"dogear/core/mark"
	"dogear/core/plan"
)

// remembered is what the block of the ear remembers of it.
func (c *compiler) remembered() []byte {
	k := plan.Remembered{Ear: *c.ear}
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
	return mark.JSON(k)
}

// remember writes it as comments.
func (c *Script) remember(text []byte) {
	for _, l := range mark.Remember(text) {
		c.note(l, "")
	}
}

// Remember writes what the block of a change remembers of it.
func (c *Script) Remember(text []byte) { c.remember(text) }
