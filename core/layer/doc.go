// Package layer finds the layers of a sliced file, by geometry and by the
// marks the file itself carries, and the folds between them.
//
// In goes a [Source], out comes an [Index]: one record per layer, with the
// machine's state at its fold, so that any layer can be decoded again without
// reading what lies before it ([Index.Decode]).
//
// A layer is a run of laying moves at one height, in file order. Hops lay
// nothing and do not count. When laying goes on at a height already passed,
// another layer begins (objects printed one after another). What is laid
// beside the part before it begins (prime lines) makes no layer.
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
