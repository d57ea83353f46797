package kit

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/web/fields"
	"dogear/web/say"
)

// fresh are the values a new step begins with.
var fresh = map[string]plan.Step{
	"tone": {HZ: 880, MS: 200, Times: 3}, "say": {Text: "Load {filament}, then resume"},
	"retract": {MM: 2, Speed: 35}, "lift": {MM: 10},
	"wait": {Seconds: 60, Warn: 10}, "heat": {Wait: true}, "cool": {Celsius: 150},
	"fan": {Percent: ptr(100.0)}, "purge": {MM: 30, Speed: 4}, "bond": {Flow: 0.3},
	"unload": {Speed: 25}, "load": {Speed: 5}, "lines": {Lines: []string{fields.Placeholder}},
}

func ptr[T any](v T) *T { return &v }

// routineSteps keeps what the editor's form says, with one change.
func (s *pages) routineSteps(c fiber.Ctx) error {
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	key := c.FormValue("key")
	was, shipped, ok := routineOf(kit, key)
	if !ok {
		return say.Sentence(fiber.StatusNotFound, "this routine is not in the Kit any more")
	}
	said := ""
	r := was
	detail := c.FormValue("as") != "form"
	if !shipped {
		if detail {
			r, err = readSteps(fields.Of(c))
		} else {
			r, err = readSimple(fields.Of(c), was)
		}
		if err != nil {
			return err
		}
		if said, r, err = alter(r, c.FormValue("act")); err != nil {
			return err
		}
		if err := r.Check(); err != nil {
			return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
		}
	}
	v, err := editor(kit, key, r, shipped, c.FormValue("show_printer"), c.FormValue("show_kind"))
	if err != nil {
		return err
	}
	v.Detail = detail
	if !reflect.DeepEqual(r, was) {
		if err := s.putItem(c, plan.Routines, key, plan.Item{Drawer: plan.Routines, Key: key,
			Doc: r}); err != nil {
			return err
		}
		if kit, err = s.Store.Kit(c.Context()); err != nil {
			return err
		}
		v.Was = kit.Signs[plan.Routines+"/"+key]
		v.Said = say.Or(said, "Kept.")
	}
	return c.Render("_routine", v)
}

// alter carries out one change of the order: "up:3", "down:3", "drop:3" or
// "add:wait". Return and restore stay last.
func alter(r plan.Routine, act string) (string, plan.Routine, error) {
	what, arg, _ := strings.Cut(act, ":")
	body := len(r) - 2
	if body < 0 {
		return "", nil, say.Sentence(fiber.StatusUnprocessableEntity,
			"the routine does not end with going back")
	}
	if what == "" {
		return "", r, nil
	}
	if what == "add" {
		if !slices.ContainsFunc(addWords, func(a fields.Choice) bool { return a.Key == arg }) {
			return "", nil, say.Sentence(fiber.StatusUnprocessableEntity, "there is no such step")
		}
		st := fresh[arg]
		st.Do = arg
		return "Added at the end, before going back.", slices.Insert(r, body, st), nil
	}
	i, err := strconv.Atoi(arg)
	if err != nil || i < 0 || i >= body {
		return "", nil, say.Sentence(fiber.StatusUnprocessableEntity, "this step stays where it is")
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

// maxSteps bounds a routine.
const maxSteps = 60

// readSteps reads the steps of the editor's form.
func readSteps(form fields.Form) (plan.Routine, error) {
	var r plan.Routine
	for i := range maxSteps {
		f := func(name string) string {
			return strings.TrimSpace(
				form.Value(fmt.Sprintf("s%d_%s", i, name)))
		}
		st := plan.Step{Do: f("do")}
		if st.Do == "" {
			break
		}
		num := func(name string, to *float64, low, high float64) error {
			v, err := form.Number(fmt.Sprintf("s%d_%s", i, name), low, high)
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
			st.Text = fields.Clip(f("text"))
		case "retract", "unload", "load", "purge":
			err = firstOf(num("mm", &st.MM, 0, 2000), num("speed", &st.Speed, 0, 500))
		case "lift":
			err = num("mm", &st.MM, 0, 500)
		case "park":
			at := fmt.Sprintf("s%d_", i)
			st, err = readPark(form, at+"place", at+"x", at+"y")
			st.Do = "park"
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
			st.Lines = fields.Lines(f("lines"))
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
