package draw

import (
	"testing"
)

func TestRuns(t *testing.T) {
	for _, c := range []struct {
		steps, order []int
		want         string
	}{
		{[]int{1}, []int{1, 2}, "1"}, {[]int{1, 2}, []int{1, 2}, "1, 2"},
		{[]int{4, 6, 8}, []int{1, 4, 6, 8, 9}, "4–8"},
		{[]int{1, 2, 3, 9}, []int{1, 2, 3, 4, 9}, "1–3, 9"}, {nil, nil, ""},
	} {
		t.Run(c.want, func(t *testing.T) {
			if got := runs(c.steps, c.order); got != c.want {
				t.Errorf("%v: %q, want %q", c.steps, got, c.want)
			}
		})
	}
}
