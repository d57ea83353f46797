package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// watcher lays a plan onto every new file of a folder, in place, as
// apply --in-place does.
type watcher struct {
	dir, plan string
	every     time.Duration
	tell      func(file, text string, err error)

	done   map[string]stamp // files that are dealt with, or were there before
	coming map[string]stamp // files that may still be growing
}

// stamp tells whether a file has changed.
type stamp struct {
	size int64
	at   time.Time
}

// watched are the ends of names of files that are taken for G-code.
var watched = []string{".gcode", ".gco", ".gc", ".g", ".nc"}

// newWatcher looks at a folder; what lies in it already is left alone.
func newWatcher(dir, planFile string, tell func(file, text string, err error)) (*watcher, error) {
	if _, err := readPlan(planFile); err != nil {
		return nil, err
	}
	w := &watcher{dir: dir, plan: planFile, every: time.Second, tell: tell, coming: map[string]stamp{}}
	var err error
	if w.done, err = w.look(); err != nil {
		return nil, refuse("unreadable", fmt.Errorf("the folder %s cannot be watched: %w", dir, err))
	}
	return w, nil
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
		if strings.HasPrefix(name, ".") || !slices.Contains(watched, strings.ToLower(filepath.Ext(name))) {
			continue
		}
		if st, err := e.Info(); err == nil && st.Mode().IsRegular() {
			out[name] = stamp{st.Size(), st.ModTime()}
		}
	}
	return out, nil
}

// run watches until the context ends.
func (w *watcher) run(ctx context.Context) {
	tick := time.NewTicker(w.every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			w.step()
		}
	}
}

// step deals with what is new and has not grown since the last step.
func (w *watcher) step() {
	now, err := w.look()
	if err != nil {
		return // the folder may come back
	}
	for name := range w.done {
		if _, ok := now[name]; !ok {
			delete(w.done, name)
		}
	}
	for name, st := range now {
		if w.done[name] == st || st.size == 0 {
			delete(w.coming, name)
			continue
		}
		if w.coming[name] != st {
			w.coming[name] = st
			continue
		}
		delete(w.coming, name)
		file := filepath.Join(w.dir, name)
		rep, err := inPlace(file, w.plan, inPlaceHow{})
		text := ""
		if err == nil {
			text = fmt.Sprintf("%d ears placed; what it was lies beside it as %s", len(rep.Ears), name+origSuffix)
			if len(rep.Ears) == 1 {
				text = fmt.Sprintf("1 ear placed %s; what it was lies beside it as %s", rep.Ears[0].place(), name+origSuffix)
			}
		}
		if rep != nil && rep.Said != "" {
			text = rep.Said
		}
		w.tell(name, text, err)
		if st, err := os.Stat(file); err == nil {
			w.done[name] = stamp{st.Size(), st.ModTime()}
		}
	}
}
