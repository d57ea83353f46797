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
