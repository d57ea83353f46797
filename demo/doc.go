// Package demo makes the prints of the Low Water model-makers' club: it slices
// a few simple solids of our own into G-code, in several dialects, and says
// what is true of each file (heights, layers, lines), so that tests can compare.
//
// It is a small slicer and no more: sections are polygons, walls are parallel
// curves, fill is straight lines. Output depends on nothing but its arguments.
package demo
