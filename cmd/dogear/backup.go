package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"dogear/store"
)

type backupCmd struct {
	Dir     string `arg:"" help:"Folder with the data of a Dogear; it may be running." type:"path"`
	Out     string `short:"o" required:"" help:"File to write; - for standard output."`
	Force   bool   `help:"Write over an existing OUT."`
	Salvage bool   `help:"Read what can be read of a damaged database, and leave out the rest."`
}

func (c *backupCmd) Run() error {
	work := os.TempDir()
	if c.Out != "-" {
		work = filepath.Dir(c.Out)
	}
	ctx := context.Background()
	err := createAs(c.Out, nil, c.Force, 0o600, func(w io.Writer) error {
		if c.Salvage {
			saved, err := store.Salvage(ctx, c.Dir, work, w)
			if err != nil {
				return err
			}
			fmt.Fprintf(os.Stderr, "%d prints were saved.\n", saved.Prints)
			for _, l := range saved.Lost {
				fmt.Fprintln(os.Stderr, "lost:", l)
			}
		} else if err := store.Backup(ctx, c.Dir, work, w); err != nil {
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
	return err
}

type restoreCmd struct {
	File string `arg:"" help:"A backup; - for standard input."`
	Dir  string `arg:"" help:"Folder to put it into; nothing of a Dogear may be in it." type:"path"`
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
	if err := store.Restore(context.Background(), in, c.Dir); err != nil {
		return refuse("restore", fmt.Errorf("%s: %w", c.Dir, err))
	}
	return nil
}
