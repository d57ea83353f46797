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
	"sync"
)

// chunkSize is the number of bytes in a chunk before compression.
const chunkSize = 1 << 20

// batch is how many chunks are written in one transaction.
const batch = 16

// Upload is a print whose bytes are arriving. It is an [io.Writer].
type Upload struct {
	ID    int64
	Older int64 // the print of which this is a newer slicing; 0 when there is none
	s     *Store
	ctx   context.Context
	tx    *sql.Tx
	buf   []byte
	seq   int
	size  int64
	sum   hash.Hash
	done  bool
}

// Begin makes room for a print. End the upload with Finish or Abandon.
func (s *Store) Begin(ctx context.Context) (*Upload, error) {
	res, err := s.db.ExecContext(ctx, `INSERT INTO prints (id, name, title, state)
		SELECT last + 1, '', '', 'arriving' FROM numbers`)
	if err != nil {
		return nil, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return nil, err
	}
	return &Upload{ID: id, s: s, ctx: ctx, buf: make([]byte, 0, chunkSize), sum: sha256.New()}, nil
}

// Write takes the next bytes.
func (u *Upload) Write(p []byte) (int, error) {
	total := len(p)
	for len(p) > 0 {
		n := min(len(p), chunkSize-len(u.buf))
		u.buf = append(u.buf, p[:n]...)
		p = p[n:]
		if len(u.buf) == chunkSize {
			if err := u.flush(); err != nil {
				return 0, err
			}
		}
	}
	return total, nil
}

func (u *Upload) flush() error {
	if u.tx == nil {
		tx, err := u.s.db.BeginTx(u.ctx, nil)
		if err != nil {
			return err
		}
		u.tx = tx
	}
	u.sum.Write(u.buf)
	u.size += int64(len(u.buf))
	if _, err := u.tx.ExecContext(u.ctx, `INSERT INTO chunks (print_id, seq, data) VALUES (?, ?, ?)`, u.ID, u.seq, u.s.pack.EncodeAll(u.buf, nil)); err != nil {
		return err
	}
	u.seq++
	u.buf = u.buf[:0]
	if u.seq%batch == 0 {
		err := u.tx.Commit()
		u.tx = nil
		return err
	}
	return nil
}

// Finish stores the rest; from then on the print is there, still to be read.
func (u *Upload) Finish(name, title string) error {
	if len(u.buf) > 0 || u.tx == nil {
		if err := u.flush(); err != nil {
			return err
		}
	}
	if u.tx == nil {
		tx, err := u.s.db.BeginTx(u.ctx, nil)
		if err != nil {
			return err
		}
		u.tx = tx
	}
	_, err := u.tx.ExecContext(u.ctx, `UPDATE prints SET name = ?, title = ?, state = 'reading', bytes = ?, sha256 = ?, older = NULLIF(?, 0) WHERE id = ?`,
		name, title, u.size, hex.EncodeToString(u.sum.Sum(nil)), u.Older, u.ID)
	if err == nil {
		err = u.tx.Commit()
		u.tx = nil
		u.done = err == nil
	}
	return err
}

// Abandon removes what has arrived, unless Finish has succeeded.
func (u *Upload) Abandon() {
	if u.done {
		return
	}
	if u.tx != nil {
		_ = u.tx.Rollback()
		u.tx = nil
	}
	_, _ = u.s.db.ExecContext(context.WithoutCancel(u.ctx), `DELETE FROM prints WHERE id = ? AND state = 'arriving'`, u.ID)
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
	used []int64 // oldest first
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
		return c, nil
	}
	var data []byte
	err := r.s.db.QueryRow(`SELECT data FROM chunks WHERE print_id = ? AND seq = ?`, r.id, seq).Scan(&data)
	if err != nil {
		return nil, fmt.Errorf("chunk %d: %w", seq, err)
	}
	c, err := r.s.unpack.DecodeAll(data, make([]byte, 0, chunkSize))
	if err != nil {
		return nil, fmt.Errorf("chunk %d: %w", seq, err)
	}
	if len(r.used) == keepChunks {
		delete(r.kept, r.used[0])
		r.used = r.used[1:]
	}
	r.kept[seq] = c
	r.used = append(r.used, seq)
	return c, nil
}
