// Package fields reads what people write into the fields of forms.
package fields

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"

	"dogear/web/say"
)

// NumberOrBlank is the text of a number in a field; 0 says nothing.
func NumberOrBlank(v float64) string {
	if v == 0 {
		return ""
	}
	return fmt.Sprint(v)
}

// Placeholder stands for a person's own lines until they are written.
const Placeholder = "; your lines"

// Number reads a number of a form; nothing written is the lowest.
func Number(c fiber.Ctx, name string, low, high float64) (float64, error) {
	if strings.TrimSpace(c.FormValue(name)) == "" {
		return low, nil
	}
	v, err := Amount(c.FormValue(name), low, high)
	if err != nil {
		return 0, say.Sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("%s: %v",
			strings.ReplaceAll(name, "_", " "), err))
	}
	return v, nil
}

// Needed reads a number of a form that has to be there.
func Needed(c fiber.Ctx, name, called string, low, high float64) (float64, error) {
	if strings.TrimSpace(c.FormValue(name)) == "" {
		return 0, say.Sentence(fiber.StatusUnprocessableEntity, "say "+called)
	}
	return Number(c, name, low, high)
}

// Amount reads a number that somebody wrote.
func Amount(text string, low, high float64) (float64, error) {
	t := strings.ReplaceAll(strings.TrimSpace(text), ",", ".")
	v, err := strconv.ParseFloat(t, 64)
	if err != nil || !(v >= low && v <= high) {
		return 0, say.Sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("“%s” must be a number "+
			"from %g "+
			"to %g", Clip(t), low, high))
	}
	return v, nil
}

// Clip bounds a text that a person typed.
func Clip(s string) string {
	s = strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r == utf8.RuneError {
			return ' '
		}
		return r
	}, s))
	if r := []rune(s); len(r) > 80 {
		s = string(r[:80])
	}
	return s
}

// Lines splits a text that a person typed into lines, empty ones left out.
func Lines(text string) []string {
	var out []string
	for _, l := range strings.Split(strings.ReplaceAll(text, "\r", ""), "\n") {
		if l = strings.TrimSpace(l); l != "" {
			out = append(out, l)
		}
	}
	return out
}

// Choice is one of several things to choose from.
type Choice struct {
	Key, Name string
	Chosen    bool
}

// Choose is a thing to choose.
func Choose(key, name string, chosen bool) Choice { return Choice{key, name, chosen} }
