package finding

import "testing"

func TestCompare(t *testing.T) {
	order := []Level{"", Note, Care, Stop}
	for i, a := range order {
		for k, b := range order {
			if got := a.Compare(b); got != min(max(i-k, -1), 1) {
				t.Errorf("%q to %q: %d", a, b, got)
			}
		}
	}
	all := []Finding{{Level: Note, Line: 1}, {Level: Stop, Line: 2}, {Level: Care, Line: 3},
		{Level: Stop, Line: 4}}
	if f := Gravest(all); f == nil || f.Line != 2 {
		t.Error(f)
	}
	Sort(all)
	for i, line := range []int64{2, 4, 3, 1} {
		if all[i].Line != line {
			t.Fatal(all)
		}
	}
	if f := Gravest(all[2:]); f != nil {
		t.Error(f)
	}
}
