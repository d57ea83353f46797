// Package landmark finds the folds worth looking at: where raised parts begin,
// a pocket closes, the section changes suddenly, a flat area ends, a bridge
// begins, the layer height changes; and, inside the first layer, where one
// group of paths ends and another begins.
//
// In goes a source with its index, out comes a [Report]. Everything is computed
// on grids of the layers (core/raster), never from names. Few and good rather
// than many: near one another only the surest of a kind is kept, and about a
// dozen in all.
package landmark

// Landmark is a fold with a reason. Exactly one of BeforeLayer and BeforeLine is
// set; the other is nil.
type Landmark struct {
	BeforeLayer *int    `json:"before_layer"`
	BeforeLine  *int64  `json:"before_line"`
	Kind        string  `json:"kind"`
	Certainty   float64 `json:"certainty"` // 0…1
	Reason      string  `json:"reason"`
}

// Kinds of landmarks.
const (
	Raised        = "raised"         // first layer of raised parts
	Closes        = "closes"         // a pocket is covered by this layer
	LastOpen      = "last-open"      // the last fold at which a pocket is open
	Widest        = "widest"         // a ball's equator
	Step          = "step"           // the section grows or jumps
	Bridge        = "bridge"         // lines over nothing, held at both ends
	FlatEnds      = "flat-ends"      // a flat area is finished
	HeightChanges = "height-changes" // layers get thicker or thinner
	Paths         = "paths"          // inside a layer: another group of paths begins
)

// Pocket is an enclosed opening through several layers. Lengths in mm.
type Pocket struct {
	Shape     string     `json:"shape"` // round, hex, rect, ball, other
	Centre    [2]float64 `json:"centre"`
	Across    float64    `json:"across"`
	Size      [2]float64 `json:"size"`      // of the box around it, turned as it lies
	Turn      float64    `json:"turn"`      // degrees
	Inscribed float64    `json:"inscribed"` // diameter of the largest circle inside
	FirstOpen int        `json:"first_open"`
	LastOpen  int        `json:"last_open"`
	Closes    *int       `json:"closes"` // null when it stays open to the top
	Depth     float64    `json:"depth"`
	FloorZ    float64    `json:"floor_z"`
	Widest    int        `json:"widest"`   // the layer on which it is widest
	Support   int        `json:"support"`  // the last layer on which support stands in it, 0 for none
	Side      bool       `json:"side"`     // it is open at the side too
	Rough     float64    `json:"rough"`    // by how much Across and Size may be out, mm; 0: by 0.05
	Sections  []Opening  `json:"sections"` // from the first layer on, wherever its size changes
}

// Opening is what a pocket measures on a layer, mm.
type Opening struct {
	Layer     int        `json:"layer"`
	Across    float64    `json:"across"`
	Size      [2]float64 `json:"size"`
	Inscribed float64    `json:"inscribed"`
}

// Report is what was found, in the shape of dogear-landmarks/1.
type Report struct {
	Format    string     `json:"format"`
	Landmarks []Landmark `json:"landmarks"`
	Pockets   []Pocket   `json:"pockets"`
}
