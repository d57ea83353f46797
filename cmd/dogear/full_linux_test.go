package main

import (
	"os"
	"path/filepath"
	"testing"

	"dogear/demo"
)

// TestFullDisk ends with an error where what is printed finds no room.
func TestFullDisk(t *testing.T) {
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	name := filepath.Join(t.TempDir(), "wall.gcode")
	if err := os.WriteFile(name, file, 0o600); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{"layers", name}, {"layers", name, "--json"},
		{"landmarks", name}, {"landmarks", name, "--json"}, {"explain", name},
		{"explain", name, "--line", "300", "--json"}, {"pickup", name, "--layer", "9", "-o", "-"}} {
		full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
		if err != nil {
			t.Skip(err)
		}
		cmd := program(args...)
		cmd.Stdout = full
		if err := cmd.Run(); err == nil {
			t.Errorf("%v ends well", args)
		}
		full.Close()
	}
}
