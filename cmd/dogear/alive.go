package main

import (
	"errors"
	"fmt"
	"os"

	"dogear/store"
)

// aliveCmd asks whether the Dogear that works with a folder answers, for whoever watches over it.
type aliveCmd struct {
	Data string `help:"${serve_data}" type:"path" placeholder:"DIR"`
	JSON bool   `help:"Print dogear-alive/1."`
}

// Run succeeds when it does.
func (c *aliveCmd) Run() error {
	dir, err := dataFolder(c.Data)
	if err != nil {
		return err
	}
	base := store.OpenAt(dir)
	if base == "" {
		return refuse("not-running", errors.New("no Dogear works with this folder"))
	}
	if !answers(dir, base) {
		return refuse("not-answering", fmt.Errorf("the Dogear at %s does not answer", base))
	}
	if c.JSON {
		return printJSON(os.Stdout, map[string]string{"format": "dogear-alive/1", "address": base})
	}
	fmt.Println("Dogear answers at", base)
	return nil
}
