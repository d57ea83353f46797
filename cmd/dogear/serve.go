package main

import (
	"context"
	"crypto/sha256"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"dogear/store"
	"dogear/web"
)

type demoCmd struct {
	Port  int     `default:"8080" help:"Port to listen on; 0 takes a free one." placeholder:"PORT"`
	Data  string  `help:"${demo_data}" type:"path" placeholder:"DIR"`
	Fast  float64 `default:"1" help:"${demo_fast}" placeholder:"TIMES"`
	Debug bool    `help:"Log every request."`
}

type serveCmd struct {
	Port  int      `default:"8080" help:"Port to listen on; 0 takes a free one." placeholder:"PORT"`
	Host  string   `default:"127.0.0.1" help:"${serve_host}" placeholder:"ADDRESS"`
	Name  []string `help:"${serve_name}" placeholder:"NAME" sep:"none"`
	TLS   bool     `name:"tls" help:"${serve_tls}"`
	Cert  string   `help:"${serve_cert}" placeholder:"FILE" type:"path"`
	Key   string   `help:"Its key, PEM." placeholder:"FILE" type:"path"`
	New   bool     `name:"new-passphrase" help:"${serve_new}"`
	Data  string   `help:"${serve_data}" type:"path" placeholder:"DIR"`
	Watch []string `help:"${serve_watch}" sep:"none" type:"path" placeholder:"DIR"`
	Plan  []string `help:"${serve_plan}" sep:"none" type:"path" placeholder:"FILE"`
	Debug bool     `help:"Log every request."`
}

// fastest is how many times as fast the time of the demo's watch passes at most.
const fastest = 3600

func (c *demoCmd) Run() error {
	dir := c.Data
	if dir == "" {
		tmp, err := os.MkdirTemp("", "dogear-demo-*")
		if err != nil {
			return refuse("unwritable", err)
		}
		defer os.RemoveAll(tmp)
		dir = tmp
	}
	if !(c.Fast >= 1 && c.Fast <= fastest) {
		return refuse("usage", fmt.Errorf("--fast goes from 1 to %d", fastest))
	}
	return serve(serving{host: "127.0.0.1", port: c.Port, dir: dir, demo: true, debug: c.Debug,
		fast: c.Fast})
}

func (c *serveCmd) Run() error {
	dir, err := dataFolder(c.Data)
	if err != nil {
		return err
	}
	if len(c.Watch) != len(c.Plan) {
		return refuse("usage", errors.New("--watch and --plan go together: a folder, and the plan "+
			"for each new file in it; for another folder both again"))
	}
	return serve(serving{host: c.Host, port: c.Port, dir: dir, debug: c.Debug, watch: c.Watch,
		plan: c.Plan, anew: c.New, names: c.Name,
		secure: c.TLS || c.Cert != "" || c.Key != "", cert: c.Cert, key: c.Key})
}

// daily calls f once a day until the context ends.
func daily(ctx context.Context, f func()) {
	tick := time.NewTicker(24 * time.Hour)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			f()
		}
	}
}

// purgeExpired deletes for good what was taken off the shelf long ago.
func purgeExpired(ctx context.Context, st *store.Store, log *slog.Logger) {
	if err := st.PurgeExpired(ctx); err != nil && ctx.Err() == nil {
		log.Error("deleting what was taken off the shelf", "err", err)
	}
}

// serving is what a server is started with.
type serving struct {
	host        string
	names       []string // others by which this machine is reached
	port        int
	dir         string
	secure      bool // over TLS, with the certificate of the files, or one of its own
	cert, key   string
	demo, debug bool
	fast        float64
	watch, plan []string // folders, and what is laid onto each new file in each of them
	anew        bool     // another passphrase is set
	free        bool     // any free port will do
	ready       func(base string)
	hint        string // said once it is open
}

func serve(o serving) error {
	host, port, dir, withDemo, debug := o.host, o.port, o.dir, o.demo, o.debug
	scheme := "http"
	if o.secure {
		scheme = "https"
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	level := slog.LevelInfo
	if debug {
		level = slog.LevelDebug
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
	st, err := openStore(ctx, dir)
	if err != nil {
		return err
	}
	defer st.Close()
	config, seen, err := o.config(ctx, st, log)
	if err != nil {
		return err
	}
	srv, err := web.New(config)
	if err != nil {
		return err
	}
	l, err := listen(host, port, o.free)
	if err != nil {
		return err
	}
	if err := st.Hold(strings.Join(addresses(scheme, host, l.Addr()), " and ")); err != nil {
		log.Warn("others cannot be told who works with the folder", "err", err)
	}
	if withDemo {
		err = srv.LoadDemo(ctx)
	} else {
		err = srv.LoadKit(ctx)
	}
	if err != nil {
		return err
	}
	if err := srv.Resume(ctx); err != nil {
		return err
	}
	edits := new(sync.WaitGroup)
	defer edits.Wait()
	for i := range o.watch {
		w, err := o.watcher(i, srv, log)
		if err != nil {
			stop() // those that watch already end
			return err
		}
		edits.Go(func() { w.run(ctx) })
	}
	if !loopback(host) {
		srv.ReachedAt(o.reachedAt(scheme, l.Addr()))
	}
	o.greet(strings.Join(addresses(scheme, host, l.Addr()), " and "), seen,
		config.Passphrase != nil)
	go daily(ctx, func() { purgeExpired(ctx, st, log) })
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	if o.ready != nil {
		go o.ready(addresses(scheme, host, l.Addr())[0])
	}
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	log.Info("closing")
	end, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	if err := srv.Shutdown(end); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return nil
}

// config is what the application is made with; seen is the fingerprint of the certificate that
// it shows.
func (o *serving) config(ctx context.Context, st *store.Store, log *slog.Logger) (c web.Config,
	seen string, err error) {
	c = web.Config{Store: st, Log: log, Names: append(names(o.host), o.names...), Temp: o.dir,
		Fast: o.fast}
	if !loopback(o.host) {
		if c.Passphrase, err = passphrase(ctx, st, o.anew); err != nil {
			return c, "", err
		}
	}
	if o.secure {
		cert, err := certificate(o.dir, o.cert, o.key, c.Names)
		if err != nil {
			return c, "", err
		}
		c.TLS = &tls.Config{Certificates: []tls.Certificate{cert}, MinVersion: tls.VersionTLS12}
		seen = fingerprint(cert.Certificate[0])
	}
	return c, seen, nil
}

// reachedAt is the one address that a phone is sent to: by the name that somebody gave, else by
// the first address that is not this machine's own.
func (o *serving) reachedAt(scheme string, at net.Addr) string {
	if _, port, err := net.SplitHostPort(at.String()); err == nil && len(o.names) > 0 {
		return scheme + "://" + net.JoinHostPort(o.names[0], port)
	}
	all := addresses(scheme, o.host, at)
	return all[min(1, len(all)-1)]
}

// greet says where Dogear is open, and what else one needs to know.
func (o *serving) greet(at, seen string, asks bool) {
	fmt.Println("Dogear is open at", at)
	if seen != "" {
		fmt.Printf("Its certificate, SHA-256:\n  %s\nA browser that does not know it warns at first: "+
			"compare these figures, then go on.\n", seen)
	}
	if asks {
		fmt.Println("It asks everybody for the passphrase.")
	}
	if o.hint != "" {
		fmt.Println(o.hint)
	}
}

// listen listens on a port, or, when any will do, on the first free one.
func listen(host string, port int, free bool) (net.Listener, error) {
	if free {
		for p := range firstPorts {
			if l, err := net.Listen("tcp", net.JoinHostPort(host, fmt.Sprint(firstPort+p))); err == nil {
				return l, nil
			}
		}
		port = 0
	}
	l, err := net.Listen("tcp", net.JoinHostPort(host, fmt.Sprint(port)))
	if err != nil {
		return nil, refuse("port", fmt.Errorf("port %d is taken; choose another with --port", port))
	}
	return l, nil
}

// So many ports from the first one on are tried before any free one is taken.
const (
	firstPort  = 8080
	firstPorts = 20
)

// openStore opens the data folder, and says how else to go on when it cannot be had.
func openStore(ctx context.Context, dir string) (*store.Store, error) {
	st, err := store.Open(ctx, dir)
	switch {
	case errors.Is(err, store.ErrHeld):
		return nil, refuse("data", fmt.Errorf("%w. Stop it first, or choose another folder with --data",
			err))
	case errors.Is(err, store.ErrBroken):
		return nil, refuse("data", fmt.Errorf("%w. Two ways out: “dogear restore BACKUP FOLDER” "+
			"puts "+
			"your "+
			"last backup into a new folder; “dogear backup %s -o SAVED --salvage” reads what can be "+
			"read, "+
			"for restoring it", err, dir))
	case err != nil:
		return nil, refuse("data", fmt.Errorf("the data folder %s cannot be used: %w", dir, err))
	}
	return st, nil
}

// watcher watches a folder, and tells on the shelf what was done with its new files.
func (o *serving) watcher(i int, srv *web.Server, log *slog.Logger) (*watcher, error) {
	dir, plan := o.watch[i], o.plan[i]
	memory := "watched.json"
	if i > 0 { // one that is watched at another place remembers by itself
		sum := sha256.Sum256([]byte(dir))
		memory = fmt.Sprintf("watched-%x.json", sum[:6])
	}
	for _, other := range o.watch[:i] {
		if same(dir, other) {
			return nil, refuse("usage", fmt.Errorf("%s is watched already; a folder has one plan", dir))
		}
	}
	shelf := srv.Watching(filepath.Base(dir), filepath.Base(plan))
	return newWatcher(dir, plan, filepath.Join(o.dir, memory), func(file, text string, err error) {
		if err != nil {
			log.Warn("a new file was left as it is", "folder", dir, "file", file, "err", err)
			shelf.Told(file, err.Error(), true)
			return
		}
		log.Info("applied the plan to a new file", "folder", dir, "file", file)
		shelf.Told(file, text, false)
	})
}
