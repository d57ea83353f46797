// Command mutants looks for rules of the core that no test would miss: it changes the code in one
// place, a condition, a bound, a continue, a statement that goes, and runs the tests. A change that
// all of them let pass is printed as a survivor.
//
// All changes of a sample are compiled into the tests at once, each behind a switch that the
// environment turns on, so that a change costs a run of tests and no compilation. The tests of a
// change's own package run first, then those of the packages that use it, until one fails.
//
//	go run ./cmd/mutants -n 200 -seed 1
package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"
)

// pkg is a package as go list tells of it.
type pkg struct {
	ImportPath, Dir                                   string
	GoFiles, TestGoFiles, XTestGoFiles, Deps, Imports []string
	TestImports, XTestImports                         []string
}

func main() {
	n := flag.Int("n", 200, "how many changes are tried")
	seed := flag.Uint64("seed", uint64(time.Now().Unix()/86400), "which ones; as the day is, else")
	in := flag.String("in", "./core/...", "packages whose code is changed")
	at := flag.String("at", "", "only places that begin so, such as core/raster/heights.go:5")
	limit := flag.Duration("limit", 10*time.Minute, "begin no change after this")
	flag.Parse()
	if err := run(*n, *seed, *in, *at, *limit); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(n int, seed uint64, in, at string, limit time.Duration) error {
	changed, err := list(in)
	if err != nil {
		return err
	}
	testing, err := list("./core/...", "./demo/...")
	if err != nil {
		return err
	}
	var all []mutant
	for _, p := range changed {
		for _, f := range p.GoFiles {
			m, err := mutantsOf(p, filepath.Join(p.Dir, f))
			if err != nil {
				return err
			}
			all = append(all, m...)
		}
	}
	if at != "" {
		all = slices.DeleteFunc(all, func(m mutant) bool { return !strings.HasPrefix(m.place(), at) })
	}
	rnd := rand.New(rand.NewPCG(seed, 0))
	rnd.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	of := len(all)
	all = apart(all, n)
	dir, err := os.MkdirTemp("", "mutants-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	overlay, err := write(dir, all)
	if err != nil {
		return err
	}
	began := time.Now()
	tests := build(dir, overlay, testing)
	fmt.Printf("%d of %d places, seed %d; tests built in %.0f s\n", len(all), of, seed,
		time.Since(began).Seconds())
	survivors, tried := try(all, testing, tests, began.Add(limit))
	slices.Sort(survivors)
	for _, s := range survivors {
		fmt.Println("survives:", s)
	}
	fmt.Printf("%d tried, %d survive, %.0f s\n", tried, len(survivors), time.Since(began).Seconds())
	return nil
}

func list(patterns ...string) ([]pkg, error) {
	out, err := exec.Command("go", append([]string{"list", "-json"}, patterns...)...).Output()
	if err != nil {
		return nil, err
	}
	var all []pkg
	for d := json.NewDecoder(bytes.NewReader(out)); d.More(); {
		var p pkg
		if err := d.Decode(&p); err != nil {
			return nil, err
		}
		all = append(all, p)
	}
	return all, nil
}

// build compiles the tests of packages, two at a time, and returns where each lies. What cannot be
// compiled, or fails without a change, is left out and said.
func build(dir, overlay string, all []pkg) map[string]string {
	out := map[string]string{}
	var mu sync.Mutex
	each(all, func(p pkg) {
		if len(p.TestGoFiles)+len(p.XTestGoFiles) == 0 {
			return
		}
		bin := filepath.Join(dir, strings.ReplaceAll(p.ImportPath, "/", "_")+".test")
		said, err := exec.Command("go", "test", "-vet=off", "-c", "-overlay", overlay, "-o", bin,
			p.ImportPath).CombinedOutput()
		if err == nil && !passes(p, bin, -1) {
			err = fmt.Errorf("fails as it is")
		}
		mu.Lock()
		defer mu.Unlock()
		if err != nil {
			fmt.Printf("left out: %s: %v\n%s", p.ImportPath, err, said)
			return
		}
		out[p.ImportPath] = bin
	})
	return out
}

// passes reports whether the tests of a package pass with a change, -1 for none. What goes on for
// too long does not.
func passes(p pkg, bin string, change int) bool {
	ctx, end := context.WithTimeout(context.Background(), time.Minute)
	defer end()
	c := exec.CommandContext(ctx, bin, "-test.short", "-test.failfast")
	c.Dir = p.Dir
	c.Env = append(os.Environ(), fmt.Sprintf("DOGEAR_MUTANT=%d", change))
	return c.Run() == nil
}

// try runs the tests for each change and returns the places of those that none has missed.
func try(all []mutant, testing []pkg, tests map[string]string, until time.Time) ([]string, int) {
	var survivors []string
	tried := 0
	var mu sync.Mutex
	each(all, func(m mutant) {
		if time.Now().After(until) {
			return
		}
		survives := true
		for _, p := range usersOf(m.pkg, testing) {
			if bin := tests[p.ImportPath]; bin != "" && !passes(p, bin, m.id) {
				survives = false
				break
			}
		}
		mu.Lock()
		defer mu.Unlock()
		if tried++; survives {
			survivors = append(survivors, m.place()+": "+m.what)
		}
	})
	return survivors, tried
}

// usersOf are the packages whose tests may see a change of a package, the nearest first: its own,
// then those with the fewest imports.
func usersOf(of string, testing []pkg) []pkg {
	deps := map[string][]string{}
	for _, p := range testing {
		deps[p.ImportPath] = append(p.Deps, p.ImportPath)
	}
	sees := func(p pkg) bool {
		for _, im := range slices.Concat([]string{p.ImportPath}, p.Imports, p.TestImports,
			p.XTestImports) {
			if slices.Contains(deps[im], of) {
				return true
			}
		}
		return false
	}
	var out []pkg
	for _, p := range testing {
		if sees(p) {
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b pkg) int {
		if (a.ImportPath == of) != (b.ImportPath == of) {
			if a.ImportPath == of {
				return -1
			}
			return 1
		}
		return cmp.Compare(len(a.Deps), len(b.Deps))
	})
	return out
}

// each calls f for all, as many at once as there are processors.
func each[T any](all []T, f func(T)) {
	todo := make(chan T)
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			for v := range todo {
				f(v)
			}
		})
	}
	for _, v := range all {
		todo <- v
	}
	close(todo)
	wg.Wait()
}
