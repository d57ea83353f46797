package main

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"time"

	"dogear/store"
)

// openCmd is what Dogear does without a command: it opens somebody's own shelf in the browser.
type openCmd struct {
	File      []string `arg:"" optional:"" help:"G-code files to open; the shelf when left out."`
	Data      string   `help:"${serve_data}" type:"path" placeholder:"DIR"`
	Port      int      `help:"${open_port}" placeholder:"PORT"`
	NoBrowser bool     `name:"no-browser" help:"Only print the address."`
}

// Run opens the shelf in the Dogear that works with the data folder already, or starts one.
func (c *openCmd) Run() error {
	for _, f := range c.File {
		if info, err := os.Stat(f); err != nil || info.IsDir() {
			return refuse("usage", fmt.Errorf("there is no file and no command %q; dogear --help lists "+
				"the commands", f))
		}
	}
	dir, err := dataFolder(c.Data)
	if err != nil {
		return err
	}
	show := func(base string) error {
		at, err := bringIn(dir, base, c.File)
		if c.NoBrowser || browse(at) != nil {
			fmt.Println("Open", at, "in your browser.")
		}
		return err
	}
	if base := store.OpenAt(dir); base != "" && answers(dir, base) {
		fmt.Println("Dogear is open already at", base)
		if err := show(base); err != nil {
			return refuse("refused", err)
		}
		return nil
	}
	return serve(serving{host: "127.0.0.1", port: c.Port, free: c.Port == 0, dir: dir,
		hint: "Press Ctrl+C here to end it.", ready: func(base string) {
			if err := show(base); err != nil {
				fmt.Fprintln(os.Stderr, "dogear:", err)
			}
		}})
}

// dataFolder is where the data lie: where somebody says, else where the system keeps them.
func dataFolder(said string) (string, error) {
	if said != "" {
		return said, nil
	}
	home, err := os.UserConfigDir()
	if err != nil {
		return "", refuse("usage", errors.New("say with --data where to keep the data"))
	}
	return filepath.Join(home, "dogear"), nil
}

// answers reports whether the Dogear of a folder answers at an address.
func answers(dir, base string) bool {
	c := knows(dir)
	c.Timeout = 3 * time.Second
	// Where there is nothing else, as in a container, nobody knows what localhost is.
	r, err := c.Get(strings.Replace(base, "//localhost:", "//127.0.0.1:", 1) + "/healthz")
	if err != nil {
		return false
	}
	defer r.Body.Close()
	return r.StatusCode == http.StatusOK
}

var token = regexp.MustCompile(`<meta name="csrf" content="([^"]+)"`)

// bringIn puts files onto the shelf of a Dogear that runs, as a browser would, and returns the
// page to open: that of a single print once it is read, else the shelf.
func bringIn(dir, base string, files []string) (page string, err error) {
	if len(files) == 0 {
		return base, nil
	}
	jar, err := cookiejar.New(nil)
	if err != nil {
		return base, err
	}
	c := knows(dir)
	c.Jar = jar
	r, err := c.Get(base + "/")
	if err != nil {
		return base, err
	}
	body, err := io.ReadAll(io.LimitReader(r.Body, 1<<20))
	r.Body.Close()
	m := token.FindSubmatch(body)
	if err != nil || m == nil {
		return base, errors.New("this Dogear takes no files from here; drop them on its page")
	}
	var all []error
	id := int64(0)
	for _, f := range files {
		if id, err = send(c, base, string(m[1]), f); err == nil {
			err = read(c, base, id)
		}
		if err != nil {
			all = append(all, fmt.Errorf("%s: %w", filepath.Base(f), err))
		}
	}
	if len(files) > 1 || len(all) > 0 {
		return base, errors.Join(all...)
	}
	return fmt.Sprintf("%s/prints/%d", base, id), nil
}

// send brings one file in and returns its print.
func send(c *http.Client, base, token, name string) (int64, error) {
	f, err := os.Open(name)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return 0, err
	}
	q, err := http.NewRequest(http.MethodPost, base+"/prints", f)
	if err != nil {
		return 0, err
	}
	q.ContentLength = info.Size()
	q.Header.Set("X-Csrf-Token", token)
	q.Header.Set("X-File-Name", url.PathEscape(filepath.Base(name)))
	q.Header.Set("Content-Type", "application/octet-stream")
	q.Header.Set("Accept", "application/json")
	r, err := c.Do(q)
	if err != nil {
		return 0, err
	}
	defer r.Body.Close()
	var answer struct {
		ID    int64
		Error string
	}
	if err := json.NewDecoder(r.Body).Decode(&answer); err != nil || r.StatusCode != 201 {
		return 0, errors.New(cmp.Or(answer.Error, "the file was not taken"))
	}
	return answer.ID, nil
}

// read waits until a print is read, or refused.
func read(c *http.Client, base string, id int64) error {
	for {
		q, err := http.NewRequest(http.MethodGet, fmt.Sprintf("%s/prints/%d/reading", base, id), nil)
		if err != nil {
			return err
		}
		q.Header.Set("Accept", "application/json")
		r, err := c.Do(q)
		if err != nil {
			return err
		}
		var answer struct{ State, Error string }
		err = json.NewDecoder(r.Body).Decode(&answer)
		r.Body.Close()
		switch {
		case err != nil:
			return err
		case answer.State == "ready":
			return nil
		case answer.State != "reading":
			return errors.New(cmp.Or(answer.Error, "the file was not taken"))
		}
		time.Sleep(150 * time.Millisecond)
	}
}

// browse opens a page in the browser of the system, or the one that BROWSER names.
func browse(page string) error {
	var args []string
	switch own := os.Getenv("BROWSER"); {
	case own != "":
		args = []string{own}
	case runtime.GOOS == "windows":
		args = []string{"rundll32", "url.dll,FileProtocolHandler"}
	case runtime.GOOS == "darwin":
		args = []string{"open"}
	default:
		args = []string{"xdg-open"}
	}
	ctx, stop := context.WithTimeout(context.Background(), 20*time.Second)
	defer stop()
	return exec.CommandContext(ctx, args[0], append(args[1:], page)...).Run()
}
