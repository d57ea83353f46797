package bench

import (
	"bytes"
	"testing"

	"dogear/core/plan"
	"dogear/demo"
	"dogear/demo/demotest"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
)

// TestReadEar reads what forms say of an ear, without a server.
func TestReadEar(t *testing.T) {
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	b := &book.Book{Src: bytes.NewReader(file), Ix: demotest.Index(t, file)}
	kit := &store.Kit{Kit: plan.Kit{Filaments: map[string]plan.Filament{"white": {Name: "Gull white"}},
		Inserts: map[string]plan.InsertPart{"nut": {Name: "Nut", Across: 5.5, Height: 2.4}}}}
	for name, c := range map[string]struct {
		form fields.Form
		want plan.Ear
		says string // why it is refused
	}{
		"a colour": {form: fields.Form{"before": {"5"}, "filament": {"white"}},
			want: plan.Ear{BeforeLayer: 5, Kind: plan.Colour, Filament: "white"}},
		"a colour that is none": {form: fields.Form{"before": {"5"}, "filament": {"blue"}},
			says: "There is no such filament in the Kit."},
		"a plain stop": {form: fields.Form{"before": {"7"}, "kind": {"stop"}},
			want: plan.Ear{BeforeLayer: 7, Kind: plan.Insert}},
		"no kind": {form: fields.Form{"before": {"7"}}, says: "Say what happens there."},
		"another kind": {form: fields.Form{"before": {"7"}, "kind": {"dance"}},
			says: "An ear is a colour change, something to put in, a nozzle swap or own lines."},
		"own lines": {form: fields.Form{"before": {"7"}, "kind": {plan.Own}},
			want: plan.Ear{BeforeLayer: 7, Kind: plan.Own, Lines: []string{fields.Placeholder}}},
		"two nuts": {form: fields.Form{"before": {"9"}, "kind": {plan.Insert}, "all": {"1"},
			"insert": {"nut"}, "count": {"2"}, "pocket": {"1,2", "3,4"}},
			want: plan.Ear{BeforeLayer: 9, Kind: plan.Insert, Count: 2,
				Insert: &plan.InsertPart{Name: "Nut", Across: 5.5, Height: 2.4},
				At:     [][2]float64{{1, 2}, {3, 4}}}},
		"too many": {form: fields.Form{"before": {"9"}, "kind": {plan.Insert}, "all": {"1"},
			"insert": {"nut"}, "count": {"2000"}}, says: "Count: “2000” must be a number from 1 to 1000."},
		"a nozzle, with a comma": {form: fields.Form{"before": {"9"}, "kind": {plan.Nozzle},
			"all": {"1"}, "nozzle": {"0,6"}},
			want: plan.Ear{BeforeLayer: 9, Kind: plan.Nozzle, Nozzle: 0.6}},
		"above the top": {form: fields.Form{"before": {"900"}, "kind": {"stop"}},
			says: "There is no layer 900; this print has 17."},
	} {
		t.Run(name, func(t *testing.T) {
			var e plan.Ear
			err := readEar(c.form, b, &plan.Plan{}, &e, kit)
			if c.says != "" {
				if err == nil || err.Error() != c.says {
					t.Errorf("%v, want %q", err, c.says)
				}
				return
			}
			if err != nil {
				t.Fatal(err)
			}
			if got, want := book.Sign(&e), book.Sign(&c.want); got != want {
				t.Errorf("%+v, want %+v", e, c.want)
			}
		})
	}
}
