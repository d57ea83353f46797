package routine

import (
	"slices"
	"strings"

	"dogear/core/plan"
)

// Several ears at one fold are one stop: one way there, everything in order, one way back.
// Each keeps a block of its own, so that proof and way back know it by its id.
//
//	a1 puts in   tones, up, aside, cool, "put in the nut; load Gull white"
//	a2 colour    stop, heat, purge, back, put right
//
// What is put in comes first; the colour comes last, and what is purged behind it.

// Rank is the order in which ears at one fold are carried out, by their kind.
func Rank(kind string) int { return rank[kind] }

var rank = map[string]int{plan.Insert: 0, plan.Own: 1, plan.Nozzle: 2, plan.Colour: 3}

// way are the steps that lead to the place where the head waits.
var way = []string{"tone", "retract", "lift", "park"}

// quick are steps that a person waits for no longer than it takes to read them.
var quick = []string{"say", "fan", "cool", "heat"}

// together returns the steps of the ears at one fold, so that they are one stop. merged
// tells of which ears the wait stands with the ear behind them.
func together(p *plan.Plan, ears []*plan.Ear) (out []plan.Routine, merged []bool, err error) {
	n := len(ears)
	out, merged = make([]plan.Routine, n), make([]bool, n)
	for i, e := range ears {
		r, err := p.RoutineOf(e)
		if err != nil {
			return nil, nil, &plan.Error{Ear: e.ID, Err: err}
		}
		out[i] = slices.Clone(r)
	}
	if n == 1 {
		return out, merged, nil
	}
	for i := range out {
		out[i] = out[i][:len(out[i])-2] // return and restore stand behind the last one only
	}
	there := oneWay(out)
	pushes := onePurge(out)
	cooled := false // since the last wait
	for i := range n - 1 {
		cooled = cooled || slices.ContainsFunc(out[i], func(s plan.Step) bool { return s.Do == "cool" })
		// Nobody draws filament out of a nozzle that has been let cool.
		hands := ears[i+1].Kind == plan.Colour || ears[i+1].Kind == plan.Nozzle
		merged[i] = !(cooled && hands) && oneWait(p, ears, out, i)
		cooled = cooled && merged[i]
	}
	out[0] = slices.Concat(there, out[0])
	last := &out[n-1]
	if pushes != nil {
		*last = append(*last, *pushes)
	}
	if flow := oneBond(ears, out); flow > 0 {
		*last = append(*last, plan.Step{Do: "bond", Flow: flow})
	}
	*last = append(*last, plan.Step{Do: "return"}, plan.Step{Do: "restore"})
	return out, merged, nil
}

// lead is how many steps of a routine come before anything happens at the place where the
// head waits.
func lead(r plan.Routine) int {
	k := slices.IndexFunc(r, func(s plan.Step) bool {
		return !slices.Contains(way, s.Do) && (!slices.Contains(quick, s.Do) || s.Wait)
	})
	if k < 0 {
		return len(r)
	}
	return k
}

// oneWay takes the ways there out of all routines and returns one that serves them all: as
// far back, as high and as loud as the most of them wants, to the park place of the last.
func oneWay(all []plan.Routine) plan.Routine {
	best := map[string]plan.Step{}
	more := func(a, b plan.Step) bool {
		switch a.Do {
		case "tone":
			return max(a.Times, 1) > max(b.Times, 1)
		case "park":
			return !a.Keep
		}
		return a.MM > b.MM
	}
	for i, r := range all {
		var rest plan.Routine
		n := lead(r)
		aside := i > 0 && slices.ContainsFunc(all[i-1], func(s plan.Step) bool { return s.Do == "park" })
		for k, s := range r {
			if k >= n || !slices.Contains(way, s.Do) || aside && s.Do == "park" {
				rest = append(rest, s)
				continue
			}
			if old, ok := best[s.Do]; !ok || more(s, old) {
				best[s.Do] = s
			}
		}
		all[i] = rest
	}
	var out plan.Routine
	for _, do := range way {
		if s, ok := best[do]; ok {
			out = append(out, s)
		}
	}
	return out
}

// onePurge takes all purges out but the last one, which is put behind everything; nil when
// that stands at the end already, or there is none.
func onePurge(all []plan.Routine) *plan.Step {
	var last *plan.Step
	at := -1
	for i := range all {
		for k := range all[i] {
			if all[i][k].Do == "purge" {
				s := all[i][k]
				last, at = &s, i
			}
		}
	}
	for i := range all {
		if i == at && i == len(all)-1 {
			continue // the last ear does it where its routine says so
		}
		all[i] = slices.DeleteFunc(all[i], func(s plan.Step) bool { return s.Do == "purge" })
	}
	if at == len(all)-1 {
		return nil
	}
	return last
}

// oneWait lets a person do what ears i and i+1 want in one go, where both wait with the same
// word and nothing happens between them. What the first wanted behind its stop is done
// behind the common one.
func oneWait(p *plan.Plan, ears []*plan.Ear, all []plan.Routine, i int) bool {
	word := p.StopOf(ears[i])
	a, b := all[i], all[i+1]
	stops := func(r plan.Routine) (at int, one bool) {
		at = slices.IndexFunc(r, func(s plan.Step) bool { return s.Do == "stop" })
		one = at >= 0 && !slices.ContainsFunc(r[at+1:],
			func(s plan.Step) bool { return s.Do == "stop" || s.Do == "wait" || s.Do == "lines" })
		return at, one
	}
	ka, oka := stops(a)
	kb, okb := stops(b)
	if !oka || !okb || kb > lead(b) || word != p.StopOf(ears[i+1]) || plan.DoesItAll(word) ||
		plan.StopsFor(word) > 0 {
		return false
	}
	all[i] = a[:ka:ka]
	all[i+1] = slices.Concat(b[:kb+1], a[ka+1:], b[kb+1:])
	return true
}

// oneBond takes the bond passes out, and returns the flow of the one that is laid at the
// end; 0 for none.
func oneBond(ears []*plan.Ear, all []plan.Routine) float64 {
	flow := 0.0
	for i := range all {
		all[i] = slices.DeleteFunc(all[i], func(s plan.Step) bool {
			if s.Do == "bond" {
				flow = max(flow, or(s.Flow, usualBond))
			}
			return s.Do == "bond"
		})
	}
	for _, e := range ears { // what an ear says itself goes before its routine
		if e.BondPass != nil {
			flow = e.BondPass.Flow
		}
	}
	return flow
}

// joined puts the messages of things that are done in one go into one.
func joined(before []string, text string) string {
	var out []string
	for _, t := range before {
		out = append(out, strings.TrimSuffix(t, resumes))
	}
	if text != "" {
		out = append(out, text)
	}
	return strings.Join(out, "; ")
}
