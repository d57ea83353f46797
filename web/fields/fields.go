// Package fields reads what people write into the fields of forms.
package fields

import (
	"fmt"
	"net/url"
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

// Form is what somebody has filled in: names and values, as a browser sends them.
type Form url.Values

// Of is the form of a request.
func Of(c fiber.Ctx) Form {
	f := Form{}
	for k, v := range c.Request().PostArgs().All() {
		f[string(k)] = append(f[string(k)], string(v))
	}
	for k, v := range c.Request().URI().QueryArgs().All() {
		f[string(k)] = append(f[string(k)], string(v))
	}
	return f
}

// Value is what a field holds; "" when it is not there.
func (f Form) Value(name string) string { return url.Values(f).Get(name) }

// All are the values of a field that may be there several times.
func (f Form) All(name string) []string { return f[name] }

// Number reads a number; nothing written is the lowest.
func (f Form) Number(name string, low, high float64) (float64, error) {
	if strings.TrimSpace(f.Value(name)) == "" {
		return low, nil
	}
	v, err := Amount(f.Value(name), low, high)
	if err != nil {
		return 0, say.Sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("%s: %v",
			strings.ReplaceAll(name, "_", " "), err))
	}
	return v, nil
}

// Needed reads a number that has to be there; called is what it is asked for by.
func (f Form) Needed(name, called string, low, high float64) (float64, error) {
	if strings.TrimSpace(f.Value(name)) == "" {
		return 0, say.Sentence(fiber.StatusUnprocessableEntity, "say "+called)
	}
	return f.Number(name, low, high)
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
