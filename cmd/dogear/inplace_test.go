package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"dogear/demo"
)

// TestInPlace applies a plan to a file where it lies, again, and onto another
// slicing under the same name.
func TestInPlace(t *testing.T) {
	file, planFile, _ := files(t, "")
	dir := filepath.Dir(file)
	plate, _ := demo.Slice(demo.Hollows(0.2), demo.DialectNamed("plain"))
	finer, _ := demo.Slice(demo.Hollows(0.25), demo.DialectNamed("round"))
	write := func(name string, b []byte) {
		t.Helper()
		if err := os.WriteFile(name, b, 0o640); err != nil {
			t.Fatal(err)
		}
	}
	read := func(name string) []byte {
		t.Helper()
		b, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	file = filepath.Join(dir, "hollows.gcode")
	write(file, plate)
	write(planFile, []byte(`{"format":"dogear-plan/1","file":{"sha256":"00","name":"other.gcode"},`+
		`"ears":[{"id":"a1","before_layer":30,"z":9.6,"seen":{"kind":"closes","at":[116,110]},`+
		`"kind":"insert"}]}`))
	var rep struct {
		Out  string
		Ears []struct {
			Layer int `json:"before_layer"`
		}
	}
	once := func() []byte {
		t.Helper()
		code, out, errs := dogear(t, "apply", file, "--plan", planFile, "--in-place", "--json")
		if code != 0 {
			t.Fatal(code, errs)
		}
		if err := json.Unmarshal([]byte(out), &rep); err != nil || rep.Out != file || len(rep.Ears) != 1 {
			t.Fatal(err, out)
		}
		if st, err := os.Stat(file); err != nil || st.Mode().Perm() != 0o640 {
			t.Error(st.Mode(), err)
		}
		return read(file)
	}
	first := once()
	if !bytes.Equal(read(file+".orig"), plate) || !bytes.Contains(first,
		[]byte("; dogear ear a1")) || rep.Ears[0].Layer != 49 {
		t.Errorf("before layer %d", rep.Ears[0].Layer)
	}
	if second := once(); !bytes.Equal(first, second) || !bytes.Equal(read(file+".orig"), plate) {
		t.Error("twice is not the same as once")
	}
	write(file, finer) // sliced again
	once()
	if !bytes.Equal(read(file+".orig"), finer) || rep.Ears[0].Layer == 49 {
		t.Errorf("before layer %d", rep.Ears[0].Layer)
	}
	// What cannot be done leaves the file as it is.
	write(file, plate)
	for _, c := range []struct{ plan, says string }{
		{`{"format":"dogear-plan/1","file":{"sha256":"00"},"ears":[{"id":"a1","before_layer":30,` +
			`"z":960,"kind":"insert"}]}`, "nothing of the plan has a place"},
		{`{"format":"dogear-plan/1","ears":[{"id":"a1","before_layer":3000,"kind":"insert"}]}`,
			"no layer 3000"},
		{`{`, "not JSON"},
	} {
		t.Run(c.says, func(t *testing.T) {
			write(planFile, []byte(c.plan))
			if code, _, errs := dogear(t, "apply", file, "--plan", planFile, "--in-place"); code != 1 ||
				!strings.Contains(errs, c.says) {
				t.Errorf("%d %q, want %q", code, errs, c.says)
			}
			if !bytes.Equal(read(file), plate) {
				t.Error("the file was changed all the same")
			}
		})
	}
	for _, args := range [][]string{{file, "--plan", planFile},
		{file, "--plan", planFile, "--in-place", "-o", "x"}, {"-", "--plan", planFile, "--in-place"}} {
		if code, _, _ := dogear(t, append([]string{"apply"}, args...)...); code != 2 {
			t.Errorf("%v: %d", args, code)
		}
	}
	left, _ := filepath.Glob(filepath.Join(dir, ".dogear-*"))
	if len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

// TestInPlaceKeepsTheOriginal never lets FILE.orig be anything but what the slicer
// wrote: not after renumbering, not after running again and again, not when comments
// of the file only look like marks.
func TestInPlaceKeepsTheOriginal(t *testing.T) {
	file, planFile, _ := files(t, "")
	wall, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("numbered"))
	plain, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	write := func(name string, b []byte) {
		t.Helper()
		if err := os.WriteFile(name, b, 0o640); err != nil {
			t.Fatal(err)
		}
	}
	read := func(name string) string {
		b, _ := os.ReadFile(name)
		return string(b)
	}
	write(planFile, []byte(`{"format":"dogear-plan/1","ears":[{"id":"a1","before_layer":9,`+
		`"kind":"insert"},{"id":"a2","before_layer":12,"kind":"own lines","lines":["M117 low water"]}]}`))
	runs := 3
	if testing.Short() {
		runs = 2
	}
	for name, c := range map[string]struct {
		wall []byte
		args []string
	}{
		"plain": {plain, nil}, "numbered": {wall, nil}, "plain, renumbered": {plain,
			[]string{"--renumber"}}, "numbered, renumbered": {wall, []string{"--renumber"}},
		"no last end": {bytes.TrimRight(plain, "\n"), nil},
	} {
		t.Run(name, func(t *testing.T) {
			write(file, c.wall)
			os.Remove(file + ".orig")
			last := ""
			for k := range runs {
				if code, _, errs := dogear(t, append([]string{"apply", file, "--plan", planFile,
					"--in-place"}, c.args...)...); code != 0 {
					t.Fatalf("%d: %s", k, errs)
				}
				if got := read(file + ".orig"); got != string(c.wall) {
					t.Fatalf("after %d runs FILE.orig is not what the slicer wrote", k+1)
				}
				if k > 0 && read(file) != last {
					t.Error("the second run is not the same as the first")
				}
				last = read(file)
			}
			// Its numbers cannot be had back without what lies beside it.
			if len(c.args) > 0 {
				os.Remove(file + ".orig")
				if code, _, errs := dogear(t, append([]string{"apply", file, "--plan", planFile,
					"--in-place"}, c.args...)...); code != 1 || !strings.Contains(errs, "left as it is") ||
					read(file) != last || read(file+".orig") != "" {
					t.Errorf("%d %s", code, errs)
				}
			}
		})
	}
	for _, fake := range []string{"; dogear ear x: tide\n",
		"; dogear ear a1 ends\n; dogear muted: G28\n", "; dogear was 00000000: M104 S1\n"} {
		foreign := strings.Replace(string(plain), "\n", "\n"+fake, 3)
		write(file, []byte(foreign))
		os.Remove(file + ".orig")
		if code, _, errs := dogear(t, "apply", file, "--plan", planFile, "--in-place"); code != 1 ||
			!strings.Contains(errs, "left as it is") {
			t.Errorf("%q: %d %s", fake, code, errs)
		}
		if read(file) != foreign || read(file+".orig") != "" {
			t.Errorf("%q: something was written all the same", fake)
		}
	}
}

// TestAccept lets one finding pass by its name, and no other way.
func TestAccept(t *testing.T) {
	file, planFile, out := files(t, "")
	if err := os.WriteFile(planFile, []byte(`{"format":"dogear-plan/1","ears":[{"id":"a",`+
		`"before_layer":9,"kind":"own lines","lines":["M502"]}]}`), 0o600); err != nil {
		t.Fatal(err)
	}
	code, _, errs := dogear(t, "apply", file, "--plan", planFile, "-o", out, "--json")
	var e struct {
		Error struct {
			Code string
			Line int64
		}
	}
	if err := json.Unmarshal([]byte(errs), &e); err != nil || code != 1 ||
		e.Error.Code != "settings-lost" {
		t.Fatal(code, errs)
	}
	if _, err := os.Stat(out); err == nil {
		t.Error("it was written all the same")
	}
	for _, name := range []string{"settings-lost", "settings-lost@x", "@3"} {
		if code, _, _ := dogear(t, "apply", file, "--plan", planFile, "-o", out, "--accept",
			name); code != 2 {
			t.Errorf("%q: %d", name, code)
		}
	}
	name := fmt.Sprintf("settings-lost@%d", e.Error.Line)
	if code, _, errs := dogear(t, "apply", file, "--plan", planFile, "-o", out, "--accept",
		"drag@1", "--accept", "settings-lost@1"); code != 1 {
		t.Error(code, errs)
	}
	if code, _, errs := dogear(t, "apply", file, "--plan", planFile, "-o", out, "--accept",
		name); code != 0 {
		t.Fatal(errs)
	}
	if b, _ := os.ReadFile(out); !bytes.Contains(b, []byte("; "+name+" ")) {
		t.Error("the file does not say what was accepted")
	}
}

// TestWatch finds a new file in a folder once it has stopped growing.
func TestWatch(t *testing.T) {
	dir := t.TempDir()
	plate, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	planFile := filepath.Join(dir, "plan.json")
	for name, b := range map[string][]byte{planFile: []byte(`{"format":"dogear-plan/1",` +
		`"ears":[{"id":"a1","at_height":6,"kind":"insert"}]}`), filepath.Join(dir, "old.gcode"): plate} {
		if err := os.WriteFile(name, b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	var told []string
	w, err := newWatcher(dir, planFile, "", func(file, text string, err error) {
		if err != nil {
			text = err.Error()
		}
		told = append(told, file+": "+text)
	})
	if err != nil {
		t.Fatal(err)
	}
	w.quiet = func(int64) time.Duration { return 0 }
	w.lookOnce(t.Context())
	file := filepath.Join(dir, "new.gcode")
	steps := []struct {
		do   func() error
		told int
	}{
		{func() error { return os.WriteFile(file, plate[:len(plate)/2], 0o600) }, 0},
		{func() error { return os.WriteFile(file, plate, 0o600) }, 0}, // it has grown
		{func() error { return nil }, 1},
		{func() error { return nil }, 1},
		{func() error {
			return os.WriteFile(filepath.Join(dir, "bad.gcode"), []byte("no g-code at all\n"), 0o600)
		}, 1},
		{func() error { return nil }, 2},
		{func() error { return nil }, 2},
		{func() error { return os.WriteFile(file, append(plate, "; sliced again\n"...), 0o600) }, 2},
		{func() error { return nil }, 3},
	}
	for i, s := range steps {
		if err := s.do(); err != nil {
			t.Fatal(err)
		}
		w.lookOnce(t.Context())
		if len(told) != s.told {
			t.Fatalf("step %d: %q", i, told)
		}
	}
	if !strings.Contains(told[0], "new.gcode: 1 ear placed before layer 21") ||
		!strings.Contains(told[1], "bad.gcode: ") {
		t.Errorf("%q", told)
	}
	now, _ := os.ReadFile(file)
	was, _ := os.ReadFile(file + ".orig")
	old, _ := os.ReadFile(filepath.Join(dir, "old.gcode"))
	if !bytes.Contains(now, []byte("; dogear ear a1")) ||
		!bytes.HasSuffix(was, []byte("; sliced again\n")) || !bytes.Equal(old, plate) {
		t.Error("the files are not as they should be")
	}
	if _, err := newWatcher(filepath.Join(dir, "nowhere"), planFile, "", nil); err == nil {
		t.Error("a folder that is not there is watched")
	}
}

// TestUnnumbered takes numbers and checksums off, and leaves nothing running where two
// files differ early: a watched folder compares for weeks.
func TestUnnumbered(t *testing.T) {
	got, err := io.ReadAll(unnumbered(strings.NewReader("N1 G28*18\r\nn2 M117 tide*7 ; low\nG1 X1\n")))
	if want := "G28\r\nM117 tide; low\nG1 X1\n"; err != nil || string(got) != want {
		t.Errorf("%q, want %q", got, want)
	}
	before := runtime.NumGoroutine()
	long := strings.Repeat("G1 X1 Y1 E0.1\n", 20000)
	for range 20 {
		a, b := unnumbered(strings.NewReader("G28\n"+long)), unnumbered(strings.NewReader("G29\n"+long))
		if same, err := equal(a, b); same || err != nil {
			t.Fatal(same, err)
		}
		a.Close()
		b.Close()
	}
	for range 200 {
		if runtime.NumGoroutine() <= before {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	t.Errorf("%d readers still run", runtime.NumGoroutine()-before)
}
