package picture

import (
	"image/color"
	"testing"
)

// TestColours of a plan's picture are those of the cover.
func TestColours(t *testing.T) {
	for s, want := range map[string]color.NRGBA{"#b8362b": {0xb8, 0x36, 0x2b, 255},
		"#FFFFFF": {255, 255, 255, 255}, "red": {138, 143, 145, 255}, "": {138, 143, 145, 255}} {
		if got := rgb(s); got != want {
			t.Errorf("%q: %v, want %v", s, got, want)
		}
	}
	c := color.NRGBA{100, 100, 100, 255}
	for shade, want := range map[uint8]uint8{128: 100, 0: 35, 255: 176} {
		if got := shaded(c, shade); got.R < want-2 || got.R > want+2 || got.A != 255 {
			t.Errorf("shade %d: %v, want about %d", shade, got, want)
		}
	}
}
