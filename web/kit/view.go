package kit

import (
	"fmt"
	"net/url"
	"strings"

	"dogear/core/plan"
	"dogear/store"
	"dogear/web/draw"
	"dogear/web/say"
)

// kitView is the Kit as drawers.
type kitView struct {
	Printers   []printerView
	Filaments  []filamentView
	Inserts    []insertView
	Routines   []routineView
	Undo, Redo bool
}

type printerView struct {
	Key, Name, Size, Stops, Remarks string
	Plan                            draw.BedPlan
}

type filamentView struct{ Key, Name, Colour, Material, Heats, Feed string }

type insertView struct {
	Key, Sizes string
	Shape      draw.ShapeView
}

type routineView struct {
	Key, Sentence string
	Shipped       bool
}

// stops says how a printer is told to stop.
func stops(p *plan.Printer) string {
	var words []string
	same := p.StopWord(plan.Colour)
	for _, k := range plan.Kinds[:3] {
		if w := p.StopWord(k); w != same {
			same = ""
		}
		words = append(words, strings.ToLower(say.KindWords[k])+" "+p.StopWord(k))
	}
	if same != "" {
		return "stops with " + same
	}
	return "stops with: " + strings.Join(words, ", ")
}

func remarks(p *plan.Printer) string {
	var out []string
	if p.Silent {
		out = append(out, "makes no tones")
	}
	if p.Blank {
		out = append(out, "shows no messages")
	}
	if len(p.SettleBefore)+len(p.SettleAfter) > 0 {
		out = append(out, "settles round a stop")
	}
	if day := dayIn(p.Asked); day != "" {
		out = append(out, "asked on "+day)
	}
	if p.Holds > 0 {
		out = append(out, fmt.Sprintf("keeps its place for %g min of waiting", p.Holds))
	}
	if p.Pace > 0 {
		out = append(out, fmt.Sprintf("takes %.2f times what files estimate", p.Pace))
	}
	if p.Resume != "" {
		out = append(out, p.Resume)
	}
	return strings.Join(out, " · ")
}

func heats(f *plan.Filament) string {
	pair := func(v [2]float64) string {
		switch {
		case v[0] == 0 && v[1] == 0:
			return ""
		case v[0] == 0 || v[1] == 0 || v[0] == v[1]:
			return fmt.Sprintf("%g °C", max(v[0], v[1]))
		}
		return fmt.Sprintf("%g, then %g °C", v[0], v[1])
	}
	n, b := pair(f.Nozzle), pair(f.Bed)
	switch {
	case n == "" && b == "":
		return "as hot as the file has it"
	case n == "":
		return "bed " + b
	case b == "":
		return "nozzle " + n
	}
	return "nozzle " + n + " · bed " + b
}

func feeds(f *plan.Filament) string {
	out := []string{fmt.Sprintf("purge %g mm", f.Purge)}
	if f.Load > 0 {
		out = append(out, fmt.Sprintf("load %g mm", f.Load))
	}
	if f.Unload > 0 {
		out = append(out, fmt.Sprintf("unload %g mm", f.Unload))
	}
	return strings.Join(out, " · ")
}

func sizes(i *plan.InsertPart) string {
	var out []string
	switch {
	case i.Shape == "ball":
		out = append(out, fmt.Sprintf("⌀ %g mm", i.Across))
	case i.Shape == "block" && i.Length > 0:
		out = append(out, fmt.Sprintf("%g × %g × %g mm", i.Length, i.Across, i.Height))
	case i.Shape == "hex" || i.Shape == "square":
		out = append(out, fmt.Sprintf("%g mm across flats, %g high", i.Across, i.Height))
	default:
		out = append(out, fmt.Sprintf("⌀ %g mm, %g high", i.Across, i.Height))
	}
	if i.Magnet {
		out = append(out, "magnet")
	} else if i.Steel {
		out = append(out, "steel")
	}
	if i.Grams > 0 {
		out = append(out, fmt.Sprintf("%g g", i.Grams))
	}
	return strings.Join(out, " · ")
}

// routineList is what can be run at an ear: one's own routines, then those that
// ship and are not covered by one of the same name.
func routineList(kit *store.Kit) []routineView {
	p := plan.Plan{Format: plan.Format, Printer: plan.Generic()}
	var out []routineView
	add := func(key string, r plan.Routine, shipped bool) {
		var words []string
		e := plan.Ear{Kind: plan.Own}
		if len(r) == 3 && r[0].Do == "stop" { // all it can be is a printer that does the rest
			e.Stop = "M600"
		}
		for _, s := range r[:max(len(r)-2, 0)] {
			words = append(words, s.Words(&p, &e))
		}
		out = append(out, routineView{key, strings.Join(words, ". ") + ".", shipped})
	}
	for _, key := range kit.Keys[plan.Routines] {
		add(key, kit.Routines[key], false)
	}
	for _, key := range plan.BuiltinNames() {
		if _, ok := kit.Routines[key]; !ok {
			add(key, plan.Builtin()[key], true)
		}
	}
	return out
}

// editURL is where an item is changed.
func editURL(drawer, key string) string {
	return "/kit/" + drawer + "/edit?key=" + url.QueryEscape(key)
}
