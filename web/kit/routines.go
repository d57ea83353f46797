package kit

import (
	"fmt"
	"html/template"
	"net/url"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/plan"
	"dogear/core/routine"
	"dogear/store"
	"dogear/web/draw"
	"dogear/web/fields"
	"dogear/web/say"
)

// editorView is the routine editor.
type editorView struct {
	Key      string
	Shipped  bool // it comes with Dogear and is changed in a copy
	Steps    []stepView
	Adds     []fields.Choice
	Printers []fields.Choice
	Kinds    []fields.Choice
	Way      draw.WayView
	Total    string
	Findings []finding.Finding
	Said     string
	Was      string // what the routine is, for the next change
	Simple   *simpleView
	Detail   bool // its steps are shown though it is simple
}

// Address names the routine in an address.
func (v *editorView) Address() template.URL {
	return template.URL(url.Values{"key": {v.Key}}.Encode())
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
	Places      []fields.Choice
	FanText     string
	XText       string
	YText       string
	FlowText    string
	LinesText   string
}

// addWords are the steps one can add, with what they are for.
var addWords = []fields.Choice{
	{Key: "tone", Name: "a tone"}, {Key: "say", Name: "a message"},
	{Key: "retract", Name: "draw back"},
	{Key: "lift", Name: "lift"}, {Key: "park", Name: "go aside"},
	{Key: "stop", Name: "stop and wait for you"}, fields.Choose("wait", "wait for a time",
		false),
	{Key: "heat", Name: "heat"}, {Key: "cool", Name: "cool"}, fields.Choose("fan",
		"fan", false),
	{Key: "unload", Name: "unload"}, {Key: "load", Name: "load"},
	{Key: "purge", Name: "purge"},
	{Key: "wipe", Name: "wipe"}, {Key: "bond", Name: "bond pass"},
	{Key: "lines", Name: "own lines"},
}

// routineOf returns a routine by name: one's own, or one that ships.
func routineOf(kit *store.Kit, key string) (r plan.Routine, shipped, ok bool) {
	if r, ok = kit.Routines[key]; ok {
		return r, false, true
	}
	r, ok = plan.Builtin()[key]
	return r, true, ok
}

func (s *pages) routinePage(c fiber.Ctx, kit *store.Kit, key string) error {
	r, shipped, ok := routineOf(kit, key)
	if !ok {
		return fiber.NewError(fiber.StatusNotFound, "This routine is not in the Kit any more.")
	}
	v, err := editor(kit, key, r, shipped, c.Query("printer"), c.Query("kind"))
	if err != nil {
		return err
	}
	v.Detail = c.Query("detail") != ""
	return s.Page(c, "routine", fiber.Map{"Title": key, "At": "kit", "V": v, "Undo": kit.Undo,
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
		v.Printers = append(v.Printers, fields.Choose(k, kit.Printers[k].Name, k == printer))
	}
	for _, k := range plan.Kinds {
		v.Kinds = append(v.Kinds,
			fields.Choose(k, map[string]string{plan.Colour: "a colour change",
				plan.Insert: "something put in",
				plan.Nozzle: "a nozzle swap", plan.Own: "own lines"}[k], k == kind))
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
		return nil, say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	e := &plan.Ear{Kind: kind, Filament: next}
	if kind != plan.Colour {
		e.Filament = ""
	}
	if !shipped {
		v.Simple = simpleOf(r, p.Printer)
	}
	total := 0.0
	for i, st := range r {
		sv := stepView{Step: st, N: i + 1, At: i, Words: st.Words(p, e), Locked: i >= len(r)-2,
			First: i == 0, Last: i >= len(r)-3, Took: figures.Seconds(x.Took[i]),
			LinesText: strings.Join(st.Lines, "\n"), FlowText: fmt.Sprintf("%.0f", st.Flow*100)}
		for k := range x.Lines {
			if x.Lines[k].Step == i {
				sv.Sends = append(sv.Sends, say.Code(&x.Lines[k]))
			}
		}
		if n := len(sv.Sends); n > maxSends {
			sv.Sends, sv.More = sv.Sends[:maxSends], n-maxSends
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
		sv.Places = placesOf(p.Printer, st)
		total += x.Took[i]
		v.Steps = append(v.Steps, sv)
	}
	v.Total = figures.Seconds(total)
	if slices.ContainsFunc(r, func(s plan.Step) bool { return s.Do == "stop" }) {
		v.Total += " and the time you take"
	}
	v.Findings = x.Findings
	v.Way = draw.NewWay(x.Lines, p.Printer, x.Box, &x.At, 300)
	return v, nil
}

// maxSends is how many lines of a step are shown.
const maxSends = 7

// likely is the kind of ear that a routine is most likely meant for.
func likely(key string, r plan.Routine) string {
	for kind, usual := range plan.Usual {
		if usual == key {
			return kind
		}
	}
	if slices.ContainsFunc(r, func(s plan.Step) bool { return s.Do == "bond" }) {
		return plan.Insert
	}
	for _, s := range r {
		if s.Do == "purge" || s.Do == "load" || strings.Contains(s.Text, "{filament}") {
			return plan.Colour
		}
	}
	return plan.Insert
}

// copyRoutine puts a copy of a routine into the Kit, to be changed.
func (s *pages) copyRoutine(c fiber.Ctx) error {
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	from := c.FormValue("from")
	name, r := "my routine", plan.Routine{{Do: "lift", MM: 10}, {Do: "park"},
		{Do: "say", Text: "{note}, then resume"}, {Do: "stop"}, {Do: "return"}, {Do: "restore"}}
	if from != "" {
		old, _, ok := routineOf(kit, from)
		if !ok {
			return say.Sentence(fiber.StatusNotFound, "this routine is not in the Kit any more")
		}
		name, r = fields.Clip(from+", ours"), old
	}
	key := name
	for k := 2; ; k++ {
		if _, _, there := routineOf(kit, key); !there {
			break
		}
		key = fmt.Sprintf("%s %d", name, k)
	}
	if err := s.Store.Put(c.Context(), plan.Item{Drawer: plan.Routines, Key: key,
		Doc: r}); err != nil {
		return err
	}
	c.Set("HX-Redirect", editURL(plan.Routines, key))
	return c.SendStatus(fiber.StatusOK)
}

// renameRoutine gives a routine another name, unless something calls it by the
// old one.
func (s *pages) renameRoutine(c fiber.Ctx) error {
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	key, name := c.FormValue("key"), fields.Clip(c.FormValue("name"))
	r, ok := kit.Routines[key]
	switch {
	case !ok:
		return say.Sentence(fiber.StatusNotFound, "this routine is not in the Kit any more")
	case name == key:
		return c.SendStatus(fiber.StatusNoContent)
	case plan.CheckKey(name) != nil:
		return say.Sentence(fiber.StatusUnprocessableEntity, plan.CheckKey(name).Error())
	}
	if _, _, there := routineOf(kit, name); there {
		return say.Sentence(fiber.StatusConflict, fmt.Sprintf("there is a routine called “%s” already",
			name))
	}
	if by, err := s.usedBy(c, plan.Routines, key); err != nil || by != "" {
		if err != nil {
			return err
		}
		return say.Sentence(fiber.StatusConflict, fmt.Sprintf("“%s” calls it by this name; copy it "+
			"instead",
			by))
	}
	if err := s.putItem(c, plan.Routines, key, plan.Item{Drawer: plan.Routines, Key: key},
		plan.Item{Drawer: plan.Routines, Key: name, Doc: r}); err != nil {
		return err
	}
	c.Set("HX-Redirect", editURL(plan.Routines, name))
	return c.SendStatus(fiber.StatusOK)
}
