package printer

import (
	"fmt"
	"slices"
	"strings"

	"dogear/core/plan"
)

// Habits are how a simulated printer differs from one that does as it is told.
type Habits struct {
	Honours  []string // stop words at which it waits; it goes straight on at any other
	Late     []string // of those: the ones it honours only behind what it has read ahead
	Alone    []string // of those: the ones at which it parks, and comes back by itself
	Sleeps   float64  // s of waiting after which it lets go of its motors; 0 for never
	Releases bool     // it lets go of them at any M84, also at one with a time
	Silent   bool     // nobody hears its tones
	Blank    bool     // nobody sees its messages
}

// Kind is a printer of a kind that exists.
type Kind struct {
	Key, Name string
	Habits
}

// Kinds are the kinds of printers that ship: between them they have the habits that make
// a stop come late, or not at all.
func Kinds() []Kind {
	return []Kind{
		{"knob", "with a knob and a display", Habits{Honours: []string{"M0", "M1", "M25", "M600"},
			Late: []string{"M25"}, Alone: []string{"M600"}}},
		{"card", "that knows only the pause of its card", Habits{Honours: []string{"M25"},
			Late: []string{"M25"}, Silent: true, Blank: true}},
		{"macros", "whose words are macros", Habits{
			Honours: []string{"PAUSE", "M600", "M601", "M25"},
			Alone:   []string{"PAUSE", "M600", "M601", "M25"}, Releases: true, Silent: true}},
		{"host", "that a computer feeds", Habits{Honours: []string{"@PAUSE"},
			Late: []string{"@PAUSE"}, Blank: true}},
		{"one-word", "with one stop word of its own", Habits{Honours: []string{"M400 U1"},
			Silent: true}},
		{"deaf", "that stops at nothing", Habits{}},
		{"sleepy", "that falls asleep", Habits{Honours: []string{"M0", "M1", "M226"}, Sleeps: 90}},
	}
}

// KindOf returns a kind by its key.
func KindOf(key string) (Kind, bool) {
	all := Kinds()
	i := slices.IndexFunc(all, func(k Kind) bool { return k.Key == key })
	if i < 0 {
		return Kind{}, false
	}
	return all[i], true
}

// Adopt gives the printer habits.
func (p *Printer) Adopt(h Habits) { p.habits = &h }

// among reports whether the line that is carried out begins as one of the words.
func (p *Printer) among(words []string) bool {
	word := strings.ToUpper(p.c.Word())
	if word == "M400" {
		word += " U1" // without it is no stop
	}
	return slices.Contains(words, word)
}

// honours reports whether the printer waits at the stop word that is carried out.
func (p *Printer) honours() bool {
	if p.habits == nil {
		return !p.pr.IgnoresStop(p.c.Word())
	}
	return p.among(p.habits.Honours)
}

// isLate reports whether it waits only behind what it has read ahead.
func (p *Printer) isLate() bool {
	if p.habits == nil {
		return p.c.Is('M', 25)
	}
	return p.among(p.habits.Late)
}

// isAlone reports whether it parks and comes back by itself.
func (p *Printer) isAlone() bool {
	if p.habits == nil {
		return plan.DoesItAll(p.c.Word())
	}
	return p.among(p.habits.Alone)
}

// Rest lets a printer that waits stand for so many seconds.
func (p *Printer) Rest(s float64) {
	if p.State != Waiting {
		return
	}
	p.rested += s // since it began to wait
	p.pass(s)
	if h := p.habits; h != nil && h.Sleeps > 0 && p.rested >= max(h.Sleeps, p.awake) && !p.lost {
		p.lost = true
		p.say("motors", fmt.Sprintf("lets go of its motors after %.0f s", p.rested))
	}
}

// stayAwake follows M84 with a time.
func (p *Printer) stayAwake() {
	if p.habits != nil && p.habits.Releases {
		p.lost = true
		p.say("motors", "the motors are let go: it does not know M84 with a time")
		return
	}
	p.awake = float64(p.c.Value('S')) / 1e6
}
