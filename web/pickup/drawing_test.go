package pickup_test

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"dogear/web/webtest"
)

// TestGlueSheet draws the face that a loose top is glued onto as large as it is: the wall is
// 60 mm long between the middles of its outer lines, and so is the drawing.
func TestGlueSheet(t *testing.T) {
	c, p := webtest.WallOnShelf(t)
	u := p + "/pickup"
	c.Steps(t, []webtest.Step{
		{u + "/evidence", []string{"kind", "touch", "value", "9"}, 200, "Proposed"},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
		{u + "/choice", []string{"loose", "1"}, 200, "Write the loose top"},
		{u + "/write", nil, 200, ""},
	})
	page := c.Page(t, p+"/pickups/1", "Where it is glued", "stroke-dasharray",
		"print this page at 100 %")
	_, page, _ = strings.Cut(page, "Where it is glued")
	page, _, _ = strings.Cut(page, "</svg>")
	find := func(what string) float64 {
		t.Helper()
		m := regexp.MustCompile(what).FindStringSubmatch(page)
		if m == nil {
			t.Fatal(what, "is not there")
		}
		v, err := strconv.ParseFloat(m[1], 64)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	wide, units := find(`<svg width="([\d.]+)mm"`), find(`viewBox="0 0 ([\d.]+) `)
	bar := find(`M12 [\d.]+h([\d.]+)"`)
	if got := bar / units * wide; math.Abs(got-10) > 1e-6 {
		t.Errorf("the line of 10 mm is %g mm long", got)
	}
	left, right := math.Inf(1), 0.0
	for _, m := range regexp.MustCompile(`[ML]([\d.]+) `).FindAllStringSubmatch(page, -1) {
		if x, err := strconv.ParseFloat(m[1], 64); err == nil {
			left, right = min(left, x), max(right, x)
		}
	}
	if got := (right - left) / units * wide; math.Abs(got-58.3) > 0.1 {
		t.Errorf("the face is drawn %g mm long (%g to %g of %g)", got, left, right, units)
	}
}
