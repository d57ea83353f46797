package web

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
	"dogear/store"
)

// editorView is the routine editor.
type editorView struct {
	Key      string
	Shipped  bool // it comes with Dogear and is changed in a copy
	Steps    []stepView
	Adds     []choice
	Printers []choice
	Kinds    []choice
	Way      wayView
	Total    string
	Findings []layer.Finding
	Said     string
	Was      string // what the routine is, for the next change
}

// stepView is one step as a sentence with places to fill in.
type stepView struct {
	plan.Step
	N, At       int // counted from 1, and from 0 as the form does
	Words       string
	Sends       []string
	More        int // lines that are not shown
	Took        string
	Locked      bool
	First, Last bool // cannot go further up, or down
	Places      []choice
	FanText     string
	XText       string
	YText       string
	FlowText    string
	LinesText   string
}

// addWords are the steps one can add, with what they are for.
var addWords = []choice{
	{"tone", "a tone", false}, {"say", "a message", false}, {"retract", "draw back", false},
	{"lift", "lift", false}, {"park", "go aside", false},
	{"stop", "stop and wait for you", false}, {"wait", "wait for a time", false},
	{"heat", "heat", false}, {"cool", "cool", false}, {"fan", "fan", false},
	{"unload", "unload", false}, {"load", "load", false}, {"purge", "purge", false},
	{"wipe", "wipe", false}, {"bond", "bond pass", false}, {"lines", "own lines", false},
}

// fresh are the values a new step begins with.
var fresh = map[string]plan.Step{
	"tone": {HZ: 880, MS: 200, Times: 3}, "say": {Text: "Load {filament}, then resume"},
	"retract": {MM: 2, Speed: 35}, "lift": {MM: 10},
	"wait": {Seconds: 60, Warn: 10}, "heat": {Wait: true}, "cool": {Celsius: 150},
	"fan": {Percent: ptr(100.0)}, "purge": {MM: 30, Speed: 4}, "bond": {Flow: 0.3},
	"unload": {Speed: 25}, "load": {Speed: 5}, "lines": {Lines: []string{"M0"}},
}

func ptr[T any](v T) *T { return &v }

// routineOf returns a routine by name: one's own, or one that ships.
func routineOf(kit *store.Kit, key string) (r plan.Routine, shipped, ok bool) {
	if r, ok = kit.Routines[key]; ok {
		return r, false, true
	}
	r, ok = plan.Builtin()[key]
	return r, true, ok
}

func (s *Server) routinePage(c fiber.Ctx, kit *store.Kit, key string) error {
	r, shipped, ok := routineOf(kit, key)
	if !ok {
		return fiber.NewError(fiber.StatusNotFound, "This routine is not in the Kit any more.")
	}
	v, err := editor(kit, key, r, shipped, c.Query("printer"), c.Query("kind"))
	if err != nil {
		return err
	}
	return s.page(c, "routine", fiber.Map{"Title": key, "At": "kit", "V": v, "Undo": kit.Undo,
		"Redo": kit.Redo})
}

// editor runs the routine on the example and shows what each step sends.
func editor(kit *store.Kit, key string, r plan.Routine, shipped bool, printer,
	kind string) (*editorView, error) {
	v := &editorView{Key: key, Shipped: shipped, Adds: addWords, Was: kit.Signs[plan.Routines+"/"+key]}
	keys := kit.Keys[plan.Printers]
	if !slices.Contains(keys, printer) && len(keys) > 0 {
		printer = keys[0]
	}
	if !slices.Contains(plan.Kinds, kind) {
		kind = likely(key, r)
	}
	for _, k := range keys {
		v.Printers = append(v.Printers, choice{k, kit.Printers[k].Name, k == printer})
	}
	for _, k := range plan.Kinds {
		v.Kinds = append(v.Kinds,
			choice{k, map[string]string{plan.Colour: "a colour change", plan.Insert: "something put in",
				plan.Nozzle: "a nozzle swap", plan.Own: "own lines"}[k], k == kind})
	}
	p := &plan.Plan{Format: plan.Format, Filaments: kit.Filaments}
	if pr, ok := kit.Printers[printer]; ok {
		p.Printer = &pr
	} else {
		p.Printer = plan.Generic()
	}
	next := ""
	if f := kit.Keys[plan.Filaments]; len(f) > 0 {
		p.First, next = f[0], f[min(1, len(f)-1)]
	}
	x, err := routine.NewExample(p, kind, next, r)
	if err != nil {
		return nil, sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	e := &plan.Ear{Kind: kind, Filament: next}
	if kind != plan.Colour {
		e.Filament = ""
	}
	total := 0.0
	for i, st := range r {
		sv := stepView{Step: st, N: i + 1, At: i, Words: st.Words(p, e), Locked: i >= len(r)-2,
			First: i == 0, Last: i >= len(r)-3, Took: seconds(x.Took[i]), LinesText: strings.Join(st.Lines,
				"\n"), FlowText: fmt.Sprintf("%.0f", st.Flow*100)}
		for k := range x.Lines {
			if x.Lines[k].Step == i {
				sv.Sends = append(sv.Sends, code(&x.Lines[k]))
			}
		}
		if n := len(sv.Sends); n > mostSends {
			sv.Sends, sv.More = sv.Sends[:mostSends], n-mostSends
		}
		if st.Percent != nil {
			sv.FanText = fmt.Sprint(*st.Percent)
		}
		if st.X != nil {
			sv.XText = fmt.Sprint(*st.X)
		}
		if st.Y != nil {
			sv.YText = fmt.Sprint(*st.Y)
		}
		own := st.X != nil || st.Y != nil
		sv.Places = []choice{{"", "the printer's park place", st.At == "" && !st.Keep && !own},
			{"keep:", "nowhere: stays where it is", st.Keep}, {"xy:", "a place of its own:", own}}
		names := sortedKeys(p.Printer.Places)
		if st.At != "" && !slices.Contains(names, st.At) {
			names = append(names, st.At)
		}
		for _, n := range names {
			sv.Places = append(sv.Places, choice{"at:" + n, "the place “" + n + "”", st.At == n})
		}
		total += x.Took[i]
		v.Steps = append(v.Steps, sv)
	}
	v.Total = seconds(total)
	if slices.ContainsFunc(r, func(s plan.Step) bool { return s.Do == "stop" }) {
		v.Total += " and the time you take"
	}
	v.Findings = x.Findings
	v.Way = newWay(x.Lines, p.Printer, x.Box, &x.At, 300)
	return v, nil
}

// mostSends is how many lines of a step are shown.
const mostSends = 7

// code is a line without its explanation.
func code(l *routine.Line) string {
	if l.Why == "" {
		return l.Text
	}
	return strings.TrimSuffix(l.Text, " ; "+l.Why)
}

// likely is the kind of ear that a routine is most likely meant for.
func likely(key string, r plan.Routine) string {
	for kind, usual := range plan.Usual {
		if usual == key {
			return kind
		}
	}
	for _, s := range r {
		if s.Do == "purge" || s.Do == "load" || strings.Contains(s.Text, "{filament}") {
			return plan.Colour
		}
	}
	return plan.Insert
}

// seconds writes a short time.
func seconds(s float64) string {
	switch {
	case s < 0.05:
		return ""
	case s < 10:
		return fmt.Sprintf("%.1f s", s)
	case s < 120:
		return fmt.Sprintf("%.0f s", s)
	}
	return fmt.Sprintf("%d min %02d s", int(s+0.5)/60, int(s+0.5)%60)
}

// routineSteps keeps what the editor's form says, with one change.
func (s *Server) routineSteps(c fiber.Ctx) error {
	kit, err := s.cfg.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	key := c.FormValue("key")
	was, shipped, ok := routineOf(kit, key)
	if !ok {
		return sentence(fiber.StatusNotFound, "this routine is not in the Kit any more")
	}
	said := ""
	r := was
	if !shipped {
		if r, err = readSteps(c); err != nil {
			return err
		}
		if said, r, err = alter(r, c.FormValue("act")); err != nil {
			return err
		}
		if err := r.Check(); err != nil {
			return sentence(fiber.StatusUnprocessableEntity, err.Error())
		}
	}
	v, err := editor(kit, key, r, shipped, c.FormValue("show_printer"), c.FormValue("show_kind"))
	if err != nil {
		return err
	}
	if !reflect.DeepEqual(r, was) {
		if err := s.putItem(c, plan.Routines, key, plan.Item{Drawer: plan.Routines, Key: key,
			Doc: r}); err != nil {
			return err
		}
		if kit, err = s.cfg.Store.Kit(c.Context()); err != nil {
			return err
		}
		v.Was = kit.Signs[plan.Routines+"/"+key]
		v.Said = or(said, "Kept.")
	}
	return c.Render("_routine", v)
}

// alter carries out one change of the order: "up:3", "down:3", "drop:3" or
// "add:wait". Return and restore stay last.
func alter(r plan.Routine, act string) (string, plan.Routine, error) {
	what, arg, _ := strings.Cut(act, ":")
	body := len(r) - 2
	if body < 0 {
		return "", nil, sentence(fiber.StatusUnprocessableEntity,
			"the routine does not end with going back")
	}
	if what == "" {
		return "", r, nil
	}
	if what == "add" {
		if !slices.ContainsFunc(addWords, func(a choice) bool { return a.Key == arg }) {
			return "", nil, sentence(fiber.StatusUnprocessableEntity, "there is no such step")
		}
		st := fresh[arg]
		st.Do = arg
		return "Added at the end, before going back.", slices.Insert(r, body, st), nil
	}
	i, err := strconv.Atoi(arg)
	if err != nil || i < 0 || i >= body {
		return "", nil, sentence(fiber.StatusUnprocessableEntity, "this step stays where it is")
	}
	switch {
	case what == "drop":
		return "Taken out.", slices.Delete(r, i, i+1), nil
	case what == "up" && i > 0:
		r[i-1], r[i] = r[i], r[i-1]
		return "Moved up.", r, nil
	case what == "down" && i < body-1:
		r[i+1], r[i] = r[i], r[i+1]
		return "Moved down.", r, nil
	}
	return "", r, nil
}

// mostSteps bounds a routine.
const mostSteps = 60

// readSteps reads the steps of the editor's form.
func readSteps(c fiber.Ctx) (plan.Routine, error) {
	var r plan.Routine
	for i := range mostSteps {
		f := func(name string) string {
			return strings.TrimSpace(
				c.FormValue(fmt.Sprintf("s%d_%s", i, name)))
		}
		st := plan.Step{Do: f("do")}
		if st.Do == "" {
			break
		}
		num := func(name string, to *float64, low, high float64) error {
			v, err := number(c, fmt.Sprintf("s%d_%s", i, name), low, high)
			*to = v
			return err
		}
		var err error
		times := 0.0
		switch st.Do {
		case "tone":
			err = firstOf(num("hz", &st.HZ, 0, 20000), num("ms", &st.MS, 0, 60000),
				num("times", &times, 0, 100))
			st.Times = int(times)
		case "say":
			st.Text = clip(f("text"))
		case "retract", "unload", "load", "purge":
			err = firstOf(num("mm", &st.MM, 0, 2000), num("speed", &st.Speed, 0, 500))
		case "lift":
			err = num("mm", &st.MM, 0, 500)
		case "park":
			switch what, name, _ := strings.Cut(f("place"), ":"); what {
			case "keep":
				st.Keep = true
			case "at":
				st.At = clip(name)
			case "xy":
				var x, y float64
				err = firstOf(num("x", &x, -2000, 2000), num("y", &y, -2000, 2000))
				if f("x") == "" || f("y") == "" { // chosen just now: begin at the corner
					x, y = 5, 5
				}
				st.X, st.Y = &x, &y
			}
		case "fan":
			if f("percent") != "" {
				st.Percent = new(float64)
				err = num("percent", st.Percent, 0, 100)
			}
		case "heat", "cool":
			err = num("celsius", &st.Celsius, 0, 500)
			st.Wait = f("wait") != ""
		case "wait":
			err = firstOf(num("seconds", &st.Seconds, 0, 86400), num("warn", &st.Warn, 0, 86400))
			st.Warn = min(st.Warn, st.Seconds)
		case "bond":
			err = num("flow", &st.Flow, 1, 100)
			st.Flow /= 100
		case "lines":
			st.Lines = lines(f("lines"))
		}
		if err != nil {
			return nil, err
		}
		r = append(r, st)
	}
	return r, nil
}

func firstOf(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// copyRoutine puts a copy of a routine into the Kit, to be changed.
func (s *Server) copyRoutine(c fiber.Ctx) error {
	kit, err := s.cfg.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	from := c.FormValue("from")
	name, r := "my routine", plan.Routine{{Do: "lift", MM: 10}, {Do: "park"},
		{Do: "say", Text: "{note}, then resume"}, {Do: "stop"}, {Do: "return"}, {Do: "restore"}}
	if from != "" {
		old, _, ok := routineOf(kit, from)
		if !ok {
			return sentence(fiber.StatusNotFound, "this routine is not in the Kit any more")
		}
		name, r = clip(from+", ours"), old
	}
	key := name
	for k := 2; ; k++ {
		if _, _, there := routineOf(kit, key); !there {
			break
		}
		key = fmt.Sprintf("%s %d", name, k)
	}
	if err := s.cfg.Store.Put(c.Context(), plan.Item{Drawer: plan.Routines, Key: key,
		Doc: r}); err != nil {
		return err
	}
	c.Set("HX-Redirect", editURL(plan.Routines, key))
	return c.SendStatus(fiber.StatusOK)
}

// renameRoutine gives a routine another name, unless something calls it by the
// old one.
func (s *Server) renameRoutine(c fiber.Ctx) error {
	kit, err := s.cfg.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	key, name := c.FormValue("key"), clip(c.FormValue("name"))
	r, ok := kit.Routines[key]
	switch {
	case !ok:
		return sentence(fiber.StatusNotFound, "this routine is not in the Kit any more")
	case name == key:
		return c.SendStatus(fiber.StatusNoContent)
	case plan.CheckKey(name) != nil:
		return sentence(fiber.StatusUnprocessableEntity, plan.CheckKey(name).Error())
	}
	if _, _, there := routineOf(kit, name); there {
		return sentence(fiber.StatusConflict, fmt.Sprintf("there is a routine called “%s” already", name))
	}
	if by, err := s.usedBy(c, plan.Routines, key); err != nil || by != "" {
		if err != nil {
			return err
		}
		return sentence(fiber.StatusConflict, fmt.Sprintf("“%s” calls it by this name; copy it instead",
			by))
	}
	if err := s.putItem(c, plan.Routines, key, plan.Item{Drawer: plan.Routines, Key: key},
		plan.Item{Drawer: plan.Routines, Key: name, Doc: r}); err != nil {
		return err
	}
	c.Set("HX-Redirect", editURL(plan.Routines, name))
	return c.SendStatus(fiber.StatusOK)
}
