package pickup

// Bounds of photographs, for tests from outside.
const (
	MostDots  = mostDots
	MostPhoto = mostPhoto
)
