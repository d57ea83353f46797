package main

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/gofrs/flock"
)

// record is what was written at one place: by it a FILE.orig, and marks in FILE, are
// told from those that somebody else has put there. It is kept before the files are given
// their names, so that of each the one before counts too.
type record struct {
	Origs []string  `json:"origs"` // SHA-256 of FILE.orig
	Files []string  `json:"files"` // and of FILE
	At    time.Time `json:"at"`
}

// maxRecords bounds how many places are remembered; the oldest are forgotten.
const maxRecords = 5000

// recordsFile is where the records lie: with the person's other settings, else in the
// folder itself.
func recordsFile(dir string) string {
	if home, err := os.UserConfigDir(); err == nil {
		to := filepath.Join(home, "dogear")
		if os.MkdirAll(to, 0o700) == nil {
			return filepath.Join(to, "in-place.json")
		}
	}
	return filepath.Join(dir, ".dogear.json")
}

func readRecords(name string) map[string]record {
	all := map[string]record{}
	if b, err := os.ReadFile(name); err == nil {
		_ = json.Unmarshal(b, &all) // one that cannot be read knows nothing
	}
	return all
}

// recordOf returns what was written at a place.
func recordOf(file string) (record, bool) {
	r, ok := readRecords(recordsFile(filepath.Dir(file)))[file]
	return r, ok
}

// saveRecord remembers what is written at a place.
func saveRecord(file, orig, made string) error {
	name := recordsFile(filepath.Dir(file))
	lock := flock.New(name + ".lock")
	if err := lock.Lock(); err != nil {
		return err
	}
	defer lock.Unlock()
	all := readRecords(name)
	last := func(list []string, sum string) []string {
		list = append(slices.DeleteFunc(list, func(s string) bool { return s == sum }), sum)
		return list[max(len(list)-2, 0):]
	}
	r := all[file]
	all[file] = record{last(r.Origs, orig), last(r.Files, made), time.Now()}
	if len(all) > maxRecords {
		var ages []time.Time
		for _, r := range all {
			ages = append(ages, r.At)
		}
		slices.SortFunc(ages, time.Time.Compare)
		for f, r := range all {
			if r.At.Before(ages[len(ages)-maxRecords]) {
				delete(all, f)
			}
		}
	}
	return writeWhole(name, all)
}

// writeWhole writes a value as JSON, so that there is always a whole file.
func writeWhole(name string, v any) error {
	b, err := json.Marshal(v)
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(name), ".dogear-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	_, err = f.Write(b)
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}

// sumOf is the SHA-256 of what is read.
func sumOf(r io.Reader) (string, error) {
	h := sha256.New()
	if _, err := io.Copy(h, r); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}
