package plan

// Remembered is what the block of an ear remembers of it, so that it can be edited again
// when the file is opened without the plan.
type Remembered struct {
	Ear      Ear       `json:"ear"`
	Filament *Filament `json:"filament,omitempty"`
	// the first ear tells in which filament the print begins
	From string    `json:"from,omitempty"`
	Was  *Filament `json:"was,omitempty"`
}

// RememberedChange is what the block of a change remembers of it.
type RememberedChange struct {
	Change Change `json:"change"`
}
