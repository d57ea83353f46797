package pickup

// Bounds of photographs, for tests from outside.
const (
	MaxDots  = maxDots
	MaxPhoto = maxPhoto
)
