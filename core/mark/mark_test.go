package mark

import (
	"errors"
	"fmt"
	"strings"
	"testing"
)

func TestParse(t *testing.T) {
	for line, m := range map[string]Mark{
		"; dogear ear a1: Gull white before layer 38": {Kind: Ear, ID: "a1",
			Title: "Gull white before layer 38"},
		"; dogear ear a1 ends":                {Kind: Ear, ID: "a1", Ends: true},
		"; dogear bond a1":                    {Kind: Bond, ID: "a1"},
		"; dogear slow a1: over":              EndsSlow("a1"),
		"; dogear mute 12-14":                 {Kind: Mute, ID: "12-14"},
		"; dogear accepted: by somebody":      {Kind: Accepted, Title: "by somebody"},
		"; dogear accepted ends":              {Kind: Accepted, Ends: true},
		"; dogear joint j1 announced: soon":   {Kind: Joint, ID: "j1 announced", Title: "soon"},
		"; dogear pick-up ends: the original": {Kind: PickUp, Ends: true, Title: "the original"},
		"; dogear ease ends here":             {Kind: Ease, ID: "ends here"},
	} {
		t.Run(line, func(t *testing.T) {
			got, ok := Parse([]byte(line + "\r\n"))
			if !ok || fmt.Sprint(got) != fmt.Sprint(m) || got.Kind != m.Kind || got.ID != m.ID ||
				got.Title != m.Title || got.Ends != m.Ends || m.String() != line {
				t.Errorf("%+v, written %q", got, m.String())
			}
		})
	}
	for _, line := range []string{"", "; dogearing", ";dogear ear a1", "; dogear > {}", "G1 X1"} {
		if m, ok := Parse([]byte(line)); ok {
			t.Errorf("%q is read as %+v", line, m)
		}
	}
}

// sealed writes a block with the seal of its lines.
func sealed(m Mark, lines ...string) string {
	all := append([]string{m.String()}, lines...)
	crc := uint32(0)
	for _, l := range all {
		crc = Sum(crc, []byte(l))
	}
	return strings.Join(append(all, Seal(crc), Mark{Kind: m.Kind, ID: m.ID, Ends: true}.String()),
		"\n") + "\n"
}

// TestBelieved believes what stands in a block whose seal fits, and nothing else.
func TestBelieved(t *testing.T) {
	ear := sealed(Mark{Kind: Ear, ID: "a1", Title: "stop"}, "; dogear bond a1", "G1 X1 E1",
		"; dogear bond a1 ends")
	slow := sealed(Mark{Kind: Slow, ID: "a1", Title: "bridge"}, "M220 S50")
	for name, c := range map[string]struct {
		text   string
		marks  string
		broken string
	}{
		"a block":         {"G28\n" + ear + "G1 X2\n", "2 ear 3 bond 5 bond ends 7 ear ends", ""},
		"two":             {slow + ear, "1 slow 4 slow ends 5 ear 6 bond 8 bond ends 10 ear ends", ""},
		"changed":         {strings.Replace(ear, "E1", "E15", 1), "", "1 ear"},
		"made up":         {"; dogear slow x\nM220 S300\nG1 X2\n", "", "1 slow"},
		"bond alone":      {"; dogear bond x\nG1 X2 E3\n; dogear bond x ends\n", "", ""},
		"without its end": {strings.TrimSuffix(ear, "; dogear ear a1 ends\n"), "", "1 ear"},
		"of another id":   {strings.Replace(slow, "slow a1 ends", "slow a2 ends", 1), "", "1 slow"},
		"behind a false one": {"; dogear ear a0: x\nG1 X1\n" + slow, "3 slow 6 slow ends",
			"1 ear"},
	} {
		t.Run(name, func(t *testing.T) {
			marks, broken, err := Believed(strings.NewReader(c.text))
			if err != nil || words(marks) != c.marks || words(broken) != c.broken {
				t.Errorf("%q %q %v", words(marks), words(broken), err)
			}
		})
	}
	if _, _, err := Believed(strings.NewReader(strings.Repeat("; dogear ear a: x\n",
		maxFalse+1))); !errors.Is(err, ErrFalse) {
		t.Error(err)
	}
	if _, _, err := Believed(strings.NewReader(strings.Repeat("; dogear ear a: x\n",
		maxFalse))); err != nil {
		t.Error(err)
	}
}

func words(marks []Placed) string {
	var out []string
	for _, m := range marks {
		s := fmt.Sprint(m.Line, " ", m.Kind)
		if m.Ends {
			s += ends
		}
		out = append(out, s)
	}
	return strings.Join(out, " ")
}

// TestRemember keeps what is remembered in lines that small firmware reads, and gets it back.
func TestRemember(t *testing.T) {
	text := JSON(map[string]string{"note": strings.Repeat("low water ", 40) + "; (é*%)"})
	var back []byte
	for _, l := range Remember(text) {
		p, ok := Remembers([]byte(l))
		if !ok || len(l) > 96 || strings.HasSuffix(l, " ") || strings.ContainsAny(l[1:], ";()*%") {
			t.Errorf("%q", l)
		}
		back = append(back, p...)
	}
	if string(back) != string(text) {
		t.Error("it does not come back")
	}
}

// TestTakesOut tells what goes when the original is to come back.
func TestTakesOut(t *testing.T) {
	for line, want := range map[string]bool{"; dogear ear a: x": true, "; dogear accepted: x": true,
		"; dogear muted: G1": true, "; dogear was 00000000: G1": true, "; dogear joint j: x": false,
		"; dogear pick-up: x": false, "; dogear bond a": false, "; dogear brim: x": false} {
		if m, _ := Parse([]byte(line)); m.TakesOut() != want {
			t.Errorf("%q: %v", line, !want)
		}
	}
}

// TestFindPlaces looks at where blocks lie: behind long lines, behind what only looks like ours,
// and where the file had no end.
func TestFindPlaces(t *testing.T) {
	block := sealed(Mark{Kind: Slow, ID: "a1", Title: "bridge"}, "M220 S50")
	open := strings.Replace(block, "\n; dogear slow a1 ends", open+"\n; dogear slow a1 ends", 1)
	mute := sealed(Mark{Kind: Mute, ID: "2-2"})
	mute = strings.Replace(mute, "; dogear mute 2-2 ends", "; dogear mute 2 ends", 1)
	kept := muted + "G1 X1\n"
	crc := Sum(Sum(0, []byte("G1 X1")), []byte("; dogear mute 2-2"))
	left := kept + "; dogear mute 2-2\n" + Seal(crc) + "\n; dogear mute 2 ends\n"
	long := strings.Repeat("; long ", 20_000) + "\n"
	for name, c := range map[string]struct {
		text         string
		line, before int64
		from, ends   int64
		muted        int
	}{
		"at the beginning":     {block, 1, 0, 0, 0, 0},
		"behind a long line":   {long + "G28\r\n" + block, 3, 2, int64(len(long) + 5), 2, 0},
		"behind an empty line": {"\r\n" + open, 2, 1, 2, 2, 0},
		"with a muted line":    {"G28\n" + left, 3, 2, int64(4 + len(kept)), 1, 1},
		"behind a rewritten line": {kept + WasLine("G1 X1", "G1 X2") + "\nG1 X2\n" + mute, 4, 2,
			int64(len(kept + WasLine("G1 X1", "G1 X2") + "\nG1 X2\n")), 1, 0},
		"behind a muted line of the file's own": {kept + "G28\n" + mute, 3, 2,
			int64(len(kept) + 4), 1, 0},
	} {
		t.Run(name, func(t *testing.T) {
			var got []*Block
			err := Find(strings.NewReader(c.text), func(b *Block) error {
				got = append(got, b)
				return nil
			}, func(r *Rewritten) error {
				if string(r.Was) != "G1 X1" || string(r.LineEnd) != "\n" {
					t.Errorf("%q %q", r.Was, r.LineEnd)
				}
				return nil
			})
			if err != nil || len(got) != 1 || !got[0].Sealed {
				t.Fatalf("%v %+v", err, got)
			}
			b := got[0]
			if b.Line != c.line || b.Before != c.before || b.Offset != c.from || b.LineEnd != c.ends ||
				b.End != int64(len(c.text)) || len(b.Muted) != c.muted ||
				b.Last != int64(strings.Count(c.text, "\n")) {
				t.Errorf("%+v", b)
			}
		})
	}
	// A joint belongs to the bound file: what comes behind it lies that much further down.
	joint := sealed(Mark{Kind: Joint, ID: "j"}, "M0")
	var before []int64
	if err := Find(strings.NewReader("G28\n"+joint+block), func(b *Block) error {
		before = append(before, b.Before)
		return nil
	}, nil); err != nil || fmt.Sprint(before) != "[1 5]" {
		t.Error(before, err)
	}
	for text, want := range map[string]string{"\uffff": `"\uffff"`, "\U00010000": `"\ud800\udc00"`,
		"é~ ;": `"\u00e9~ \u003b"`} {
		if got := string(JSON(text)); got != want {
			t.Errorf("%q is written %s, want %s", text, got, want)
		}
	}
}
