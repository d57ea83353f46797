package main

import (
	"runtime/debug"
	"strings"
)

// tagged is the version of a release; the build of one sets it (cmd/pack).
var tagged string

// version says which Dogear this is, from what the build noted about itself: the tag it was
// built from, else the commit and its day.
func version() string {
	b, ok := debug.ReadBuildInfo()
	if !ok {
		return "dogear, of an unknown build"
	}
	set := map[string]string{}
	for _, s := range b.Settings {
		set[s.Key] = s.Value
	}
	words := []string{"dogear"}
	switch v := b.Main.Version; {
	case tagged != "":
		words = append(words, tagged)
	case v != "" && v != "(devel)":
		words = append(words, v)
	case set["vcs.revision"] != "":
		words = append(words, "at", set["vcs.revision"][:min(12, len(set["vcs.revision"]))])
	default:
		words = append(words, "of the working folder")
	}
	if day, _, ok := strings.Cut(set["vcs.time"], "T"); ok {
		words = append(words, "of", day)
	}
	if set["vcs.modified"] == "true" {
		words = append(words, "with changes")
	}
	return strings.Join(append(words, "("+b.GoVersion+", "+set["GOOS"]+"/"+set["GOARCH"]+")"), " ")
}
