package main

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"dogear/core/cue"
	"dogear/core/release"
	"dogear/core/routine"
	"dogear/web"
)

type cueCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	Plan     string `required:"" help:"Plan in the format dogear-plan/1."`
	Start    string `help:"When the print starts: 15:04, or 2006-01-02T15:04." placeholder:"TIME"`
	As       string `help:"html, csv or ics." enum:"html,csv,ics" default:"html"`
	Out      string `short:"o" required:"" help:"File to write; - for standard output."`
	Force    bool   `help:"Write over an existing OUT."`
	Reanchor bool   `help:"Apply a plan made for another file, by height."`
	Other    bool   `name:"other-model" help:"${other}"`
}

func (c *cueCmd) Run() error {
	var start time.Time
	if c.Start != "" {
		var err error
		if start, err = startTime(c.Start, time.Now()); err != nil {
			return refuse("usage", err)
		}
	}
	if c.As == "ics" && start.IsZero() {
		return refuse("usage", errors.New("a calendar needs --start"))
	}
	p, err := readPlan(c.Plan)
	if err != nil {
		return err
	}
	d, err := c.open(c.File, optionsOf(p))
	if err != nil {
		return err
	}
	defer d.close()
	moved, err := moveOnto(d, p, release.Onto{Reanchor: c.Reanchor, Other: c.Other}, nil)
	if err != nil {
		return err
	}
	say(moved)
	pockets, err := pocketsFor(d, p)
	if err != nil {
		return err
	}
	res, err := routine.Apply(d.src, d.ix, p, pockets)
	if err != nil {
		return refuse("plan", err)
	}
	s, err := cue.New(strings.TrimSuffix(d.name, ".gcode"), d.src, d.ix, p, res, start)
	if err != nil {
		return err
	}
	return create(c.Out, []string{c.File, c.Plan}, c.Force, func(w io.Writer) error {
		switch c.As {
		case "csv":
			return s.CSV(w)
		case "ics":
			return s.Calendar(w, time.Now())
		}
		return web.CueHTML(w, s)
	})
}

// startTime reads a time of today, or a date and time.
func startTime(t string, now time.Time) (time.Time, error) {
	if v, err := time.ParseInLocation("15:04", t, now.Location()); err == nil {
		return time.Date(now.Year(), now.Month(), now.Day(), v.Hour(), v.Minute(), 0, 0,
			now.Location()), nil
	}
	for _, layout := range []string{"2006-01-02T15:04", "2006-01-02 15:04", time.RFC3339} {
		if v, err := time.ParseInLocation(layout, t, now.Location()); err == nil {
			return v, nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is no time; write 15:04 or 2006-01-02T15:04", t)
}
