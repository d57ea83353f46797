package handshake

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"dogear/core/plan"
)

// What a printer did at a word.
const (
	WentOn  = "went on" // wagged and went on to the next
	Waited  = "waited"  // stood still before it wagged
	Late    = "late"    // wagged, and then stood still for more than the pause
	Parked  = "parked"  // went aside, and came back
	NotSeen = ""        // nobody has said
)

// How a printer that waited was made to go on.
const (
	ByKnob    = "knob"
	OnDisplay = "display"
	OnPage    = "page" // of the printer's own, or of a host
	Itself    = "itself"
	Never     = "never"
)

// Answer is what somebody saw at one word.
type Answer struct {
	Word string `json:"word"`
	Did  string `json:"did"`
	On   string `json:"on,omitempty"` // how it was made to go on
}

// Answers are what somebody saw of a handshake. What is nil nobody has said.
type Answers struct {
	Tones, Messages *bool
	Held            *bool // the motors, after two minutes of waiting
	Back            *bool // it found back to the coin
	Each            []Answer
}

// ErrNothingSeen is the cause when no word was answered.
var ErrNothingSeen = errors.New("say what it did at one of the words at least")

// resume says how a printer is made to go on, for its entry.
var resume = map[string]string{ByKnob: "press the knob", OnDisplay: "on its display",
	OnPage: "on its page"}

// Learn returns what the answers make of a printer, and says it in sentences. What they do not
// touch stays as it was. day is written into the entry.
func Learn(p plan.Printer, a *Answers, day string) (plan.Printer, []string, error) {
	var said []string
	var waits, late, alone string
	p.Ignores = slices.Clone(p.Ignores)
	answered := false
	how := ""
	for _, t := range a.Each {
		if t.Did == NotSeen {
			continue
		}
		answered = true
		p.Ignores = slices.DeleteFunc(p.Ignores, func(w string) bool { return w == t.Word })
		on := t.Did
		if on != WentOn && t.On == Never {
			said = append(said, fmt.Sprintf("At %s it stops and nothing makes it continue: not used.",
				t.Word))
			p.Ignores = append(p.Ignores, t.Word)
			continue
		}
		if on != WentOn && t.On == Itself {
			on = WentOn // whatever it did, nobody was asked
		}
		switch on {
		case WentOn:
			p.Ignores = append(p.Ignores, t.Word)
		case Waited:
			waits = cmp.Or(waits, t.Word)
		case Late:
			late = cmp.Or(late, t.Word)
		case Parked:
			switch {
			case !plan.DoesItAll(t.Word): // it may park once more where we have parked it
				waits = cmp.Or(waits, t.Word)
			case alone == "" || plan.DrawsOut(t.Word): // the one that also asks for filament
				alone = t.Word
			}
		default:
			return p, nil, fmt.Errorf("%q is nothing that a printer does at a word", t.Did)
		}
		if on != WentOn && (how == "" || t.Word == waits) && resume[t.On] != "" {
			how = resume[t.On]
		}
	}
	if !answered {
		return p, nil, ErrNothingSeen
	}
	said = append(said, stopsBy(&p, waits, late, alone)...)
	if how != "" {
		p.Resume = how
		said = append(said, "To make it go on: "+how+".")
	}
	said = append(said, habits(&p, a)...)
	p.Asked = day
	if err := p.Check(); err != nil {
		return p, nil, err
	}
	return p, said, nil
}

// Routines that ship, for a printer that waits for a time, and one that does it all.
const (
	timed    = "timed window"
	byItself = "printer does it all"
)

// stopsBy writes down at which words the printer waits, late, and does it all alone.
func stopsBy(p *plan.Printer, waits, late, alone string) (said []string) {
	// Routines that go with another way of stopping are given up; others are somebody's choice.
	p.Stop, p.Routine = map[string]string{}, maps.Clone(p.Routine)
	if p.Routine == nil {
		p.Routine = map[string]string{}
	}
	for kind, name := range p.Routine {
		if name == timed || name == byItself {
			delete(p.Routine, kind)
		}
	}
	all := func(word string) {
		for _, k := range plan.Kinds {
			p.Stop[k] = word
		}
	}
	switch {
	case waits != "":
		all(waits)
		said = append(said, fmt.Sprintf("It waits at %s.", waits))
	case late != "":
		all(late)
		// What is read ahead has run before the word counts, and nothing behind the word
		// runs before it does.
		p.SettleBefore, p.SettleAfter = with(p.SettleBefore, "M400"), with(p.SettleAfter, "G4 P1")
		said = append(said, fmt.Sprintf("It waits at %s, but late: M400 in front of it and G4 P1 "+
			"behind it make it wait at once.", late))
	case alone != "":
		all(alone)
		said = append(said, fmt.Sprintf("It waits only at %s, and parks and comes back by itself.",
			alone))
	default:
		all("G4 S120")
		p.Routine[plan.Colour] = timed
		said = append(said, "It waits at none of them, so it gets a time: two minutes at each stop, "+
			"with a tone before they end.")
	}
	if alone != "" {
		p.Stop[plan.Colour] = alone
		p.Routine[plan.Colour] = byItself
		if waits != "" || late != "" {
			said = append(said, fmt.Sprintf("For a colour, %s: it parks, changes and comes back by itself.",
				alone))
		}
	}
	for _, w := range p.Stop {
		if !p.KnowsStop(w) && !slices.Contains(p.Knows, w) {
			p.Knows = append(slices.Clone(p.Knows), w)
		}
	}
	if len(p.Ignores) > 0 {
		said = append(said, "It goes straight on at "+strings.Join(p.Ignores, ", ")+".")
	}
	return said
}

func with(list []string, line string) []string {
	if slices.Contains(list, line) {
		return list
	}
	return append(slices.Clone(list), line)
}

// habits writes down what else was seen.
func habits(p *plan.Printer, a *Answers) (said []string) {
	if a.Tones != nil {
		if p.Silent = !*a.Tones; p.Silent {
			said = append(said, "Nobody hears its tones.")
		}
	}
	if a.Messages != nil {
		if p.Blank = !*a.Messages; p.Blank {
			said = append(said, "It shows no messages.")
		}
	}
	if a.Held != nil {
		switch {
		case *a.Held && p.Holds < heldFor:
			p.Holds = 0 // longer than was known; how long nobody has seen
		case !*a.Held:
			p.Holds = heldFor
			said = append(said, "It lets go of its motors within two minutes of waiting: be quick, or "+
				"write down the line that keeps it awake, and ask it again.")
		}
	}
	if a.Back != nil && !*a.Back {
		said = append(said, "It did not find back to the coin: something moved it or let it go while it "+
			"waited. Look into that before a print depends on it.")
	}
	return said
}

// heldFor is how long somebody waits before trying whether the motors hold, minutes.
const heldFor = 2
