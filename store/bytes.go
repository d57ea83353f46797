package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"slices"
	"sync"
)

// chunkSize is the number of bytes in a chunk before compression.
const chunkSize = 1 << 20

// batch is how many chunks are written in one transaction, and held in memory until then.
const batch = 8

// Upload is a print whose bytes are arriving. It is an [io.Writer]. Between two writes it
// holds no lock: who sends slowly keeps nobody else waiting.
type Upload struct {
	ID    int64
	Older int64 // the print of which this is a newer slicing; 0 when there is none
	Pack  *Pack // the archive it came in; nil when it came by itself
	s     *Store
	ctx   context.Context
	buf   []byte
	full  [][]byte // compressed chunks that are not in the database yet
	seq   int      // of the first of them
	size  int64
	sum   hash.Hash
	done  bool
	err   error // what went wrong when something was stored

	packed int64 // bytes of all chunks, compressed
	stored int64 // of those, in the database
}

// Begin makes room for a print. End the upload with Finish or Abandon.
func (s *Store) Begin(ctx context.Context) (*Upload, error) {
	u := &Upload{s: s, ctx: ctx, buf: make([]byte, 0, chunkSize), sum: sha256.New()}
	return u, s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO prints (id, name, title, state)
			SELECT last + 1, '', '', 'arriving' FROM numbers`)
		if err != nil {
			return err
		}
		u.ID, err = res.LastInsertId()
		return err
	})
}

// Write takes the next bytes.
func (u *Upload) Write(p []byte) (int, error) {
	total := len(p)
	for len(p) > 0 {
		n := min(len(p), chunkSize-len(u.buf))
		u.buf = append(u.buf, p[:n]...)
		p = p[n:]
		if len(u.buf) < chunkSize {
			break
		}
		u.pack()
		if len(u.full) == batch {
			// What is committed lies beside the database first, and then in it.
			if room := u.s.Free(); room >= 0 && room < 2*(u.packed-u.stored)+uploadLeave {
				u.err = ErrFull
			} else {
				u.err = u.s.inTx(u.ctx, u.flush)
			}
			if u.err != nil {
				return 0, u.err
			}
			u.seq, u.full, u.stored = u.seq+len(u.full), u.full[:0], u.packed
		}
	}
	return total, nil
}

// Err returns what went wrong when something was stored; nil for an upload that has not
// begun.
func (u *Upload) Err() error {
	if u == nil {
		return nil
	}
	return u.err
}

// pack compresses a chunk.
func (u *Upload) pack() {
	u.sum.Write(u.buf)
	u.size += int64(len(u.buf))
	c := u.s.pack.EncodeAll(u.buf, nil)
	u.full, u.packed = append(u.full, c), u.packed+int64(len(c))
	u.buf = u.buf[:0]
}

// Missing returns how many bytes of the disk are missing for an upload of which so much has
// come of a total, 0 when that cannot be known. It goes by what the bytes that have come
// take; nil stands for an upload of which nothing has.
func (u *Upload) Missing(got, total int64) int64 {
	if u == nil || u.packed == 0 || got == 0 {
		return 0
	}
	return max(int64(float64(max(total, got))/float64(got)*float64(u.packed))-u.stored-u.s.Free(), 1)
}

// flush writes the chunks that are in memory.
func (u *Upload) flush(tx *sql.Tx) error {
	for k, data := range u.full {
		if _, err := tx.ExecContext(u.ctx, `INSERT INTO chunks (print_id, seq, data)
			VALUES (?, ?, ?)`, u.ID, u.seq+k, data); err != nil {
			return err
		}
	}
	return nil
}

// Finish stores the rest; from then on the print is there, still to be read.
func (u *Upload) Finish(name, title string) error {
	if len(u.buf) > 0 || u.size == 0 {
		u.pack()
	}
	err := u.s.inTx(u.ctx, func(tx *sql.Tx) error {
		if err := u.flush(tx); err != nil {
			return err
		}
		res, err := tx.ExecContext(u.ctx, `UPDATE prints SET name = ?, title = ?, state = 'reading',
			bytes = ?, sha256 = ?, older = NULLIF(?, 0) WHERE id = ?`,
			name, title, u.size, hex.EncodeToString(u.sum.Sum(nil)), u.Older, u.ID)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, ErrNone)
		}
		if u.Pack != nil {
			return savePack(u.ctx, tx, u.ID, u.Pack)
		}
		return nil
	})
	u.done = err == nil
	return err
}

// Abandon removes what has arrived, unless Finish has succeeded.
func (u *Upload) Abandon() {
	if u.done {
		return
	}
	u.done = true
	ctx := context.WithoutCancel(u.ctx)
	_ = u.s.erase(ctx, u.ID, `state = 'arriving'`)
}

// Source returns a print's bytes. It may be used by several goroutines and
// keeps the chunks used last.
func (s *Store) Source(p Print) *Source {
	return &Source{s: s, id: p.ID, size: p.Bytes, kept: map[int64][]byte{}}
}

// Source reads a print's bytes.
type Source struct {
	s    *Store
	id   int64
	size int64

	mu   sync.Mutex
	kept map[int64][]byte
	used []int64 // the one used longest ago first
}

// keepChunks bounds what a Source holds in memory, in chunks.
const keepChunks = 8

// Size returns the number of bytes.
func (r *Source) Size() int64 { return r.size }

// ReadAt implements [io.ReaderAt].
func (r *Source) ReadAt(p []byte, off int64) (int, error) {
	if off < 0 {
		return 0, errors.New("store: negative offset")
	}
	n := 0
	for n < len(p) {
		if off >= r.size {
			return n, io.EOF
		}
		c, err := r.chunk(off / chunkSize)
		if err != nil {
			return n, err
		}
		k := copy(p[n:], c[min(off%chunkSize, int64(len(c))):])
		if k == 0 {
			return n, io.ErrUnexpectedEOF
		}
		n += k
		off += int64(k)
	}
	return n, nil
}

func (r *Source) chunk(seq int64) ([]byte, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if c, ok := r.kept[seq]; ok {
		if k := slices.Index(r.used, seq); k < len(r.used)-1 {
			r.used = append(slices.Delete(r.used, k, k+1), seq)
		}
		return c, nil
	}
	var data []byte
	err := r.s.db.QueryRow(`SELECT data FROM chunks WHERE print_id = ? AND seq = ?`, r.id,
		seq).Scan(&data)
	if err != nil {
		return nil, fmt.Errorf("chunk %d: %w", seq, err)
	}
	c, err := r.s.unpack.DecodeAll(data, make([]byte, 0, chunkSize))
	if err != nil {
		return nil, fmt.Errorf("chunk %d: %w", seq, err)
	}
	if len(r.used) == keepChunks {
		delete(r.kept, r.used[0])
		r.used = slices.Delete(r.used, 0, 1)
	}
	r.kept[seq] = c
	r.used = append(r.used, seq)
	return c, nil
}
