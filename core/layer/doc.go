// Package layer finds the layers of a sliced file, by geometry and by the
// marks the file itself carries, and the folds between them.
//
// In goes a [Source], out comes an [Index]: one record per layer, with the
// machine's state at its fold, so that any layer can be decoded again without
// reading what lies before it ([Index.Decode]).
//
// A layer is what is laid between one plateau and the next. While the file is read,
// laying moves at one height are gathered into runs; at the end runs become layers:
//
//	1.2 ▁▁▁▁▁▁▁▁▁▁▁▁▁  walls, fill      opens layer 4
//	1.05     ▁▁▁▁▁     inner walls      belongs to layer 3: it lies half a layer up
//	0.9 ▁▁▁▁▁▁▁▁▁▁▁▁▁  walls, fill      opens layer 3
//	0.6 ╱▔▔▔▔▔▔▔▔▔▔▔▔  a sloped start   belongs to the layer it ends on
//
// What belongs to a layer and opens none: ramps; runs at heights in between (fill half a
// layer lower, inner walls half a layer higher, supports with heights of their own); what
// is laid lower, such as ironing or a tower on the side. The file's own marks say which
// when they fit what is laid, else heights and footprints do. A layer's height is that
// at which most of its wall, else most of its plastic is laid. Hops lay nothing and do
// not count.
//
// When laying begins again near the bed, where nothing stands yet, another object begins;
// footprints tell, not boxes. Prime lines make no layer: a few straight strokes, with
// little filament, before the file's first mark, that nothing else touches.
//
// The fold of layer n is the gap before it. It stands as early as possible:
//
//	G1 X10 Y10 E1.2        last laying move of layer n−1
//	G1 X12 Y10 E-.5        its wipe
//	G1 E-.3                its retraction
//	──────────────────────── fold line of layer n
//	; 1234 s               a clock that closes layer n−1
//	; layer 7              the mark of layer n
//	G1 Z1.4
//	G0 X50 Y50             travel
//	G1 X60 Y50 E.9         first laying move of layer n
//
// Lines and layers are counted from 1. Lengths are [gcode.Nano].
package layer
