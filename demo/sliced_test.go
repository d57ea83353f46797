package demo_test

import (
	"sync"
	"testing"

	"dogear/core/layer"
	"dogear/demo"
	"dogear/demo/demotest"
)

// sliced is a small part in a dialect, and what reading it gives. Tests share it, so they change
// nothing of it.
type sliced struct {
	part    string
	dialect demo.Dialect
	turn    int // the place of the dialect among all
	file    []byte
	truth   demo.Truth
	ix      *layer.Index
}

var slicings sync.Map // of functions that give a *sliced, by part and dialect

// slice gives a small part in a dialect: sliced and read when a test asks first.
func slice(t testing.TB, part string, turn int) *sliced {
	t.Helper()
	d := demo.Dialects()[turn]
	once, _ := slicings.LoadOrStore(part+"/"+d.Name, sync.OnceValue(func() *sliced {
		s := &sliced{part: part, dialect: d, turn: turn}
		s.file, s.truth = demo.Slice(small()[part], d)
		s.ix = index(t, s.file)
		return s
	}))
	return once.(func() *sliced)()
}

// eachSliced runs a test, beside each other, for every part in every dialect that is sampled, and
// says for how many.
func eachSliced(t *testing.T, f func(t *testing.T, s *sliced)) int {
	return onSliced(t, demotest.Sampled, f)
}

// everySliced leaves none out, but with -short.
func everySliced(t *testing.T, f func(t *testing.T, s *sliced)) {
	onSliced(t, func(part string, d demo.Dialect) bool {
		return !testing.Short() || demotest.Sampled(part, d)
	}, f)
}

func onSliced(t *testing.T, taken func(part string, d demo.Dialect) bool,
	f func(t *testing.T, s *sliced)) int {
	n := 0
	for part := range small() {
		for turn, d := range demo.Dialects() {
			if taken(part, d) {
				n++
				t.Run(part+"/"+d.Name, func(t *testing.T) {
					t.Parallel()
					f(t, slice(t, part, turn))
				})
			}
		}
	}
	return n
}

// dialects are all, but with -short the plain one and those that are sampled.
func dialects(t *testing.T) []demo.Dialect {
	if testing.Short() {
		return demotest.Dialects(t.Name())
	}
	return demo.Dialects()
}
