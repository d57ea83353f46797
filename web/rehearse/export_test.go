package rehearse

import "dogear/web/book"

// Moment is what the page is told, for tests from outside.
type Moment = moment

// MaxLogged is the constant.
const MaxLogged = maxLogged

// Of is the rehearsal of a print.
func (s *Rehearsals) Of(id int64) *rehearsal { return s.all[id] }

// Load lays marks onto a file to be rehearsed.
func (s *Rehearsals) Load(b *book.Book, m *book.Marked) (*rehearsal, error) {
	return s.loadRehearsal(b, m)
}

// Beat is what is told next.
func (r *rehearsal) Beat(at int) (Moment, int) { return r.beat(at) }

// Original is the line of the original that a line of the file is.
func (r *rehearsal) Original(line int64) int64 { return r.lines.Original(line) }
