package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"

	"dogear/store"
)

type backupCmd struct {
	Dir     string `arg:"" help:"Folder with the data of a Dogear; it may be running." type:"path"`
	Out     string `short:"o" required:"" help:"${out}" placeholder:"OUT"`
	Force   bool   `help:"Write over an existing OUT."`
	JSON    bool   `help:"Print dogear-backup/1."`
	Salvage bool   `help:"Read what can be read of a damaged database, and leave out the rest."`
}

func (c *backupCmd) Run() error {
	work := os.TempDir()
	if c.Out != "-" {
		work = filepath.Dir(c.Out)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	rep := backupReport{Format: "dogear-backup/1", Out: c.Out, Lost: []string{}}
	err := createAs(c.Out, nil, c.Force, 0o600, func(w io.Writer) error {
		into := io.MultiWriter(w, until{ctx})
		if c.Salvage {
			saved, err := store.Salvage(ctx, c.Dir, work, into)
			if err != nil {
				return err
			}
			rep.Saved, rep.Lost = &saved.Prints, append(rep.Lost, saved.Lost...)
		} else if err := store.Backup(ctx, c.Dir, work, into); err != nil {
			return err
		}
		if f, ok := w.(io.ReadSeeker); ok && c.Out != "-" { // what was written, read again
			if _, err := f.Seek(0, io.SeekStart); err != nil {
				return err
			}
			return store.Verify(f)
		}
		return nil
	})
	if errors.Is(err, store.ErrBroken) {
		err = fmt.Errorf("%w. Say --salvage to save what can be read", err)
	}
	var r *refusal
	if err != nil && !errors.As(err, &r) {
		err = refuse("backup", err)
	}
	switch {
	case err != nil:
		return err
	case c.JSON:
		return printJSON(beside(c.Out), rep)
	case rep.Saved != nil:
		fmt.Fprintf(os.Stderr, "%d prints were saved.\n", *rep.Saved)
		for _, l := range rep.Lost {
			fmt.Fprintln(os.Stderr, "lost:", l)
		}
	}
	return nil
}

// backupReport is dogear-backup/1.
type backupReport struct {
	Format string   `json:"format"`
	Out    string   `json:"out"`
	Saved  *int     `json:"saved"` // prints read out of a damaged database; null for a sound one
	Lost   []string `json:"lost"`
}

type restoreCmd struct {
	File string `arg:"" help:"A backup; - for standard input."`
	Dir  string `arg:"" help:"Folder to put it into; nothing of a Dogear may be in it." type:"path"`
	JSON bool   `help:"Print dogear-restore/1."`
}

func (c *restoreCmd) Run() error {
	in := io.Reader(os.Stdin)
	if c.File != "-" {
		f, err := os.Open(c.File)
		if err != nil {
			return refuse("unreadable", err)
		}
		defer f.Close()
		in = f
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := store.Restore(ctx, in, c.Dir); err != nil {
		return refuse("restore", fmt.Errorf("%s: %w", c.Dir, err))
	}
	if c.JSON {
		return printJSON(os.Stdout, map[string]string{"format": "dogear-restore/1", "dir": c.Dir})
	}
	return nil
}
