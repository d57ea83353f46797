//go:build unix && !linux

package conn

// hungUp reports whether the other side sends no more; only Linux says so while there is
// something to be read.
func hungUp(int) bool { return false }
