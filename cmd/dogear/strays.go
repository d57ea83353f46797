package main

import (
	"errors"
	"os"
	"os/signal"
	"sync"
	"syscall"
)

// strays are temporary files that a command is writing just now: when it is ended by Ctrl-C, or
// told to end, they go.
type strays struct {
	mu    sync.Mutex
	files map[string]bool
}

var underWay strays

// keep takes note of a file that would be a stray; done removes it, unless it has another name by
// then.
func (s *strays) keep(name string) (done func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.files == nil {
		s.files = map[string]bool{}
	}
	s.files[name] = true
	return func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		delete(s.files, name)
		_ = os.Remove(name)
	}
}

// sweep removes them all. From then on none is begun: the lock is kept.
func (s *strays) sweep() {
	s.mu.Lock()
	for name := range s.files {
		_ = os.Remove(name)
	}
}

// arm makes Ctrl-C leave no strays, until disarmed. What serves until it is ended does that by
// itself.
func (s *strays) arm() (disarm func()) {
	c := make(chan os.Signal, 1)
	signal.Notify(c, os.Interrupt, syscall.SIGTERM)
	over := make(chan struct{})
	go func() {
		select {
		case <-over:
		case <-c:
			s.sweep()
			os.Exit(interrupted)
		}
	}()
	return func() {
		signal.Stop(c)
		close(over)
	}
}

// interrupted is the exit status of a command that was ended by Ctrl-C, as shells have it.
const interrupted = 130

// scratchFile is a temporary file that is gone when it is closed; where the system allows it, its
// name is gone at once.
func scratchFile(dir string) (f *os.File, done func(), err error) {
	if f, err = os.CreateTemp(dir, "dogear-*"); err != nil {
		return nil, nil, err
	}
	err = os.Remove(f.Name())
	return f, func() {
		_ = f.Close()
		if err != nil && !errors.Is(err, os.ErrNotExist) {
			_ = os.Remove(f.Name())
		}
	}, nil
}
