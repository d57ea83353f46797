package cue

import "slices"

// fewest is how many steps stops must share for them to stand once.
const fewest = 3

// share takes the steps that all stops have in common out of their rows: they stand once,
// in Common, and each row keeps its Own. Gap stands where rows have steps of their own.
func (s *Sheet) share() {
	var stops []*Row
	for i := range s.Rows {
		if !s.Rows[i].HeadsUp {
			s.Rows[i].Own = s.Rows[i].Steps
			stops = append(stops, &s.Rows[i])
		}
	}
	if len(stops) < 2 {
		return
	}
	common := stops[0].Steps
	for _, r := range stops[1:] {
		common = inBoth(common, r.Steps)
	}
	if len(common) < fewest {
		return
	}
	gaps := make([]bool, len(common)+1)
	for _, r := range stops {
		r.Own = nil
		k := 0
		for _, step := range r.Steps {
			if k < len(common) && step == common[k] {
				k++
				continue
			}
			r.Own = append(r.Own, step)
			gaps[k] = true
		}
	}
	for k, step := range common {
		if gaps[k] {
			s.Common = append(s.Common, Gap)
		}
		s.Common = append(s.Common, step)
	}
	if gaps[len(common)] {
		s.Common = append(s.Common, Gap)
	}
}

// Gap stands in Common where each stop does something of its own.
const Gap = "…"

// inBoth is the longest list of steps that both have, in the same order.
func inBoth(a, b []string) []string {
	// long[i][k] is how many steps a[i:] and b[k:] share.
	long := make([][]int, len(a)+1)
	for i := range long {
		long[i] = make([]int, len(b)+1)
	}
	for i := len(a) - 1; i >= 0; i-- {
		for k := len(b) - 1; k >= 0; k-- {
			if a[i] == b[k] {
				long[i][k] = long[i+1][k+1] + 1
			} else {
				long[i][k] = max(long[i+1][k], long[i][k+1])
			}
		}
	}
	var out []string
	for i, k := 0, 0; i < len(a) && k < len(b); {
		switch {
		case a[i] == b[k]:
			out = append(out, a[i])
			i, k = i+1, k+1
		case long[i+1][k] >= long[i][k+1]:
			i++
		default:
			k++
		}
	}
	return slices.Clip(out)
}
