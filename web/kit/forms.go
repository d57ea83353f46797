package kit

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/store"
	"dogear/web/draw"
	"dogear/web/fields"
	"dogear/web/say"
)

// printerForm is a printer as its form shows it.
type printerForm struct {
	plan.Printer
	Kinds         []kindForm
	Axis          []fields.Choice
	PlacesText    string
	Before, After string
	KnowsText     string
	ShiftText     string
	AwakeText     string
	IgnoresText   string
	AskedOn       string // in words
	Plan          draw.BedPlan
}

// kindForm is how a printer stops for one kind of ear.
type kindForm struct {
	Key, Name, Word, Usual string
	Routines               []fields.Choice
}

func printerFormOf(kit *store.Kit, p plan.Printer) printerForm {
	v := printerForm{Printer: p, Before: strings.Join(p.SettleBefore, "\n"),
		After: strings.Join(p.SettleAfter, "\n"), KnowsText: strings.Join(p.Knows, "\n"),
		ShiftText: strings.Join(p.Shift, "\n"), AwakeText: strings.Join(p.StayAwake, "\n"),
		IgnoresText: strings.Join(p.Ignores, "\n"), AskedOn: dayIn(p.Asked),
		Plan: draw.NewBedPlan(&p, 300)}
	for _, name := range slices.Sorted(maps.Keys(p.Places)) {
		v.PlacesText += fmt.Sprintf("%s %g %g\n", name, p.Places[name][0], p.Places[name][1])
	}
	moves := p.G90MovesE
	v.Axis = []fields.Choice{fields.Choose("", "nobody has said", moves == nil),
		fields.Choose("steps", "in steps too", moves != nil && *moves),
		fields.Choose("start", "from the start, as before", moves != nil && !*moves)}
	for _, k := range plan.Kinds {
		f := kindForm{Key: strings.ReplaceAll(k, " ", "-"), Name: say.KindWords[k], Word: p.Stop[k],
			Usual: plan.Usual[k]}
		f.Routines = append(f.Routines, fields.Choose("", "as usual: "+plan.Usual[k], p.Routine[k] == ""))
		for _, r := range routineList(kit) {
			f.Routines = append(f.Routines, fields.Choose(r.Key, r.Key, p.Routine[k] == r.Key))
		}
		v.Kinds = append(v.Kinds, f)
	}
	return v
}

// readPrinter reads a printer's form; what it does not show stays as it was.
func readPrinter(form fields.Form, was plan.Printer) (plan.Printer, error) {
	p := was
	var err error
	bad := func(text string) (plan.Printer, error) {
		return p, say.Sentence(fiber.StatusUnprocessableEntity, text)
	}
	if p.Name = fields.Clip(form.Value("name")); p.Name == "" {
		return bad("give the printer a name")
	}
	for i, f := range []string{"x0", "y0", "x1", "y1"} {
		p.Bed[i], err = form.Needed(f, "where the bed begins and ends, in mm", -2000, 2000)
		if err != nil {
			return p, err
		}
	}
	if p.Top, err = form.Needed("top", "how high it can print, in mm", 1, 5000); err != nil {
		return p, err
	}
	for i, f := range []string{"park_x", "park_y"} {
		if p.Park[i], err = form.Needed(f, "where the head waits, X and Y", -2000,
			2000); err != nil {
			return p, err
		}
	}
	for _, n := range []struct {
		name string
		to   *float64
	}{{"head_reach", &p.Head[0]}, {"head_free", &p.Head[1]}, {"gantry", &p.Gantry}} {
		if *n.to, err = form.Number(n.name, 0, 1000); err != nil {
			return p, err
		}
	}
	if p.Hottest, err = form.Number("hottest", 0, 600); err != nil {
		return p, err
	}
	p.Assumed = false // somebody has looked at it
	if p.Places, err = readPlaces(form.Value("places")); err != nil {
		return bad(err.Error())
	}
	p.Stop, p.Routine = map[string]string{}, map[string]string{}
	for _, k := range plan.Kinds {
		key := strings.ReplaceAll(k, " ", "-")
		if w := fields.Clip(form.Value("stop_" + key)); w != "" {
			p.Stop[k] = w
		}
		if r := form.Value("routine_" + key); r != "" {
			p.Routine[k] = r
		}
	}
	p.Shift = fields.Lines(form.Value("shift"))
	p.SettleBefore, p.SettleAfter, p.Knows = fields.Lines(form.Value("before")),
		fields.Lines(form.Value("after")),
		fields.Lines(form.Value("knows"))
	p.StayAwake, p.Ignores = fields.Lines(form.Value("awake")), fields.Lines(form.Value("ignores"))
	if p.Holds, err = form.Number("holds", 0, 10000); err != nil {
		return p, err
	}
	if p.Pace, err = form.Number("pace", 0, 4); err != nil {
		return p, err
	}
	if p.Pace != was.Pace { // somebody knows better than what was seen
		p.Paced = 0
	}
	p.Silent, p.Blank = form.Value("silent") != "", form.Value("blank") != ""
	p.HomesFirst = form.Value("homes_first") != ""
	p.StopBeforeMark = form.Value("before_mark") != ""
	p.HomesAfterSwap = form.Value("home_after_swap") != ""
	p.Resume = fields.Clip(form.Value("resume"))
	p.G90MovesE = nil
	if a := form.Value("axis"); a == "steps" || a == "start" {
		moves := a == "steps"
		p.G90MovesE = &moves
	}
	if err := p.Check(); err != nil {
		return bad(err.Error())
	}
	return p, nil
}

// readPlaces reads the printer's places, one in a line: a name, X and Y in mm.
func readPlaces(text string) (map[string][2]float64, error) {
	var places map[string][2]float64
	for _, l := range fields.Lines(text) {
		w := strings.Fields(l)
		n := max(len(w)-2, 0)
		var at [2]float64
		var err [2]error
		for i, v := range w[n:] {
			at[i%2], err[i%2] = strconv.ParseFloat(v, 64)
		}
		if n == 0 || err[0] != nil || err[1] != nil {
			return nil, fmt.Errorf("the place “%s” is written as a name, X and Y: brush 200 5",
				fields.Clip(l))
		}
		if places == nil {
			places = map[string][2]float64{}
		}
		places[strings.Join(w[:n], " ")] = at
	}
	return places, nil
}

// behindView is what is pushed through behind another filament.
type behindView struct{ Key, Name, Colour, MM string }

// behind lists the other filaments of the Kit with what is known of a change from them.
func behind(kit *store.Kit, key string, f *plan.Filament) []behindView {
	var out []behindView
	for _, k := range kit.Keys[plan.Filaments] {
		if k == key {
			continue
		}
		o := kit.Filaments[k]
		v := behindView{Key: k, Name: say.Or(o.Name, k), Colour: o.Colour}
		if mm := f.After[k]; mm > 0 {
			v.MM = fmt.Sprintf("%g", mm)
		}
		out = append(out, v)
	}
	return out
}

// readFilament reads a filament's form; the others of the Kit are those it can come behind.
func readFilament(form fields.Form, kit plan.Kit, key string) (plan.Filament, error) {
	var f plan.Filament
	if f.Name = fields.Clip(form.Value("name")); f.Name == "" {
		return f, say.Sentence(fiber.StatusUnprocessableEntity, "give the filament a name")
	}
	f.Colour, f.Material = strings.ToLower(form.Value("colour")), fields.Clip(form.Value("material"))
	for _, n := range []struct {
		name string
		to   *float64
		high float64
	}{
		{"nozzle_first", &f.Nozzle[0], 500}, {"nozzle", &f.Nozzle[1], 500}, {"bed_first", &f.Bed[0], 200},
		{"bed", &f.Bed[1], 200},
		{"purge", &f.Purge, 2000}, {"load", &f.Load, 2000}, {"unload", &f.Unload, 2000},
		{"diameter", &f.Diameter, 5}, {"density", &f.Density, 20},
	} {
		v, err := form.Number(n.name, 0, n.high)
		if err != nil {
			return f, err
		}
		*n.to = v
	}
	for k, o := range kit.Filaments {
		if k == key || strings.TrimSpace(form.Value("after:"+k)) == "" {
			continue
		}
		mm, err := fields.Amount(form.Value("after:"+k), 0, 2000)
		if err != nil {
			return f, say.Sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("after %s: %v", o.Name, err))
		}
		if f.After == nil {
			f.After = map[string]float64{}
		}
		if mm > 0 {
			f.After[k] = mm
		}
	}
	if err := f.Check(); err != nil {
		return f, say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return f, nil
}

func readInsert(form fields.Form) (plan.InsertPart, error) {
	i := plan.InsertPart{Name: fields.Clip(form.Value("name")), Shape: form.Value("shape"),
		Steel: form.Value("steel") != "", Magnet: form.Value("magnet") != ""}
	if i.Name == "" {
		return i, say.Sentence(fiber.StatusUnprocessableEntity, "give the insert a name")
	}
	for _, n := range []struct {
		name string
		to   *float64
	}{{"across", &i.Across}, {"length", &i.Length}, {"inner", &i.Inner}, {"height", &i.Height},
		{"grams", &i.Grams}, {"tolerance", &i.Tolerance}} {
		v, err := form.Number(n.name, 0, 500)
		if err != nil {
			return i, err
		}
		*n.to = v
	}
	if i.Across == 0 {
		return i, say.Sentence(fiber.StatusUnprocessableEntity, "say how wide the insert is")
	}
	if i.Shape == "ball" {
		i.Height = i.Across
	}
	if i.Height == 0 {
		return i, say.Sentence(fiber.StatusUnprocessableEntity, "say how high the insert is")
	}
	if err := i.Check(); err != nil {
		return i, say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return i, nil
}

// planPreview draws the bed as a form that is being filled in says.
func (s *pages) planPreview(c fiber.Ctx) error {
	p, err := readPrinter(fields.Of(c), plan.Printer{})
	if err != nil {
		return err
	}
	return c.Render("_bed", draw.NewBedPlan(&p, 300))
}
