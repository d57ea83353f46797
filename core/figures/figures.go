// Package figures writes numbers as people read them. The browser writes them the same way
// (web/assets/js/words.js).
package figures

import (
	"fmt"
	"strconv"
)

// Count writes a number with thin spaces between the thousands.
func Count(n int64) string {
	s := strconv.FormatInt(n, 10)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "\u2009" + s[i:]
	}
	return s
}

// Hours writes a time in s as one says it at a printer: seconds, minutes, or hours and minutes.
func Hours(s float64) string {
	m := int(s/60 + 0.5)
	switch {
	case s < 90:
		return fmt.Sprintf("%.0f s", s)
	case m < 60:
		return fmt.Sprintf("%d min", m)
	}
	return fmt.Sprintf("%d h %02d", m/60, m%60)
}

// Seconds writes a short time in s; nothing for hardly any.
func Seconds(s float64) string {
	switch {
	case s < 0.05:
		return ""
	case s < 10:
		return fmt.Sprintf("%.1f s", s)
	case s < 120:
		return fmt.Sprintf("%.0f s", s)
	}
	return fmt.Sprintf("%d min %02d s", int(s+0.5)/60, int(s+0.5)%60)
}

// Clock writes a time into a print, s, as h:mm:ss.
func Clock(s float64) string {
	n := int(s + 0.5)
	return fmt.Sprintf("%d:%02d:%02d", n/3600, n/60%60, n%60)
}
