package apply

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
)

// Taken is Dogear's own work, taken out of a file it has written: the edits
// that give the original back, byte for byte, and the plan that stood in it.
type Taken struct {
	Edits []edit.Edit
	Plan  *plan.Plan
	// ids of ears whose lines were changed by somebody else, so that they could not be read
	Lost []string
}

// ErrNotOurs is the cause when nothing of Dogear's stands in a file.
var ErrNotOurs = errors.New("nothing that Dogear has written stands in this file")

// mostFalse bounds how many comments may look like the beginning of a block and be
// none: for each the file is read on from there.
const mostFalse = 200

// ErrFalse is the cause when more comments than that look like marks.
var ErrFalse = errors.New("too many comments of this file look like marks of Dogear's and are none")

// TakeOut finds what Dogear has put into a file. Between a begin and an end line
// whose seal fits everything goes; muted lines come back; rewritten lines become what
// the comment in front of them says they were. Comments without a seal that fits
// are the file's own and stay.
func TakeOut(src layer.Source) (*Taken, error) {
	t := &taker{src: src, out: &Taken{Plan: &plan.Plan{Format: plan.Format,
		Filaments: map[string]plan.Filament{}}}}
	t.seek(0)
	for {
		line, err := t.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		if err := t.line(line); err != nil {
			return nil, err
		}
	}
	t.unmute()
	if len(t.out.Edits) == 0 {
		return nil, ErrNotOurs
	}
	edit.Sort(t.out.Edits)
	if err := t.out.Plan.Check(); err != nil {
		return nil, err
	}
	return t.out, nil
}

type taker struct {
	src   layer.Source
	lines *bufio.Reader
	out   *Taken
	off   int64 // behind the line read last
	last  int   // bytes of the line end read last
	left  int64 // lines of the original so far
	false int   // comments that looked like the beginning of a block

	muted []mutedLine // since the last other line
}

// mutedLine is a line that stands as a comment.
type mutedLine struct {
	at, line int64
	text     []byte
}

func (t *taker) seek(off int64) {
	t.off = off
	t.lines = bufio.NewReaderSize(io.NewSectionReader(t.src, off, t.src.Size()-off), 64<<10)
}

// next returns the next line with its end. Of a line that is not ours and longer than
// the buffer only the beginning is kept.
func (t *taker) next() ([]byte, error) {
	line, err := t.lines.ReadSlice('\n')
	if err == bufio.ErrBufferFull {
		ours := bytes.HasPrefix(line, []byte("; dogear "))
		kept, n := bytes.Clone(line), int64(len(line))
		if !ours {
			kept = kept[:64]
		}
		for err == bufio.ErrBufferFull {
			line, err = t.lines.ReadSlice('\n')
			n += int64(len(line))
			if ours {
				kept = append(kept, line...)
			}
		}
		t.off += n
		if err == io.EOF {
			err = nil
		}
		t.last = len(line) - len(bytes.TrimRight(line, "\r\n"))
		if !ours {
			kept = append(kept, line[len(line)-t.last:]...)
		}
		return kept, err
	}
	if len(line) == 0 {
		return nil, cmpErr(err)
	}
	t.off += int64(len(line))
	t.last = len(line) - len(bytes.TrimRight(line, "\r\n"))
	if err == io.EOF {
		err = nil
	}
	return line, err
}

func cmpErr(err error) error {
	if err == nil {
		return io.EOF
	}
	return err
}

func (t *taker) line(s []byte) error {
	at := t.off - int64(len(s))
	bare := bytes.TrimRight(s, "\r\n")
	switch {
	case bytes.HasPrefix(s, []byte(mark.Muted)):
		t.left++
		t.muted = append(t.muted, mutedLine{at, t.left, bytes.Clone(bare[len(mark.Muted):])})
		return nil
	case bytes.HasPrefix(s, []byte(mark.Was)):
		t.unmute()
		return t.was(bytes.Clone(s), at)
	}
	kind, id, until := begins(bare)
	if until == "" {
		t.unmute()
		t.left++
		return nil
	}
	return t.block(kind, id, until, bytes.Clone(bare), at)
}

// unmute forgets muted lines behind which no seal has come: they are comments of the
// file's own.
func (t *taker) unmute() { t.muted = t.muted[:0] }

// block reads a block to its end, and takes it out when its seal fits.
func (t *taker) block(kind, id, until string, first []byte, at int64) error {
	before, behind, prev := t.last, t.off, int64(0)
	crc := uint32(0)
	if kind == "mute" {
		for i := range t.muted {
			crc = mark.Sum(crc, t.muted[i].text)
		}
	}
	crc = mark.Sum(crc, first)
	var text []byte
	want, open := "", false
	for {
		line, err := t.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		bare := bytes.TrimRight(line, "\r\n")
		if rest, ok := bytes.CutPrefix(bare, []byte(mark.Seal)); ok {
			rest, open = bytes.CutSuffix(rest, []byte(mark.Open))
			want = string(rest)
			continue
		}
		if string(bare) == until {
			if want != fmt.Sprintf("%08x", crc) {
				if kind == "ear" || kind == "change" { // somebody has changed it, or made it up
					t.out.Lost = append(t.out.Lost, id)
				}
				break
			}
			t.unmask(kind)
			if open {
				prev = int64(t.before(at))
			}
			t.cut(at-prev, t.off)
			t.took(kind, id, text)
			return nil
		}
		if rest, ok := bytes.CutPrefix(bare, []byte(mark.Kept)); ok {
			text = append(text, rest...)
		}
		crc = mark.Sum(crc, bare)
	}
	// It is a comment of the file's own: read on behind it.
	if t.false++; t.false > mostFalse {
		return ErrFalse
	}
	t.unmute()
	t.left++
	t.seek(behind)
	t.last = before
	return nil
}

// before is how long the line end in front of an offset is.
func (t *taker) before(at int64) int {
	var b [2]byte
	n, _ := t.src.ReadAt(b[:], max(at-2, 0))
	if at < 2 || n < 2 || b[1] != '\n' {
		return int(min(at, 1))
	}
	if b[0] == '\r' {
		return 2
	}
	return 1
}

// unmask brings muted lines back whose block has a seal that fits.
func (t *taker) unmask(kind string) {
	if kind == "mute" {
		m := &t.out.Plan.Mutes
		for i := range t.muted {
			l := &t.muted[i]
			t.cut(l.at, l.at+int64(len(mark.Muted)))
			if n := len(*m); i > 0 && n > 0 {
				(*m)[n-1].To = l.line
			} else {
				*m = append(*m, plan.Span{From: l.line, To: l.line})
			}
		}
	}
	t.unmute()
}

// was reads a rewritten line and the comment in front of it.
func (t *taker) was(s []byte, at int64) error {
	behind := t.off
	code, old, ok := bytes.Cut(bytes.TrimRight(s, "\r\n")[len(mark.Was):], []byte(": "))
	now, err := t.next()
	if err != nil && err != io.EOF {
		return err
	}
	bare := bytes.TrimRight(now, "\r\n")
	if !ok || err == io.EOF || string(code) != fmt.Sprintf("%08x", mark.Sum(mark.Sum(0, old), bare)) {
		t.left++ // a comment of the file's own
		t.seek(behind)
		return nil
	}
	// It gets the line end of the one that replaced it: a last line may have none.
	t.out.Edits = append(t.out.Edits, edit.Edit{Offset: at, Cut: t.off - at,
		Text: append(bytes.Clone(old), now[len(bare):]...)})
	t.left++
	return nil
}

// begins reports what a line of ours opens: kind and id, and the line that ends it.
func begins(bare []byte) (kind, id, until string) {
	for _, what := range []string{"ear", "heads-up", "mute", "over", "slow", "change", "back",
		"accepted"} {
		rest, ok := bytes.CutPrefix(bare, []byte("; dogear "+what))
		if !ok || len(rest) == 0 || bytes.HasSuffix(rest, []byte(" ends")) {
			continue
		}
		if what == "accepted" && rest[0] == ':' {
			return what, "", "; dogear accepted ends"
		}
		if rest[0] != ' ' {
			continue
		}
		name, _, _ := bytes.Cut(rest[1:], []byte(":"))
		if what == "mute" {
			name, _, _ = bytes.Cut(name, []byte("-"))
		}
		return what, string(name), "; dogear " + what + " " + string(name) + " ends"
	}
	return "", "", ""
}

func (t *taker) cut(from, to int64) {
	if n := len(t.out.Edits); n > 0 && t.out.Edits[n-1].Offset+t.out.Edits[n-1].Cut == from &&
		t.out.Edits[n-1].Text == nil {
		t.out.Edits[n-1].Cut += to - from
		return
	}
	t.out.Edits = append(t.out.Edits, edit.Edit{Offset: from, Cut: to - from})
}

// change reads what the first lines of a change remember of it.
func (t *taker) change(id string, text []byte) {
	var k struct {
		Change plan.Change `json:"change"`
	}
	if json.Unmarshal(text, &k) != nil || k.Change.ID != id || k.Change.Check() != nil {
		t.out.Lost = append(t.out.Lost, id)
		return
	}
	if k.Change.BeforeLine > 0 {
		k.Change.BeforeLine = t.left + 1
	}
	t.out.Plan.Changes = append(t.out.Plan.Changes, k.Change)
}

// took books a block that was taken out, with what it remembers.
func (t *taker) took(kind, id string, text []byte) {
	switch kind {
	case "change":
		t.change(id, text)
		return
	case "back":
		for i := range t.out.Plan.Changes {
			if c := &t.out.Plan.Changes[i]; c.ID == id && c.UntilLine > 0 {
				c.UntilLine = t.left + 1
			}
		}
		return
	case "ear":
	default:
		return
	}
	var k mark.Ear
	if json.Unmarshal(text, &k) != nil || k.Ear.ID != id {
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
