// Package say has words for people: lengths, counts and sentences.
package say

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/core/gcode"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Show makes a line of a file fit to be seen: valid text, no line end, not
// endless.
func Show(text []byte) string {
	s := strings.ToValidUTF8(strings.TrimRight(string(text[:min(len(text), 160)]), "\r\n"), "·")
	return strings.Map(func(r rune) rune {
		if r < ' ' {
			return '·'
		}
		return r
	}, s)
}

// OneDecimal writes a length with one decimal when that says it all.
func OneDecimal(mm float64) string {
	return strconv.FormatFloat(float64(int(mm*10+0.5))/10, 'f', -1, 64)
}

// Or is a text, or another one where it says nothing.
func Or(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

// Metres writes a length of filament.
func Metres(mm float64) string {
	if mm < 1000 {
		return fmt.Sprintf("%.0f mm", mm)
	}
	return fmt.Sprintf("%.2f m", mm/1000)
}

// KindWords says what each kind of ear is for.
var KindWords = map[string]string{plan.Colour: "Colour", plan.Insert: "Put in",
	plan.Nozzle: "Nozzle", plan.Own: "Own lines"}

// ASCII is a text for headers that hold nothing else.
func ASCII(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' || r == '"' || r == '\\' {
			return '_'
		}
		return r
	}, s)
}

// Code is a line without its explanation.
func Code(l *routine.Line) string {
	if l.Why == "" {
		return l.Text
	}
	return strings.TrimSuffix(l.Text, " ; "+l.Why)
}

// Sentence is an error for the person, with a status.
func Sentence(code int, text string) error { return fiber.NewError(code, Upper(text)) }

// Upper makes a sentence of a text.
func Upper(s string) string {
	if s == "" {
		return s
	}
	r, n := utf8.DecodeRuneInString(s)
	s = string(unicode.ToUpper(r)) + s[n:]
	if last := s[len(s)-1]; last != '.' && last != '!' && last != '?' {
		s += "."
	}
	return s
}

// LayersWord writes how many layers there are.
func LayersWord(n int) string {
	if n == 1 {
		return "1 layer"
	}
	return figures.Count(int64(n)) + " layers"
}

// Trimmed writes a height with one decimal when that says it all.
func Trimmed(n gcode.Nano) string {
	return string(gcode.AppendMM(nil, gcode.Nano(math.Round(float64(n)/1e4))*1e4, 1))
}

// Millimetres writes a height or length with at least two decimals.
func Millimetres(n gcode.Nano) string {
	n = gcode.Nano(math.Round(float64(n)/1e3)) * 1e3
	return n.String()
}
