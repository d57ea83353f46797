package routine

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Taken is Dogear's own work, taken out of a file it has written: the edits
// that give the original back, byte for byte, and the plan that stood in it.
type Taken struct {
	Edits []edit.Edit
	Plan  *plan.Plan
	Lost  []string // ids of ears whose lines were changed by somebody else, so that they could not be read
}

// ErrNotOurs is the cause when nothing of Dogear's stands in a file.
var ErrNotOurs = errors.New("nothing that Dogear has written stands in this file")

// TakeOut finds what Dogear has put into a file. Between a begin and an end
// line everything goes; muted lines come back; rewritten lines become what the
// comment in front of them says they were.
func TakeOut(src layer.Source) (*Taken, error) {
	t := &taker{out: &Taken{Plan: &plan.Plan{Format: plan.Format, Filaments: map[string]plan.Filament{}}}}
	lines := bufio.NewReaderSize(io.NewSectionReader(src, 0, src.Size()), 64<<10)
	for {
		line, err := lines.ReadSlice('\n')
		if long := err == bufio.ErrBufferFull; long {
			// No line of ours is that long, and none of its bytes matter.
			n := int64(len(line))
			for err == bufio.ErrBufferFull {
				line, err = lines.ReadSlice('\n')
				n += int64(len(line))
			}
			t.skip(n)
		} else if len(line) > 0 {
			t.line(line)
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
	}
	if t.until != "" {
		return nil, fmt.Errorf("line %d: what Dogear put in begins here, but does not end", t.began)
	}
	if len(t.out.Edits) == 0 {
		return nil, ErrNotOurs
	}
	if err := t.out.Plan.Check(); err != nil {
		return nil, err
	}
	return t.out, nil
}

type taker struct {
	out   *Taken
	off   int64
	read  int64 // lines read
	left  int64 // lines of the original so far
	began int64
	start int64
	until string // the line that ends what is being taken out
	id    string
	text  []byte // what the block remembers
	was   []byte // what the next line was
	at    int64  // where the comment about it begins
}

func (t *taker) skip(n int64) {
	t.off += n
	t.read++
	if t.until == "" {
		t.left++
	}
}

func (t *taker) line(s []byte) {
	at := t.off
	t.off += int64(len(s))
	t.read++
	bare := bytes.TrimRight(s, "\r\n")
	switch {
	case t.until != "":
		if rest, ok := bytes.CutPrefix(bare, []byte(keptPrefix)); ok {
			t.text = append(t.text, rest...)
		}
		if string(bare) == t.until {
			t.cut(t.start, t.off)
			t.ear()
		}
	case t.was != nil:
		t.out.Edits = append(t.out.Edits, edit.Edit{Offset: t.at, Cut: t.off - t.at, Text: trimEnd(t.was, s)})
		t.was = nil
		t.left++
	case bytes.HasPrefix(s, []byte(mutePrefix)):
		t.cut(at, at+int64(len(mutePrefix)))
		t.left++
		m := &t.out.Plan.Mutes
		if n := len(*m); n > 0 && (*m)[n-1].To == t.left-1 {
			(*m)[n-1].To = t.left
		} else {
			*m = append(*m, plan.Span{From: t.left, To: t.left})
		}
	case bytes.HasPrefix(s, []byte(wasPrefix)):
		t.was, t.at = bytes.Clone(s[len(wasPrefix):]), at
	default:
		if t.id, t.until = begins(bare); t.until != "" {
			t.start, t.began, t.text = at, t.read, nil
			return
		}
		t.left++
	}
}

// trimEnd gives a line that was kept the line end of the one that replaced it:
// a last line may have had none.
func trimEnd(was, now []byte) []byte {
	bare := bytes.TrimRight(was, "\r\n")
	return append(bytes.Clone(bare), now[len(bytes.TrimRight(now, "\r\n")):]...)
}

// begins reports what a line of ours opens: kind and id of an ear or a change, and
// the line that ends it.
func begins(bare []byte) (id, until string) {
	for _, what := range []string{"ear ", "heads-up ", "mute ", "over ", "slow ", "change ", "back "} {
		rest, ok := bytes.CutPrefix(bare, []byte("; dogear "+what))
		if !ok || bytes.HasSuffix(rest, []byte(" ends")) {
			continue
		}
		name, _, _ := bytes.Cut(rest, []byte(":"))
		if what == "mute " {
			name, _, _ = bytes.Cut(name, []byte("-"))
		}
		if what == "ear " || what == "change " || what == "back " {
			id = what + string(name)
		}
		return id, "; dogear " + what + string(name) + " ends"
	}
	return "", ""
}

func (t *taker) cut(from, to int64) {
	if n := len(t.out.Edits); n > 0 && t.out.Edits[n-1].Offset+t.out.Edits[n-1].Cut == from && t.out.Edits[n-1].Text == nil {
		t.out.Edits[n-1].Cut += to - from
		return
	}
	t.out.Edits = append(t.out.Edits, edit.Edit{Offset: from, Cut: to - from})
}

// change reads what the first lines of a change remember of it.
func (t *taker) change(id string) {
	var k struct {
		Change plan.Change `json:"change"`
	}
	if json.Unmarshal(t.text, &k) != nil || k.Change.ID != id || k.Change.Check() != nil {
		t.out.Lost = append(t.out.Lost, id)
		return
	}
	if k.Change.BeforeLine > 0 {
		k.Change.BeforeLine = t.left + 1
	}
	t.out.Plan.Changes = append(t.out.Plan.Changes, k.Change)
}

// ear reads what an ear's block remembers of it.
func (t *taker) ear() {
	kind, id, _ := strings.Cut(t.id, " ")
	t.until, t.id = "", ""
	switch kind {
	case "":
		return
	case "change":
		t.change(id)
		return
	case "back":
		for i := range t.out.Plan.Changes {
			if c := &t.out.Plan.Changes[i]; c.ID == id && c.UntilLine > 0 {
				c.UntilLine = t.left + 1
			}
		}
		return
	}
	var k kept
	if json.Unmarshal(t.text, &k) != nil || k.Ear.ID != id {
		t.out.Lost = append(t.out.Lost, id)
		return
	}
	if k.Ear.BeforeLine > 0 {
		k.Ear.BeforeLine = t.left + 1
	}
	p := t.out.Plan
	probe := plan.Plan{Format: plan.Format, Ears: []plan.Ear{k.Ear}}
	if k.Filament != nil {
		probe.Filaments = map[string]plan.Filament{k.Ear.Filament: *k.Filament}
	}
	if probe.Check() != nil {
		t.out.Lost = append(t.out.Lost, id)
		return
	}
	if k.Filament != nil {
		p.Filaments[k.Ear.Filament] = *k.Filament
	}
	if k.Was != nil && k.Was.Check() == nil {
		p.First, p.Filaments[k.From] = k.From, *k.Was
	}
	p.Ears = append(p.Ears, k.Ear)
}
