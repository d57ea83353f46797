package web_test

import (
	"bytes"
	"context"
	"fmt"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/web/webtest"
)

// best runs f a few times and returns the shortest time it took.
func best(f func()) time.Duration {
	d := time.Duration(1 << 62)
	for range 7 {
		t := time.Now()
		f()
		d = min(d, time.Since(t))
	}
	return d
}

// BenchmarkPages compares what somebody waits for with what it is made of, in one run: the page
// of a fold with decoding its two layers, the margin of fifty ears with that of five, the
// shelf of a hundred prints with that of ten.
func BenchmarkPages(b *testing.B) {
	c := webtest.New(b, archive.Limits{})
	file, _ := demo.Slice(demo.Lighthouse(), demo.DialectNamed("plain"))
	id, refused := c.Bring("lighthouse.gcode", file)
	if refused != "" {
		b.Fatal(refused)
	}
	get := func(path string, kv ...any) func() {
		return func() {
			if code, text := c.Do("GET", fmt.Sprintf(path, kv...), nil, nil); code != 200 {
				b.Fatal(path, code, text)
			}
		}
	}
	p, err := c.St.Print(context.Background(), id)
	if err != nil {
		b.Fatal(err)
	}
	book, err := c.S.Books.Get(context.Background(), p)
	if err != nil {
		b.Fatal(err)
	}
	b.Run("fold", func(b *testing.B) {
		for b.Loop() {
			decoded := best(func() {
				for _, n := range []int{199, 200} {
					if _, err := book.Ix.Decode(bytes.NewReader(file), n); err != nil {
						b.Fatal(err)
					}
				}
			})
			page := best(func() {
				get("/prints/%d/layers/199", id)()
				get("/prints/%d/layers/200", id)()
			})
			b.ReportMetric(page.Seconds()/decoded.Seconds(), "×decoding")
			whole := best(get("/prints/%d?before=200", id))
			b.ReportMetric(whole.Seconds()/decoded.Seconds(), "page×decoding")
		}
	})
	b.Run("margin", func(b *testing.B) {
		mark := func(n int) {
			for k := range n {
				code, text := c.Form(fmt.Sprintf("/prints/%d/ears", id), "kind", plan.Insert, "before",
					fmt.Sprint(10+6*k))
				if code != 200 {
					b.Fatal(code, text)
				}
			}
		}
		for b.Loop() {
			mark(5)
			few := best(get("/prints/%d/margin", id))
			mark(50)
			b.ReportMetric(best(get("/prints/%d/margin", id)).Seconds()/few.Seconds(), "×5-ears")
		}
	})
	b.Run("shelf", func(b *testing.B) {
		small, _ := demo.Slice(demo.Gasket(), demo.DialectNamed("plain"))
		fill := func(n int) {
			for k := range n {
				own := fmt.Appendf(bytes.Clone(small), "; copy %d of %d\n", k, n)
				if _, refused := c.Bring(fmt.Sprintf("gasket %d.gcode", k), own); refused != "" {
					b.Fatal(refused)
				}
			}
		}
		for b.Loop() {
			fill(9)
			few := best(get("/"))
			fill(90)
			b.ReportMetric(best(get("/")).Seconds()/few.Seconds(), "×10-prints")
		}
	})
}
