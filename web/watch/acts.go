package watch

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/watch"
	"dogear/store"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// watchDo takes what somebody beside the printer says.
func (s *pages) watchDo(c fiber.Ctx) error {
	v, err := s.openWatched(c)
	if err != nil {
		return err
	}
	now, id, total := s.Now(), v.b.Print.ID, v.sheet.Seconds
	change := func(f func(w *watch.Watch) error) error {
		err := s.Store.ChangeWatch(c.Context(), id, f)
		if errors.Is(err, store.ErrNone) {
			return say.Sentence(fiber.StatusConflict, "nobody watches this print yet")
		}
		for _, known := range []error{watch.ErrOver, watch.ErrStands, watch.ErrGoing, watch.ErrNoStop,
			watch.ErrEarlier} {
			if errors.Is(err, known) {
				return say.Sentence(fiber.StatusConflict, err.Error())
			}
		}
		return err
	}
	switch c.Params("do") {
	case "start":
		if v.w != nil && v.w.Ended.IsZero() {
			return say.Sentence(fiber.StatusConflict, "this print is watched already")
		}
		err = s.Store.BeginWatch(c.Context(), id, watch.Start(now, v.m.Plan.Printer.Pace))
	case "stopped":
		err = change(func(w *watch.Watch) error { return w.Stopped(now, v.cues) })
	case "goes-on":
		err = change(func(w *watch.Watch) error { return w.GoesOn(now, v.cues, total) })
	case "is":
		var seconds float64
		if seconds, err = v.place(fields.Of(c)); err == nil {
			err = change(func(w *watch.Watch) error { return w.Is(now, seconds, v.cues, total) })
		}
	case "over":
		err = change(func(w *watch.Watch) error { return w.Over(now, total, false) })
		if err == nil {
			err = s.learnPace(c, v)
		}
	case "wrong":
		return s.wentWrong(c, v, change)
	default:
		err = say.Sentence(fiber.StatusNotFound, "the watch knows no such thing")
	}
	if err != nil {
		return err
	}
	if v, err = s.openWatched(c); err != nil {
		return err
	}
	s.noteWatch(c, v, c.Params("do"))
	c.Set("Cache-Control", "no-store")
	return c.JSON(s.moment(v))
}

// noteWatch writes into the diary what somebody has said at the watch.
func (s *pages) noteWatch(c fiber.Ctx, v *runningPrint, what string) {
	w, id := v.w, v.b.Print.ID
	title := func(st watch.Stop) string {
		for i := range v.rows {
			if v.rows[i].Ear == st.Ear {
				return fmt.Sprintf("%s, layer %d", v.rows[i].Title, v.rows[i].Layer)
			}
		}
		return "a stop that is no longer marked"
	}
	switch n := len(w.Stops); {
	case what == "start":
		s.Note(c.Context(), id, store.NoteStarted, "on %s", v.m.Plan.Printer.Called())
	case what == "stopped" && n > 0:
		s.Note(c.Context(), id, store.NoteStopped, "%s", title(w.Stops[n-1]))
	case what == "goes-on" && n > 0:
		st := w.Stops[n-1]
		s.Note(c.Context(), id, store.NoteWentOn, "after %s: %s",
			figures.Hours(st.Until.Sub(st.At).Seconds()), title(st))
	case what == "over":
		took := "after " + figures.Hours(w.Ended.Sub(w.Started).Seconds())
		if rate, ok := w.Own(); ok {
			took += fmt.Sprintf("; the printer took %.2f times the estimate", rate)
		}
		s.Note(c.Context(), id, store.NoteDone, "%s", took)
	}
}

// place reads where somebody says the printer is.
func (v *runningPrint) place(form fields.Form) (float64, error) {
	x, err := strconv.ParseFloat(strings.ReplaceAll(strings.TrimSpace(form.Value("value")), ",", "."),
		64)
	n := len(v.b.Ix.Layers)
	switch kind := form.Value("kind"); {
	case err != nil:
		return 0, say.Sentence(fiber.StatusUnprocessableEntity, "write a number")
	case kind == "layer" && x >= 1 && x <= float64(n):
		return v.res.Takes(v.b.Ix.Layers[int(x)-1].Begin), nil
	case kind == "layer":
		return 0, say.Sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("this print has %s",
			say.LayersWord(n)))
	case kind == "percent" && x >= 0 && x <= 100:
		return v.sheet.Seconds * x / 100, nil
	}
	return 0, say.Sentence(fiber.StatusUnprocessableEntity, "a percentage goes from 0 to 100")
}

// learnPace keeps with the printer how long it took.
func (s *pages) learnPace(c fiber.Ctx, v *runningPrint) error {
	w, err := s.Store.Watch(c.Context(), v.b.Print.ID)
	if err != nil {
		return err
	}
	key := v.m.Plan.Uses.Printer
	p, ok := v.m.Kit.Printers[key]
	if !ok {
		return nil // a printer that is not in the Kit is learned about by nobody
	}
	pace, n, ok := w.Kept(p.Pace, p.Paced)
	if !ok {
		return nil
	}
	p.Pace, p.Paced = float64(int(pace*1000+0.5))/1000, n
	err = s.Store.PutFrom(c.Context(), plan.Printers, key, v.m.Kit.Signs[plan.Printers+"/"+key],
		plan.Item{Drawer: plan.Printers, Key: key, Doc: p})
	if err != nil {
		return site.ChangedMeanwhile(err)
	}
	return nil
}

// wentWrong ends the watch, and begins a pick-up with what the clock says.
func (s *pages) wentWrong(c fiber.Ctx, v *runningPrint,
	change func(func(*watch.Watch) error) error) error {
	now, at := s.Now(), watch.Now{}
	err := change(func(w *watch.Watch) error {
		at = w.At(now, v.cues, v.sheet.Seconds)
		return w.Over(now, v.sheet.Seconds, true)
	})
	if err != nil {
		return err
	}
	err = s.Store.ChangeDraft(c.Context(), v.b.Print.ID, func(d *store.PickupDoc) error {
		*d = store.PickupDoc{Evidence: []pickup.Evidence{{Kind: pickup.Minutes,
			Value: max(at.Seconds/60, 0.1)}}}
		return nil
	})
	if err != nil {
		return err
	}
	s.Note(c.Context(), v.b.Print.ID, store.NoteWrong, "after %s, about layer %d",
		figures.Hours(now.Sub(v.w.Started).Seconds()), v.layerAt(at.Seconds))
	return c.JSON(fiber.Map{"to": fmt.Sprintf("/prints/%d/pickup", v.b.Print.ID)})
}
