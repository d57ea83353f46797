package store

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/gofrs/flock"
)

// Files beside the database: one that is locked while a Dogear works with the folder, and
// one in which it says who it is.
const (
	lockName   = "dogear.lock"
	holderName = "dogear.holder"
)

// ErrHeld is the cause when another Dogear works with the folder.
var ErrHeld = errors.New("another Dogear works with this folder")

// hold locks a folder. The lock falls with the process, however it ends.
func hold(dir string) (*flock.Flock, error) {
	l := flock.New(filepath.Join(dir, lockName), flock.SetPermissions(0o600))
	ok, err := l.TryLock()
	if err != nil {
		return nil, fmt.Errorf("locking the folder: %w", err)
	}
	if !ok {
		if who, err := os.ReadFile(filepath.Join(dir, holderName)); err == nil && len(who) > 0 {
			return nil, fmt.Errorf("%w: %s", ErrHeld, strings.TrimSpace(string(who)))
		}
		return nil, ErrHeld
	}
	return l, nil
}

// Hold says to others who works with the folder, and where it answers.
func (s *Store) Hold(address string) error {
	text := fmt.Sprintf("process %d, since %s", os.Getpid(), time.Now().Format("2006-01-02 15:04"))
	if address != "" {
		text += ", open at " + address
	}
	return os.WriteFile(filepath.Join(s.dir, holderName), []byte(text+"\n"), 0o600)
}

// OpenAt returns the address of the Dogear that works with a folder; "" when none does, or does
// not say where it answers.
func OpenAt(dir string) string {
	l := flock.New(filepath.Join(dir, lockName), flock.SetPermissions(0o600))
	if _, err := os.Stat(l.Path()); err != nil {
		return ""
	}
	if ok, err := l.TryLock(); ok || err != nil {
		_ = l.Unlock()
		return ""
	}
	who, err := os.ReadFile(filepath.Join(dir, holderName))
	if err != nil {
		return ""
	}
	_, at, _ := strings.Cut(string(who), ", open at ")
	at, _, _ = strings.Cut(strings.TrimSpace(at), " ")
	return at
}

// unlock lets the folder go.
func (s *Store) unlock() error {
	_ = os.Remove(filepath.Join(s.dir, holderName))
	return s.lock.Unlock()
}

// strays are what a Dogear that was killed may have left in the folder.
var strays = []string{"backup-*", "restore-*", "dogear-upload-*", ".dogear-*"}

// sweep removes strays; the folder is locked.
func sweep(dir string) {
	list, err := os.ReadDir(dir)
	if err != nil {
		return
	}
	for _, e := range list {
		for _, pattern := range strays {
			if ok, _ := filepath.Match(pattern, e.Name()); ok {
				_ = os.RemoveAll(filepath.Join(dir, e.Name()))
			}
		}
	}
}
