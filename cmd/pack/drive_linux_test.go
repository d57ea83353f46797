package main

import (
	"bufio"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"
)

// drive starts the program where there is nothing else at all, as somebody who owns nothing, and
// goes from a file to what is written of it.
func drive(t *testing.T, program []byte) {
	t.Helper()
	if os.Geteuid() != 0 {
		t.Log("not root: the program is not tried in an empty root")
		return
	}
	root := t.TempDir()
	const nobody = 65532
	file := "M104 S210\nM109 S210\nG28\nM83\nG1 Z0.2 F600\nG0 X10 Y10\nG1 X50 E2\nG1 Y50 E2\n" +
		"G1 Z0.4\nG0 X10 Y10\nG1 X50 E2\nG1 Y50 E2\nM104 S0\n"
	plan := `{"format":"dogear-plan/1","ears":[{"id":"a","before_layer":2,"kind":"own lines",` +
		`"lines":["M117 tide"]}]}`
	for name, data := range map[string]string{"dogear": string(program), "a.gcode": file,
		"p.json": plan} {
		if err := os.WriteFile(filepath.Join(root, name), []byte(data), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Mkdir(filepath.Join(root, "data"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.Chown(filepath.Join(root, "data"), nobody, nobody); err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(filepath.Dir(root), 0o755); err != nil {
		t.Fatal(err)
	}
	dogear := func(args ...string) *exec.Cmd {
		c := exec.Command("/dogear", args...)
		c.Path, c.Dir, c.Env = "/dogear", "/", []string{"DOGEAR_PASSPHRASE=tide and lantern",
			"TMPDIR=/data", "SQLITE_TMPDIR=/data"}
		c.SysProcAttr = &syscall.SysProcAttr{Chroot: root,
			Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
		return c
	}
	for _, try := range []struct {
		args []string
		want string
	}{
		{[]string{"--version"}, "v0.0.1-test"},
		{[]string{"layers", "/a.gcode"}, "2 layers"},
		{[]string{"apply", "/a.gcode", "--plan", "/p.json", "-o", "/data/out.gcode"}, ""},
		{[]string{"proof", "/a.gcode", "/data/out.gcode"}, ""},
	} {
		out, err := dogear(try.args...).CombinedOutput()
		if err != nil || !strings.Contains(string(out), try.want) {
			t.Errorf("%v: %v\n%s", try.args, err, out)
		}
	}
	if out, err := dogear("alive", "--data", "/data").CombinedOutput(); err == nil {
		t.Errorf("nobody serves yet: %s", out)
	}
	c := dogear("serve", "--host", "0.0.0.0", "--port", "0", "--data", "/data")
	pipe, err := c.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() {
		_ = c.Process.Signal(syscall.SIGTERM)
		_ = c.Wait()
	}()
	at := ""
	for lines := bufio.NewScanner(pipe); at == "" && lines.Scan(); {
		at = regexp.MustCompile(`http://\S+`).FindString(lines.Text())
	}
	client := http.Client{Timeout: 10 * time.Second}
	r, err := client.Get(at + "/")
	if err != nil {
		t.Fatal(err)
	}
	page, err := io.ReadAll(r.Body)
	r.Body.Close()
	if err != nil || !strings.Contains(string(page), "passphrase") {
		t.Errorf("%d %v: no page asks for the passphrase", r.StatusCode, err)
	}
	if out, err := dogear("alive", "--data", "/data").CombinedOutput(); err != nil ||
		!strings.Contains(string(out), "answers") {
		t.Errorf("it serves: %v %s", err, out)
	}
}
