package proof

import (
	"bytes"
	"encoding/json"
	"io"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Own is what a file that Dogear has written says of itself: where it lays
// something otherwise than the original on purpose.
type Own struct {
	Again   [][2]int64  // lines that lay something once more, both ends included
	Changed []Otherwise // lines within which something is laid otherwise
	warm    bool        // a filament brings a heat of its own
	ears    []marked
}

// Otherwise is a run of lines of an edited file, both ends included, and what may
// differ within it.
type Otherwise struct {
	Lines                  [2]int64
	Speed, Flow, Fan, Heat bool
}

// Marks reads what Dogear has written into a file about itself.
func Marks(r io.Reader) (*Own, error) {
	o := &Own{}
	lines := gcode.NewScanner(r)
	var c gcode.Command
	var kept []byte
	open := map[string]int{} // changes that have not ended
	line := int64(1)
	for ; lines.Scan(&c); line++ {
		if c.Letter != 0 || c.Comment == nil {
			continue
		}
		text := string(bytes.TrimRight(lines.Text(), "\r\n"))
		rest, ok := strings.CutPrefix(text, "; dogear ")
		if !ok {
			continue
		}
		rest, ends := strings.CutSuffix(rest, " ends")
		kind, id, _ := strings.Cut(rest, " ")
		id, _, _ = strings.Cut(id, ":")
		switch {
		case kind == "bond" && ends:
			if n := len(o.Again); n > 0 {
				o.Again[n-1][1] = line
			}
		case kind == "bond":
			o.Again = append(o.Again, [2]int64{line, line})
		case kind == "slow" && strings.HasSuffix(rest, ": over"):
			if at, ok := open["slow"]; ok {
				o.Changed[at].Lines[1] = line
				delete(open, "slow")
			}
		case kind == "slow" && !ends:
			open["slow"] = len(o.Changed)
			o.Changed = append(o.Changed, Otherwise{Lines: [2]int64{line, line}, Speed: true})
		case kind == "change" && !ends:
			kept = nil
			open[id] = len(o.Changed)
			o.Changed = append(o.Changed, Otherwise{Lines: [2]int64{line, line}})
		case kind == "change":
			if at, ok := open[id]; ok {
				o.Changed[at].read(kept)
			}
			kept = nil
		case kind == "back" && ends:
			if at, ok := open[id]; ok {
				o.Changed[at].Lines[1] = line
				delete(open, id)
			} else { // a pick-up that begins within a change
				o.Changed = append(o.Changed, Otherwise{[2]int64{1, line}, true, true, true, true})
			}
		case kind == "was:":
			o.warm = o.warm || strings.Contains(rest, "M104") || strings.Contains(rest, "M109")
		case kind == ">":
			o.warm = o.warm || strings.Contains(rest, `"filament"`)
			kept = append(kept, rest[2:]...)
			if ends { // the words were the memory's own
				kept = append(kept, " ends"...)
			}
		case kind == "ear" && ends:
			if m, ok := remember(kept, line); ok {
				o.ears = append(o.ears, m)
			}
			kept = nil
		case kind == "ear":
			kept = nil
		}
	}
	for id, at := range open { // to the end of the file
		if id != "slow" {
			o.Changed[at].Lines[1] = line
		}
	}
	slices.SortFunc(o.Changed, func(a, b Otherwise) int { return int(a.Lines[0] - b.Lines[0]) })
	return o, lines.Err()
}

// read takes what a change remembers of itself.
func (o *Otherwise) read(text []byte) {
	var k struct {
		Change plan.Change `json:"change"`
	}
	if json.Unmarshal(text, &k) == nil {
		o.Speed, o.Flow, o.Fan, o.Heat = k.Change.Speed != 0, k.Change.Flow != 0, k.Change.Fan != nil, k.Change.Nozzle != 0
	}
}

// ours reads the marks of a file, when it has any.
func ours(src layer.Source, ix *layer.Index) (*Own, error) {
	if ix.Ours == 0 {
		return &Own{}, nil
	}
	return Marks(io.NewSectionReader(src, 0, src.Size()))
}
