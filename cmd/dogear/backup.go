package main

import (
	"context"
	"fmt"
	"io"
	"os"

	"dogear/store"
)

type backupCmd struct {
	Dir   string `arg:"" help:"Folder with the data of a Dogear; it may be running." type:"path"`
	Out   string `short:"o" required:"" help:"File to write; - for standard output."`
	Force bool   `help:"Write over an existing OUT."`
}

func (c *backupCmd) Run() error {
	return create(c.Out, "", c.Force, func(w io.Writer) error {
		if err := store.Backup(context.Background(), c.Dir, w); err != nil {
			return refuse("backup", err)
		}
		return nil
	})
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
