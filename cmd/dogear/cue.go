package main

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"dogear/core/apply"
	"dogear/core/cue"
	"dogear/core/gate"
	"dogear/web/cuesheet"
)

type cueCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	Plan     string `required:"" help:"Plan in the format dogear-plan/1." placeholder:"FILE"`
	Start    string `help:"When the print starts: 15:04, or 2006-01-02T15:04." placeholder:"TIME"`
	As       string `help:"html, csv or ics." enum:"html,csv,ics" default:"html"`
	Out      string `short:"o" required:"" help:"${out}" placeholder:"OUT"`
	JSON     bool   `help:"Print dogear-cue/1: what stands on the sheet."`
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
	moved, err := moveOnto(d, p, gate.Onto{Reanchor: c.Reanchor, Other: c.Other}, nil)
	if err != nil {
		return err
	}
	say(moved)
	pockets, err := pocketsFor(d, p)
	if err != nil {
		return err
	}
	res, err := apply.Plan(d.src, d.ix, p, pockets)
	if err != nil {
		return refuse("plan", err)
	}
	s, err := cue.New(strings.TrimSuffix(d.name, ".gcode"), d.src, d.ix, p, res, start)
	if err != nil {
		return err
	}
	err = create(c.Out, []string{c.File, c.Plan}, c.Force, func(w io.Writer) error {
		switch c.As {
		case "csv":
			return s.CSV(w)
		case "ics":
			return s.Calendar(w, time.Now())
		}
		return cuesheet.HTML(w, s)
	})
	if err != nil || !c.JSON {
		return err
	}
	return printJSON(beside(c.Out), cueReportOf(c.Out, s))
}

// cueReport is dogear-cue/1.
type cueReport struct {
	Format  string    `json:"format"`
	Out     string    `json:"out"`
	Seconds float64   `json:"seconds"` // of the print, without the stops
	Stops   []cueStop `json:"stops"`
	After   []string  `json:"after"` // put in when the print is done
}

type cueStop struct {
	Ear     string     `json:"ear"`
	HeadsUp bool       `json:"heads_up"`
	At      *time.Time `json:"at"` // null when no start is given
	Seconds float64    `json:"seconds"`
	Layer   int        `json:"layer"`
	Inside  bool       `json:"inside"`
	Title   string     `json:"title"`
	Ready   []string   `json:"ready"`
	Steps   []string   `json:"steps"`
}

func cueReportOf(out string, s *cue.Sheet) *cueReport {
	rep := &cueReport{Format: "dogear-cue/1", Out: out, Seconds: s.Seconds, Stops: []cueStop{},
		After: append([]string{}, s.After...)}
	for i := range s.Rows {
		r := &s.Rows[i]
		stop := cueStop{Ear: r.Ear, HeadsUp: r.HeadsUp, Seconds: r.Seconds, Layer: r.Layer,
			Inside: r.Inside, Title: r.Title, Ready: append([]string{}, r.Ready...),
			Steps: append([]string{}, r.Steps...)}
		if !r.At.IsZero() {
			stop.At = &r.At
		}
		rep.Stops = append(rep.Stops, stop)
	}
	return rep
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
