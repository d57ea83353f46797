// Command dogear marks folds in sliced G-code files: it serves the web
// application and does the same work from the command line.
package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/alecthomas/kong"
)

type cli struct {
	Open      openCmd      `cmd:"" default:"withargs" help:"${main_open}"`
	Demo      demoCmd      `cmd:"" help:"Start with demo data and print the address."`
	Serve     serveCmd     `cmd:"" help:"Start the web application."`
	Alive     aliveCmd     `cmd:"" help:"Say whether the Dogear of a folder answers."`
	Layers    layersCmd    `cmd:"" help:"Say what a file is: its layers and folds."`
	Apply     applyCmd     `cmd:"" help:"Apply a plan to a file and write the result."`
	Pickup    pickupCmd    `cmd:"" help:"Write a file that finishes a failed print."`
	Touch     touchCmd     `cmd:"" help:"Write the touch check file for a pick-up."`
	Bind      bindCmd      `cmd:"" help:"Join pieces of several slicings of one model."`
	Proof     proofCmd     `cmd:"" help:"${main_proof}"`
	Rehearse  rehearseCmd  `cmd:"" help:"Run a file on the simulated printer."`
	Handshake handshakeCmd `cmd:"" help:"Write a short cold file that asks a printer how it stops."`
	Cue       cueCmd       `cmd:"" help:"${main_cue}"`
	Landmarks landmarksCmd `cmd:"" help:"Name folds worth looking at, with reasons."`
	Backup    backupCmd    `cmd:"" help:"Write all that a Dogear holds into one file."`
	Restore   restoreCmd   `cmd:"" help:"Put a backup into an empty folder."`
	Explain   explainCmd   `cmd:"" help:"Say in plain words what the lines of a file do."`

	Completion completionCmd `cmd:"" help:"Print a script by which a shell completes commands."`

	Version kong.VersionFlag `help:"Say which Dogear this is."`
}

// refusal is an error with a code for programs and, if known, a line.
type refusal struct {
	Code string
	Line int64
	Err  error
}

func (r *refusal) Error() string { return r.Err.Error() }
func (r *refusal) Unwrap() error { return r.Err }

func refuse(code string, err error) error { return &refusal{Code: code, Err: err} }

func main() {
	os.Exit(run(os.Args[1:]))
}

// run returns the exit status: 0 done, 1 refused, 2 wrong usage.
func run(args []string) int {
	// What a file of a million layers needs counts more than the time to tidy up.
	debug.SetGCPercent(50)
	var c cli
	status := -1
	k, err := kong.New(&c, kong.Name("dogear"),
		kong.Description("Mark a layer of a sliced file; change what comes after. Line and layer "+
			"numbers count from 1, lengths are mm."),
		helps.CloneWith(kong.Vars{"version": version()}), kong.UsageOnError(),
		kong.Exit(func(n int) { status = n }))
	if err != nil {
		fmt.Fprintln(os.Stderr, "dogear:", err)
		return 2
	}
	ctx, err := k.Parse(negatives(args))
	if status >= 0 {
		return min(status, 2)
	}
	asJSON := slices.Contains(args, "--json")
	if err != nil {
		return fail(refuse("usage", err), asJSON)
	}
	switch name, _, _ := strings.Cut(ctx.Command(), " "); name {
	case "serve", "demo", "open", "backup", "restore": // end in an order of their own
	default:
		defer underWay.arm()()
	}
	err = ctx.Run()
	terminal.broken()
	if errors.Is(err, errSilent) {
		return 1
	} else if err != nil {
		return fail(err, asJSON)
	}
	return 0
}

// stdinPiece stands for the "-" of a piece, which would be taken for a flag. No argument of
// somebody's can hold that byte.
const stdinPiece = "\x00"

// negatives joins a flag with the negative number behind it, which would be
// taken for a flag itself, and marks pieces that come from standard input.
func negatives(args []string) []string {
	var out []string
	for _, a := range args {
		n := len(out)
		if n > 0 && len(a) > 1 && a[0] == '-' && (a[1] >= '0' && a[1] <= '9' || a[1] == '.') &&
			strings.HasPrefix(out[n-1], "--") && !strings.Contains(out[n-1], "=") {
			out[n-1] += "=" + a
			continue
		}
		if strings.HasPrefix(a, "-:") { // a piece of what comes from standard input
			a = stdinPiece + a[1:]
		}
		out = append(out, a)
	}
	return out
}

func fail(err error, asJSON bool) int {
	r := &refusal{Code: "refused", Err: err}
	errors.As(err, &r)
	if asJSON {
		var out struct {
			Error struct {
				Code    string `json:"code"`
				Message string `json:"message"`
				Line    *int64 `json:"line"`
			} `json:"error"`
		}
		out.Error.Code, out.Error.Message = r.Code, err.Error()
		if r.Line > 0 {
			out.Error.Line = &r.Line
		}
		enc := json.NewEncoder(os.Stderr)
		enc.SetEscapeHTML(false)
		_ = enc.Encode(out)
	} else {
		fmt.Fprintln(os.Stderr, "dogear:", err)
	}
	if r.Code == "usage" {
		return 2
	}
	return 1
}
