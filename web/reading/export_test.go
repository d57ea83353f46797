package reading

import (
	"dogear/core/layer"
	"dogear/store"
)

// LookAtNothing is a look behind an open bench that breaks down.
func (j *Jobs) LookAtNothing(p store.Print, ix *layer.Index) { j.lookBehind(p, ix, &look{next: 1}) }

// Behind is the token for looking behind an open bench.
func (j *Jobs) Behind() chan struct{} { return j.behind }

// Turn is the token for reading.
func (j *Jobs) Turn() chan struct{} { return j.turn }

// Looking reports whether a print is looked at behind its bench.
func (j *Jobs) Looking(id int64) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.looking[id]
}
