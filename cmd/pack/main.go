// Command pack makes the archives of a release: for each system a program that needs nothing
// else, how to start it, and the licences of all that is in it, with checksums beside them.
//
//	go run ./cmd/pack -o dist            all systems
//	go run ./cmd/pack -o dist -for linux/amd64
//
// Two runs on the same commit give the same bytes, wherever the folder lies: paths are left out
// of the programs, and every entry bears the day of the commit.
package main

import (
	"crypto/sha256"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
)

// targets are the systems and processors that there is a program for.
var targets = []string{"linux/amd64", "linux/arm64", "darwin/amd64", "darwin/arm64",
	"windows/amd64", "windows/arm64"}

func main() {
	out := flag.String("o", "dist", "folder for the archives")
	only := flag.String("for", "", "one target, as linux/amd64; all when left out")
	version := flag.String("version", "", "what the program says it is; the tag when left out")
	flag.Parse()
	if err := run(*out, *only, *version); err != nil {
		fmt.Fprintln(os.Stderr, "pack:", err)
		os.Exit(1)
	}
}

func run(out, only, version string) error {
	list := targets
	if only != "" {
		if !slices.Contains(targets, only) {
			return fmt.Errorf("%s is no target; there are %s", only, strings.Join(targets, ", "))
		}
		list = []string{only}
	}
	if version == "" {
		v, err := git("describe", "--tags", "--always", "--dirty")
		if err != nil {
			return fmt.Errorf("nothing says which version this is; give -version: %w", err)
		}
		version = v
	}
	if strings.ContainsFunc(version, func(r rune) bool {
		return r <= ' ' || r > '~' || strings.ContainsRune(`/\"':`, r)
	}) {
		return fmt.Errorf("%q is no version", version)
	}
	day, err := commitDay()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	var sums []string
	for _, t := range list {
		name, err := pack(out, t, version, day)
		if err != nil {
			return fmt.Errorf("%s: %w", t, err)
		}
		data, err := os.ReadFile(filepath.Join(out, name))
		if err != nil {
			return err
		}
		sums = append(sums, fmt.Sprintf("%x  %s\n", sha256.Sum256(data), name))
		fmt.Printf("%s  %.1f MB\n", name, float64(len(data))/1e6)
	}
	slices.Sort(sums)
	return os.WriteFile(filepath.Join(out, "SHA256SUMS"), []byte(strings.Join(sums, "")), 0o644)
}

// pack builds the program for a target and puts it into its archive.
func pack(out, target, version string, day time.Time) (string, error) {
	system, processor, _ := strings.Cut(target, "/")
	program := "dogear"
	if system == "windows" {
		program += ".exe"
	}
	tmp, err := os.MkdirTemp("", "dogear-pack-")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(tmp)
	built := filepath.Join(tmp, program)
	env := append(os.Environ(), "GOOS="+system, "GOARCH="+processor, "CGO_ENABLED=0", "GOFLAGS=")
	// Neither the day nor the folder of the build go into the program.
	cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags",
		"-s -w -buildid= -X main.tagged="+version, "-o", built, "dogear/cmd/dogear")
	cmd.Env, cmd.Stderr = env, os.Stderr
	if err := cmd.Run(); err != nil {
		return "", err
	}
	bin, err := os.ReadFile(built)
	if err != nil {
		return "", err
	}
	theirs, err := licences(env)
	if err != nil {
		return "", err
	}
	ours, err := os.ReadFile("LICENSE")
	if err != nil {
		return "", err
	}
	folder := fmt.Sprintf("dogear-%s-%s-%s", version, names[system], processor)
	files := []entry{
		{folder + "/" + program, bin, 0o755},
		{folder + "/README.txt", []byte(starting(system, program)), 0o644},
		{folder + "/LICENSE.txt", ours, 0o644},
		{folder + "/LICENCES-OF-PARTS.txt", theirs, 0o644},
	}
	if system == "windows" {
		return folder + ".zip", zipped(filepath.Join(out, folder+".zip"), files, day)
	}
	if system == "linux" {
		unit, err := os.ReadFile("deploy/dogear.service")
		if err != nil {
			return "", err
		}
		files = append(files, entry{folder + "/dogear.service", unit, 0o644})
	}
	return folder + ".tar.gz", tarred(filepath.Join(out, folder+".tar.gz"), files, day)
}

// names are what people call the systems.
var names = map[string]string{"linux": "linux", "darwin": "macos", "windows": "windows"}

// starting tells how to start the program, in five lines.
func starting(system, program string) string {
	lines := map[string]string{
		"windows": "1. Unpack this folder to where programs of yours are.\n" +
			"2. Double-click %s. Windows may ask whether you trust it: More info, Run anyway.\n" +
			"3. Your shelf opens in the browser. To end Dogear, close the black window.\n" +
			"4. Drop a .gcode file onto the page; or drop one onto %[1]s.\n" +
			"5. \"%[1]s --help\" in a terminal tells what else there is.\n",
		"darwin": "1. Unpack this folder to where programs of yours are.\n" +
			"2. The first time: right-click %s, Open, and say that you trust it.\n" +
			"3. Your shelf opens in the browser. To end Dogear, press Ctrl-C in its terminal.\n" +
			"4. Drop a .gcode file onto the page.\n" +
			"5. \"./%[1]s --help\" in a terminal tells what else there is.\n",
		"linux": "1. Unpack this folder; put %s where programs are, as /usr/local/bin.\n" +
			"2. Start it: %[1]s. Your shelf opens in the browser; Ctrl-C ends it.\n" +
			"3. Drop a .gcode file onto the page; or start %[1]s with a file behind it.\n" +
			"4. On a computer that is always on, dogear.service starts it by itself.\n" +
			"5. \"%[1]s --help\" tells what else there is.\n",
	}
	return "Dogear\n\n" + fmt.Sprintf(lines[system], program)
}

// commitDay is when the commit was made, or what SOURCE_DATE_EPOCH says.
func commitDay() (time.Time, error) {
	text := os.Getenv("SOURCE_DATE_EPOCH")
	if text == "" {
		var err error
		if text, err = git("log", "-1", "--format=%ct"); err != nil {
			return time.Time{}, fmt.Errorf("nothing says of which day this is; set "+
				"SOURCE_DATE_EPOCH: %w", err)
		}
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return time.Time{}, errors.New("SOURCE_DATE_EPOCH is no number of seconds")
	}
	return time.Unix(n, 0).UTC(), nil
}

func git(args ...string) (string, error) {
	out, err := exec.Command("git", args...).Output()
	return strings.TrimSpace(string(out)), err
}
