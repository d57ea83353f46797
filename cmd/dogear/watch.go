package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"
)

// watcher lays a plan onto every new file of a folder, in place, as
// apply --in-place does.
type watcher struct {
	dir, plan string
	memory    string // file in which it remembers what it has seen
	every     time.Duration
	quiet     func(size int64) time.Duration // how long a file must not change first
	now       func() time.Time
	tell      func(file, text string, err error)

	kept   remembered
	coming map[string]*arrival
	stray  time.Time // when temporary files were last looked for
}

// remembered is what outlives a restart. Files are known by name, size and time, so that a
// folder that was away for a moment brings nothing new.
type remembered struct {
	Dir    string           `json:"dir"`
	Plan   stamp            `json:"plan"`   // as it was last used
	Done   map[string]stamp `json:"done"`   // dealt with, or there from the start
	Failed map[string]stamp `json:"failed"` // refused; tried again when the plan changes
	Coming map[string]bool  `json:"coming"` // being written, or being edited
}

// arrival is a file that may still be growing.
type arrival struct {
	stamp
	since time.Time     // it has not changed
	wait  time.Duration // how long it must stay so: longer, once it has been looked into
	full  bool          // that the disk is full has been said
}

// watched are the ends of names of files that are taken for G-code, by itself or packed.
var watched = []string{".gcode", ".gco", ".gc", ".g", ".nc", ".gz", ".zip", ".3mf"}

// maxRemembered bounds how many files are remembered.
const maxRemembered = 20_000

// usualQuiet is how long a file must be left alone before it counts as written: slicers
// and networks pause, the longer the larger the file is.
func usualQuiet(size int64) time.Duration {
	return min(3*time.Second+time.Duration(size>>20)*50*time.Millisecond, 30*time.Second)
}

// openQuiet is how long when nothing in it says that it is over.
const openQuiet = time.Minute

// newWatcher looks at a folder; what lies in it already is left alone, but for what was
// being written or edited when the last watcher ended. memory may be empty.
func newWatcher(dir, planFile, memory string, tell func(file, text string, err error)) (*watcher,
	error) {
	if _, err := readPlan(planFile); err != nil {
		return nil, err
	}
	abs, err := filepath.Abs(dir)
	if err != nil {
		return nil, refuse("unreadable", err)
	}
	w := &watcher{dir: abs, plan: planFile, memory: memory, every: time.Second, quiet: usualQuiet,
		now: time.Now, tell: tell, coming: map[string]*arrival{}}
	there, err := w.look()
	if err != nil {
		return nil, refuse("unreadable", fmt.Errorf("the folder %s cannot be watched: %w", dir, err))
	}
	w.recall()
	if w.kept.Plan.Size == 0 {
		w.kept.Plan = stampOf(planFile)
	}
	for name, st := range there {
		if _, failed := w.kept.Failed[name]; !w.kept.Coming[name] && !failed {
			w.kept.Done[name] = st
		}
	}
	w.remember()
	w.sweep()
	return w, nil
}

// recall reads what the last watcher of this folder knew.
func (w *watcher) recall() {
	if b, err := os.ReadFile(w.memory); err == nil {
		_ = json.Unmarshal(b, &w.kept)
	}
	if w.kept.Dir != w.dir {
		w.kept = remembered{Dir: w.dir}
	}
	for _, m := range []*map[string]stamp{&w.kept.Done, &w.kept.Failed} {
		if *m == nil {
			*m = map[string]stamp{}
		}
	}
	if w.kept.Coming == nil {
		w.kept.Coming = map[string]bool{}
	}
}

// remember writes down what must outlive a kill.
func (w *watcher) remember() {
	if w.memory == "" {
		return
	}
	if len(w.kept.Done) > maxRemembered {
		var ages []time.Time
		for _, st := range w.kept.Done {
			ages = append(ages, st.At)
		}
		slices.SortFunc(ages, time.Time.Compare)
		for name, st := range w.kept.Done {
			if st.At.Before(ages[len(ages)-maxRemembered]) {
				delete(w.kept.Done, name)
			}
		}
	}
	if err := writeWhole(w.memory, &w.kept); err != nil {
		w.tell(filepath.Base(w.memory), "", fmt.Errorf("what was seen cannot be remembered: %w", err))
	}
}

// sweep removes what an edit that was killed has left in the folder. One that is under way,
// of another program too, writes all the time.
func (w *watcher) sweep() {
	w.stray = w.now()
	list, err := os.ReadDir(w.dir)
	if err != nil {
		return
	}
	for _, e := range list {
		st, err := e.Info()
		if err == nil && st.Mode().IsRegular() && strings.HasPrefix(e.Name(), ".dogear-") &&
			w.now().Sub(st.ModTime()) > time.Minute {
			_ = os.Remove(filepath.Join(w.dir, e.Name()))
		}
	}
}

func stampOf(file string) stamp {
	st, err := os.Stat(file)
	if err != nil {
		return stamp{}
	}
	return stamp{st.Size(), st.ModTime()}
}

// look lists the files of the folder.
func (w *watcher) look() (map[string]stamp, error) {
	list, err := os.ReadDir(w.dir)
	if err != nil {
		return nil, err
	}
	out := map[string]stamp{}
	for _, e := range list {
		name := e.Name()
		if strings.HasPrefix(name, ".") ||
			!slices.Contains(watched, strings.ToLower(filepath.Ext(name))) {
			continue
		}
		if st, err := e.Info(); err == nil && st.Mode().IsRegular() {
			out[name] = stamp{st.Size(), st.ModTime()}
		}
	}
	return out, nil
}

// lastEdit is how long an edit that is under way may still take when the watcher is told
// to end.
const lastEdit = 3 * time.Second

// run watches until the context ends. An edit that is under way then is finished, or given
// up and taken up again at the next start.
func (w *watcher) run(ctx context.Context) {
	tick := time.NewTicker(w.every)
	defer tick.Stop()
	edits, stop := context.WithCancel(context.WithoutCancel(ctx))
	defer stop()
	defer context.AfterFunc(ctx, func() { time.AfterFunc(lastEdit, stop) })()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			w.lookOnce(edits)
			if ctx.Err() != nil {
				return
			}
		}
	}
}

// lookOnce deals with what is new and has been left alone for long enough.
func (w *watcher) lookOnce(ctx context.Context) {
	there, err := w.look()
	if err != nil {
		return // the folder may come back
	}
	if w.now().Sub(w.stray) > time.Hour {
		w.sweep()
	}
	if now := stampOf(w.plan); !now.like(w.kept.Plan) && now.Size > 0 { // mended, perhaps
		w.kept.Plan = now
		clear(w.kept.Failed)
	}
	for name := range w.coming {
		if _, ok := there[name]; !ok {
			w.settle(name, nil)
		}
	}
	for _, name := range sortedNames(there) {
		st := there[name]
		if st.Size == 0 || st.like(w.kept.Done[name]) || st.like(w.kept.Failed[name]) {
			continue
		}
		c := w.coming[name]
		if c == nil || c.stamp != st {
			if c == nil && !w.kept.Coming[name] {
				w.kept.Coming[name] = true
				w.remember()
			}
			w.coming[name] = &arrival{stamp: st, since: w.now()}
			continue
		}
		if w.now().Sub(c.since) < max(w.quiet(st.Size), c.wait) {
			continue
		}
		w.edit(ctx, name, c)
		if ctx.Err() != nil {
			return
		}
	}
}

func sortedNames(m map[string]stamp) []string {
	var out []string
	for name := range m {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

// edit lays the plan onto one file, and says what came of it.
func (w *watcher) edit(ctx context.Context, name string, c *arrival) {
	file := filepath.Join(w.dir, name)
	rep, err := inPlace(file, w.plan, inPlaceHow{ctx: ctx, patience: func() bool {
		return w.now().Sub(c.since) >= openQuiet
	}})
	var r *refusal
	switch {
	case ctx.Err() != nil:
		return // at the next start
	case errors.Is(err, errMoved):
		c.since = w.now() // it is being written after all
		return
	case errors.Is(err, errWait),
		errors.As(err, &r) && (r.Code == "cut-short" || r.Code == "archive") &&
			w.now().Sub(c.since) < openQuiet:
		c.wait = openQuiet // the rest may still come
		return
	case errors.Is(err, syscall.ENOSPC): // that passes
		c.since, c.wait = w.now(), openQuiet
		if !c.full {
			c.full = true
			w.tell(name, "", fmt.Errorf("the disk is full; it is tried again: %w", err))
		}
		return
	}
	text := ""
	if err == nil {
		text = placed(rep) + "; what it was lies beside it as " + name + origSuffix
	}
	if rep != nil && rep.Said != "" {
		text = rep.Said
	}
	now := stampOf(file)
	if err != nil {
		if !now.like(c.stamp) {
			return // it is another file by now
		}
		w.kept.Failed[name] = now
		w.settle(name, nil)
	} else {
		w.settle(name, &now)
	}
	w.tell(name, text, err)
}

// placed says how many marks of a plan have a place in a file, by what they have found it, and
// how many have none.
func placed(rep *editReport) string {
	text := fmt.Sprintf("%d ears placed", len(rep.Ears))
	if len(rep.Ears) == 1 {
		text = "1 ear placed " + rep.Ears[0].place()
	}
	lost, by := 0, map[string]int{}
	var ways []string
	for i := range rep.Findings {
		switch f := &rep.Findings[i]; {
		case f.Code == "not-placed":
			lost++
		case f.By != "":
			if by[f.By]++; by[f.By] == 1 {
				ways = append(ways, f.By)
			}
		}
	}
	for k, w := range ways {
		switch {
		case len(ways) == 1:
			text += " by " + w
		case k == 0:
			text += fmt.Sprintf(": %d by %s", by[w], w)
		default:
			text += fmt.Sprintf(", %d by %s", by[w], w)
		}
	}
	if lost > 0 {
		text += fmt.Sprintf(", %d not found", lost)
	}
	return text
}

// settle ends the arrival of a file; done is what it is now.
func (w *watcher) settle(name string, done *stamp) {
	delete(w.coming, name)
	delete(w.kept.Coming, name)
	if done != nil {
		w.kept.Done[name] = *done
		delete(w.kept.Failed, name)
	}
	w.remember()
}
