package main

import (
	"bytes"
	"strings"
	"testing"
)

// TestBars draws phases one after another and at once: each that ends well ends at 100 % with its
// line, and what is said behind it begins a new one.
func TestBars(t *testing.T) {
	for name, c := range map[string]struct {
		draw func(b *bars)
		want string
	}{
		"to the end": {func(b *bars) {
			for k := range 101 {
				b.draw("reading", k)
			}
			b.done("reading")
			b.broken()
		}, "reading 100 %\n"},
		"stopped short": {func(b *bars) {
			b.draw("reading", 98)
			b.draw("reading", 99)
			b.done("reading")
		}, "reading 100 %\n"},
		"two phases": {func(b *bars) {
			b.draw("reading", 50)
			b.done("reading")
			b.draw("examining", 0)
			b.draw("examining", 100)
		}, "reading 100 %\nexamining 100 %\n"},
		"failed": {func(b *bars) {
			b.draw("reading", 40)
			b.broken()
		}, "reading  40 %\n"},
		"two at once": {func(b *bars) {
			b.draw("a", 10)
			b.draw("b", 20)
			b.draw("a", 100)
			b.draw("b", 60)
			b.draw("b", 100)
			b.draw("b", 100)
		}, "a 100 %\nb 100 %\n"},
		"one behind another": {func(b *bars) {
			b.draw("b", 0)
			b.draw("a", 0)
			b.draw("a", 99)
			b.done("a")
			b.draw("b", 99)
			b.done("b")
		}, "b   0 %\na 100 %\nb 100 %\n"},
		"nothing drawn": {func(b *bars) {
			b.done("reading")
			b.broken()
		}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			var out bytes.Buffer
			c.draw(&bars{w: &out})
			got := ""
			for line := range strings.SplitAfterSeq(out.String(), "\n") {
				got += line[strings.LastIndexByte(line, '\r')+1:] // as a terminal shows it
			}
			if got != c.want {
				t.Errorf("%q, want %q", got, c.want)
			}
		})
	}
}
