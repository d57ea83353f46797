package cue

import (
	"strings"
	"testing"
	"time"
)

// TestAfter says in the table and in the calendar too what is put in when the print is done.
func TestAfter(t *testing.T) {
	start := time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC)
	s := &Sheet{Name: "Harbour wall", Start: start, Seconds: 3600,
		Rows:  []Row{{Ear: "a1", Seconds: 600, Waits: 120, At: start.Add(10 * time.Minute)}},
		After: []string{"M5 nut, into the pocket at X 20 Y 30", "=pin 4 × 20"}}
	var table, days strings.Builder
	if err := s.CSV(&table); err != nil {
		t.Fatal(err)
	}
	if n := strings.Count(table.String(), "\nwhen it is done,,,1:00:00,"); n != 2 ||
		!strings.Contains(table.String(), "'=pin") {
		t.Error(table.String())
	}
	if err := s.Calendar(&days, start); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"DTSTART:20261128T103200Z", "when it is done", "M5 nut\\, into"} {
		if !strings.Contains(days.String(), want) {
			t.Errorf("%s is missing:\n%s", want, &days)
		}
	}
	s.After = nil
	days.Reset()
	if err := s.Calendar(&days, start); err != nil || strings.Count(days.String(),
		"BEGIN:VEVENT") != 1 {
		t.Errorf("%v\n%s", err, &days)
	}
}
