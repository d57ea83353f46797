package webtest

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/demo/demotest"
)

// ZipOf is an archive with files of G-code by some names.
func ZipOf(t *testing.T, names ...string) []byte {
	t.Helper()
	var files [][2]string
	for _, n := range names {
		files = append(files, [2]string{n, "M83\nG1 Z.2\nG1 X9 E1\nM104 S0\n"})
	}
	return demotest.Zip(t, files...)
}

// WallOnShelf is a client with the harbour wall on its shelf, and the print's address.
func WallOnShelf(t *testing.T) (*Client, string) {
	t.Helper()
	c := New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	return c, fmt.Sprint("/prints/", c.Upload(file, "wall.gcode"))
}

// SlicesAt puts lines in front of some lines of a text.
func SlicesAt(text []string, put map[int][]string) string {
	var out []string
	for i, l := range text {
		out = append(append(out, put[i]...), l)
	}
	return strings.Join(out, "\n")
}
